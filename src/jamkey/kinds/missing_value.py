"""A value is used, and it is the language's word for "nothing"."""

from __future__ import annotations

import re

from jamkey.follow.dispatched import nothing_of
from jamkey.follow.origins import Origin, follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.follow.suspect import missing_part
from jamkey.follow.value_sorts import NOTHING, gap_of, is_gap
from jamkey.kinds.base import Diagnosis, append_line, idioms_of, indent_of, replace, show, trace_names
from jamkey.kinds.repair import as_spelt_there
from jamkey.languages.base import Part, Span
from jamkey.languages.installed import members_of_type

#: What a text may hold that a pattern forgets: (how it shows, in words, what the pattern has, what it should have).
_RELAXED = (
    (r"(?<![\w.])-\d", "a minus sign", r"\d", r"-?\d"),
    (r"\d,\d", "a decimal comma", r"\.", "[.,]"),
    (r"[:=] +\S", "spaces", "=", r"=\s*"),
)

#: Words for nothing, and for what may be nothing, as messages have them.
_NOTHING = re.compile(
    r"(?<![\w'\"])(?:None|null|undefined|nil|NULL|NA|nullptr|NaN|NaT|nan|Nothing|nothing)(?![\w'\"])|NoneType|Optional|Missing|missing"
)


