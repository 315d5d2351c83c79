"""Go on without: a default for what is missing, the failing round left out. Last of all turns."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.convert import filled_in


class Guard(Plain):
    """`d[k]` becomes `d.get(k, 0)`; a round whose value is missing is left out."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose a default where a key may be missing."""
        looked_up, looks_up = ground.words.get("looked_up", ""), ground.words.get("looks_up", "")
        callee = part.child("callee")
        if looks_up and part.called == looks_up and callee is not None and len(part.arguments) == 1:
            asked, wanted = callee.child("object"), part.arguments[0][1]
            if asked is not None:
                for value in ground.words.get("plain", ()):
                    yield Made(f"guard:get {value}", part.span, looked_up.format(asked.source, wanted.source, value))
                for word in ground.words.get("first_made", ()):
                    yield Made(f"guard:made {word}", part.span, filled_in(word, asked.source, wanted.source))
        if (
            part.sort == "index"
            and not looks_up_only(ground)
            and not any(part.span == t.span for t in ground.statement.targets)
        ):
            owner, key = part.child("object"), part.child("key")
            if owner is not None and key is not None and key.sort != "slice":
                for word in ground.words.get("first_made", ()):
                    yield Made(f"guard:made {word}", part.span, filled_in(word, owner.source, key.source))
        if part.sort != "index" or ground.is_stored(part):
            return
        owner, key = part.child("object"), part.child("key")
        if owner is None or key is None or key.sort == "slice":
            return
        if looked_up and not looks_up_only(ground):
            for value in ground.words.get("plain", ()):
                yield Made(f"guard:get {value}", part.span, looked_up.format(owner.source, key.source, value))
        if otherwise := ground.words.get("prefixed_default", ""):
            yield Made("guard:or", part.span, otherwise.format(part.source))

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose to leave a round out where one of its names has no value."""
        skipped, negated = ground.words.get("skipped", ""), ground.words.get("negated", "")
        if not skipped or not ground.code.loops(ground.place.line) or statement.sort in ("for", "while", "functiondef"):
            return
        indent = ground.indent(ground.place.line)
        names = {part.source for top in statement.parts for part in top.walk() if part.sort in ("name", "index", "member")}
        for name in sorted(names)[:6]:
            for turn, test in (("missing", ground.idioms.is_missing), ("empty", negated)):
                text = indent + skipped.format(test.format(name), indent)
                yield Made(f"guard:skip {turn}", before_line(ground.place.line), text, skips=True)


def looks_up_only(ground: Ground) -> bool:
    """Tell a language whose tables are asked by a method, and never by brackets."""
    return not ground.words.get("indexed", True)


TURN = Guard()
