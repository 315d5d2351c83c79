"""Go on without: a default for what is missing, the failing round left out. Last of all turns."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part, Statement
from jamkey.model import Value
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.convert import filled_in
from jamkey.turns.meanings import plain_meaning

#: A mapping as the runtimes show it, up to the first sign of its first value.
_FIRST_ITEM = re.compile(r"""\w*\(?\{\s*(?:'[^'\n]{0,80}'|"[^"\n]{0,80}"|[\w.]{1,80})\s*[:=]\s*(\S)""")
#: Operators that fail where what stands behind them is zero.
_DIVIDES = frozenset(("/", "//", "%"))
#: First sign of a value -> what another one like it means.
_STARTS = (
    ("[", ("no items", "nothing")),
    ("{", ("no pairs", "nothing")),
    ("'\"", ("no text", "nothing")),
    ("0123456789-.", ("zero", "one", "minus one", "nothing")),
)


class Guard(Plain):
    """`d[k]` becomes `d.get(k, 0)`; a round whose value is missing is left out."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose a default where a key may be missing, and its first value."""
        if part.sort == "binary" and part.name in _DIVIDES and (right := part.child("right")) is not None:
            # what is empty has the length that nothing is divided by
            tests = [right.source, *(given.source for _, given in right.arguments[:1])]
            for form in ground.words.get("otherwise", ()):
                for test in tests if right.sort == "call" else tests[:1]:
                    text = filled_in(form, part.source, test)
                    yield Made("guard:otherwise", part.span, f"({text})" if part.span in ground.above else text)
        asked = _asked(part, ground)
        if asked is None:
            return
        owner, key = asked
        if all(part.span != target.span for target in ground.statement.targets):
            for word in ground.words.get("first_made", ()):
                yield Made(f"guard:made {word}", part.span, filled_in(word, owner.source, key.source))
        if ground.is_stored(part):
            return
        if looked_up := ground.words.get("looked_up", ""):
            like = _like_the_others(ground.value(owner))
            for value in ground.words.get("plain", ()):
                if like and plain_meaning(value) not in like:
                    continue
                yield Made(f"guard:get {value}", part.span, looked_up.format(owner.source, key.source, value))
        if otherwise := ground.words.get("prefixed_default", ""):
            yield Made("guard:or", part.span, otherwise.format(part.source))

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose to leave a round out where one of its names has no value."""
        skipped, negated = ground.words.get("skipped", ""), ground.words.get("negated", "")
        if not skipped or not ground.code.loops(ground.place.line) or statement.sort in ("for", "while", "functiondef"):
            return
        indent = ground.indent(ground.place.line)
        parts = [part for top in statement.parts for part in top.walk() if part.sort in ("name", "index", "member")]
        tests = [("missing", ground.idioms.is_missing), *([("empty", negated)] if negated else ())]
        for name in sorted({part.source for part in parts})[:6]:
            for turn, test in tests:
                text = indent + filled_in(skipped, test.format(name), indent)
                yield Made(f"guard:skip {turn}", before_line(ground.place.line), text, skips=True)


def _like_the_others(owner: Value | None) -> tuple[str, ...]:
    """Return what a default can mean beside the other values of a mapping; empty where these are not known."""
    found = _FIRST_ITEM.match(owner.text) if owner is not None else None
    return next((means for signs, means in _STARTS if found is not None and found[1] in signs), ())


def _asked(part: Part, ground: Ground) -> tuple[Part, Part] | None:
    """Return what a look-up asks and for which key, by brackets or by the language's method; None for what is no look-up."""
    owner, key = part.child("object"), part.child("key")
    if part.sort == "call" and part.called and part.called == ground.words.get("looks_up"):
        callee = part.child("callee")
        owner = callee.child("object") if callee is not None else None
        key = part.arguments[0][1] if len(part.arguments) == 1 else None
    elif part.sort != "index" or not ground.words.get("indexed", True):
        return None
    return (owner, key) if owner is not None and key is not None and key.sort != "slice" else None


TURN = Guard()