class MissingValue:
    """See the module."""

    name = "missing-value"
    title = "a value that is not there"
    about = (
        "The line needs a value, and what it got is the word for nothing (None, null, undefined, NaN). The line "
        "itself is usually right: something earlier failed to hand a value over."
    )
    usual = (
        "a function ends without returning what it computed",
        "a method that changes its object in place was used as if it returned it",
        "a look-up found nothing",
        "a default or a first value is the word for nothing",
    )
    avoid = "Let every way through a function return a value, and check what a look-up found before using it."
    example = 'hives = ["oak", "brook"]\nhives = hives.sort()\nprint(hives[0])\n'

    def _nothing(self, scene: Scene, part: Part | None) -> str:
        """Return the word for the value that is missing: as it was held, as the message has it, as the language does.

        Of a language with several such words none, where neither tells.
        """
        usual = idioms_of(scene).missing
        held = scene.value(part.source) if part is not None else None
        if held is not None and (held.text in NOTHING or is_gap(held)):
            return held.text
        said = re.findall(r"(?<![\w'\"])(?:null|undefined|nil|NULL|NA|nullptr|NaN|NaT)(?![\w'\"])", scene.jam.wording or "")
        if not said and scene.traits.several_nothings:
            told = nothing_of(scene)
            return told[1] if told is not None else scene.facts.get("key", "missing")
        return usual if usual in said or not said else said[0]

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Follow the missing value back, and mend it where it went missing."""
        found = Diagnosis(kind=self.name, avoid=self.avoid, causes=list(self.usual))
        part, told = missing_part(scene)
        nothing = self._nothing(scene, part)
        shown = f"`{show(part.source)}`" if part is not None and told else "a value on this line"
        shown = shown if scene.frame is not None else "a value"
        cannot = "what is missing" if nothing == "missing" else nothing
        found.meaning = f"{shown} is {nothing} at this moment, and {cannot} cannot do what the line asks of it."
        found.look_at = f"Ask where {shown} got its value, and on which way it could have got none."
        if scene.jam.phase == "compile":
            found.meaning = f"{shown} may be {nothing}, and nothing runs before it is said what shall happen then."
            found.look_at = f"Decide what shall be done where {shown} is {nothing}."
            found.causes = ["a look-up may find nothing", "a value is declared so that it may be left out"]
        held = scene.value(part.source) if part is not None else None
        gap = gap_of(held) if held is not None and not is_gap(held) else ""
        if gap:
            found.meaning = f"{shown} holds {gap} among its values, and the line needs one that is there."
            found.look_at = f"Ask which of the values of {shown} could not be read or computed, and why."
        message = (scene.jam.wording or "").split("\n")[0]
        said = told or gap or "receiver" in scene.facts or _NOTHING.search(scene.jam.wording or "") is not None
        unsaid = bool(message) and not said and scene.jam.phase == "run"
        if unsaid:
            # which value it is, and by which word it is nothing, nobody says
            found.meaning = f'Something that the line needs is not there: "{show(message, 120)}".'
            found.causes = ["what is read or gone through has come to its end", "a look-up found nothing"]
        if unsaid or scene.frame is None:
            found.look_at = "Ask where what is missing was to come from, and on which way it could have got no value."
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        origins = follow(scene, part, scene.jam.snag or 0, want="missing") if part is not None else []
        for rank, origin in enumerate(origins[:4]):
            self._origin(scene, found, origin, rank)
        if not origins and "NoneType" not in (scene.jam.wording or "") and scene.traits.whole_tree:
            self._in_table(scene, found)
        held_here = f"holds {gap}" if gap else f"{'may be' if scene.jam.phase == 'compile' else 'is'} {nothing}"
        reason = "what this line needs is not there" if unsaid else f"{shown} {held_here} here"
        found.root(file, line, reason, "traced" if origins else "snag")
        if found.roots and not unsaid:
            found.causes = [root.reason for root in found.roots[:2]] + found.causes
        return found

    def _origin(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        handler = getattr(self, "_" + origin.sort.replace("-", "_"), None)
        if handler is not None:
            handler(scene, found, origin, rank)

    def _in_place(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        part = origin.part
        callee = part.child("callee") if part is not None else None
        if part is None or callee is None:
            return
        method = part.called
        owner = callee.child("object")
        found.root_at(origin, f"`{method}` changes its object in place and returns nothing", "in-place", rank=rank)
        code = scene.sources.code(origin.file, scene.jam.runtime)
        statement = code.statement(part.span.line) if code is not None else None
        if statement is None or owner is None:
            return
        arguments = part.source[len(callee.source) :].strip()[1:-1].strip()
        if statement.sort == "assign" and statement.parts and statement.parts[-1].span == part.span:
            target = statement.targets[0].source if statement.targets else ""
            if target == owner.source:
                found.key(
                    "keep-object",
                    f"Only call it: `{show(part.source)}`",
                    f"`{method}` has already changed `{owner.source}`; assigning its result overwrites it with nothing",
                    [replace(origin.file, statement.span, part.source)],
                )
        new = {"sort": "sorted({0}{1})", "reverse": "list(reversed({0}))"}.get(method)
        if new is not None:
            text = new.format(owner.source, f", {arguments}" if arguments else "")
            found.key(
                "make-new",
                f"Use the form that returns a new one: `{show(text)}`",
                f"`{method}` returns nothing; `{text.split('(')[0]}` returns the result",
                [replace(origin.file, part.span, text)],
            )

    def _fell_off(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        function = origin.function
        if function is None:
            return
        found.root_at(origin, f"`{function.name}` can reach its end without returning anything", "fell-off", rank=rank)
        code = scene.sources.code(origin.file, scene.jam.runtime)
        if code is None:
            return
        indent = indent_of(scene, origin.file, function.body_line)
        own = [d for d in code.definitions() if d.scope == function.qualified and d.sort in ("assigned", "changed")]
        at_top = [d for d in own if len(indent_of(scene, origin.file, d.span.line)) == len(indent)]
        names = list(dict.fromkeys(d.name for d in reversed(at_top)))
        gathered = [
            d.name for d in own if d.sort == "changed" or (d.name in names and d.value and d.value.sort in ("list", "dict"))
        ]
        set_at = [d.span for d in own]
        # what is set last and read nowhere was set to be handed back
        idle = [
            name for name in names[:1] if not any(function.span.holds(span) for span in code.uses(name) if span not in set_at)
        ]
        best = list(dict.fromkeys([*idle, *gathered[-1:], *names[:2]]))
        end = scene.traits.statement_end
        last = function.last_line - (1 if end else 0)
        for place, name in enumerate(best):
            found.key(
                f"return-{name}",
                f"End `{function.name}` with `return {name}`",
                f"`{function.name}` computes `{name}` and never hands it back",
                [append_line(scene, origin.file, last, f"{indent}return {name}{end}")],
                rank=rank + place,
            )
        tail = code.statement(function.last_line)
        if tail is not None and tail.sort == "expr" and tail.parts:
            found.key(
                "return-last",
                f"Return it: `return {show(tail.parts[0].source)}`",
                f"the last line of `{function.name}` computes a value and drops it",
                [replace(origin.file, tail.span.start, "return ")],
                rank=rank,
            )

    def _bare_return(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        function = origin.function
        name = function.name if function else "the function"
        found.root_at(origin, f"`{name}` returns nothing on this way", "bare-return", rank=rank)
        text = scene.row(origin.file, origin.line)
        for filler in ("0", '""', "[]"):
            if filler == _filler(scene):
                found.key(
                    "return-filler",
                    f"Return `{filler}` here instead of nothing",
                    f"`{name}` is asked for a value on every way",
                    [replace(origin.file, origin.span, text.strip().split(" ")[0] + f" {filler}")],
                )

    def _default(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        if origin.part is None:
            return
        filler = _filler(scene)
        found.root_at(origin, f"the default is {origin.part.source}, and a call gives no other value", "default", rank=rank)
        if filler in scene.traits.shared_defaults:
            return
        found.key(
            "default-value",
            f"Make the default `{filler}` instead of `{origin.part.source}`",
            "the value is used as it is when the caller gives none",
            [replace(origin.file, origin.part.span, filler)],
        )

    def _literal(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        if origin.part is None:
            return
        filler = _filler(scene)
        found.root_at(origin, f"it is set to {origin.part.source} here", "literal", rank=rank)
        found.key(
            "set-value",
            f"Set a value in place of `{origin.part.source}` on line {origin.line}: `{filler}`",
            "this is where the missing value was written down; put the right one",
            [replace(origin.file, origin.part.span, filler)],
        )

    def _unpassed(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        """A caller passes fewer arguments than the function has parameters."""
        call, function = origin.part, origin.function
        if call is None or function is None:
            return
        wanted = origin.name
        found.root_at(origin, f"`{function.name}` is called here without its `{wanted}`", "unpassed", rank=rank)
        code = scene.sources.code(origin.file, scene.jam.runtime)
        if code is None:
            return
        visible = sorted(code.visible(call.span.line))
        choices = [wanted] if wanted in visible else [name for name, _ in nearest(wanted, visible, most=2)]
        local = [d.name for d in code.definitions() if d.sort == "parameter" and d.scope == code.scope_at(call.span.line)]
        for place, name in enumerate(dict.fromkeys([*choices, *local])):
            joined = ", " if call.arguments else ""
            end = call.span.end
            spot = Span(end.line, end.column - 1, end.line, end.column - 1)
            found.key(
                f"pass-{name}",
                f"Pass it: `{function.name}({', '.join([*(p.source for _, p in call.arguments), name])})`",
                f"`{function.name}` expects `{wanted}`, and the call gives nothing for it",
                [replace(origin.file, spot, joined + name)],
                known="refused-pass" if scene.traits.missing_argument_fails else "pass",
                rank=place,
            )

    def _look_up(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        part = origin.part
        callee = part.child("callee") if part is not None else None
        if part is None or callee is None:
            return
        finds = "may find" if scene.jam.phase == "compile" else "found"
        found.root_at(origin, f"`{show(part.source)}` {finds} nothing", "look-up", rank=rank)
        if part.called == "get" and len(part.arguments) == 1 and scene.traits.python_values:
            filler = _filler(scene)
            spot = Span(part.span.end_line, part.span.end_column - 1, part.span.end_line, part.span.end_column - 1)
            key = part.arguments[0][1]
            value, owner = scene.value(key.source), callee.child("object")
            table = scene.value(owner.source) if owner is not None else None
            if value is not None and value.type == "str" and table is not None:
                there = [text.strip("'\"") for text in table.members]
                as_spelt_there(scene, found, origin.file, key, value.text[1:-1], there)
            found.key(
                "look-up-default",
                f"Give the look-up a default: `{show(part.source[:-1])}, {filler})`",
                "a key that is absent then counts as this value",
                [replace(origin.file, spot, f", {filler}")],
            )

    def _pattern(self, scene: Scene, found: Diagnosis, origin: Origin, rank: int) -> None:
        found.root_at(origin, "this pattern does not match the text it was given", "pattern", rank=rank)
        pattern = origin.part
        texts = [p for p in pattern.walk() if p.sort == "text"] if pattern is not None else []
        if not texts:
            return
        written = texts[0].source
        given = [value.text for frame in scene.jam.frames for value in frame.values if value.type == "str"]
        for sign, reason, old, new in _RELAXED:
            spots = [match.start() for match in re.finditer(re.escape(old), written)]
            spots = [
                spot
                for spot in spots
                if written[max(spot - 2, 0) : spot] != "-?" and "[" not in written[max(spot - 1, 0) : spot]
            ]
            if spots and any(re.search(sign, text) for text in given):
                text = written[: spots[0]] + new + written[spots[0] + len(old) :]
                found.key(
                    f"pattern-{new}",
                    f"Let the pattern allow {reason}: `{show(text)}`",
                    f"the text has {reason} there, and the pattern does not",
                    [replace(origin.file, texts[0].span, text)],
                    rank=rank,
                )

    def _in_table(self, scene: Scene, found: Diagnosis) -> None:
        """A table or an array holds missing values, and a library refuses them."""
        trace_names(scene, found, "the table with the missing values comes from here")
        for part in scene.parts_of(scene.frame):
            callee = part.child("callee") if part.sort == "call" else None
            owner = callee.child("object") if callee is not None and callee.name == "astype" else None
            if owner is not None and scene.frame is not None:
                for method, words in (
                    ("dropna()", "rows without a value are left out"),
                    ("fillna(0)", "a missing value then counts as 0"),
                ):
                    found.key(
                        f"before-{method[:6]}",
                        f"Write `{show(owner.source)}.{method}.astype(...)`",
                        words,
                        [replace(scene.frame.file, owner.span.end, f".{method}")],
                    )


def message_of(scene: Scene) -> str:
    """Return the whole message."""
    return scene.jam.wording or ""


def _filler(scene: Scene) -> str:
    """Return a neutral value that fits what the line does with it."""
    member = scene.facts.get("member", "")
    for sort, text in (("list", "[]"), ("dict", "{}"), ("set", "set()")):
        # what only that sort has: `append`, `items`, `add`
        if member in members_of_type(sort) and member not in members_of_type("str"):
            return text if scene.traits.whole_tree else "[]"
    if "item assignment" in message_of(scene):
        return "{}"
    operator = scene.facts.get("operator", "")
    message = scene.jam.wording or ""
    other = scene.facts.get("left", scene.facts.get("right", ""))
    if other == "str" or "str" in message.split("NoneType")[0]:
        return '""'
    if other in ("list", "tuple") or "iterable" in message or "no len" in message or "subscriptable" in message:
        return "[]"
    if operator or "number" in message or "int()" in message or "float()" in message:
        return "0"
    return "0" if not scene.facts.get("member") else '""'


KIND = MissingValue()
