"""The number of values on the two sides does not agree."""

from __future__ import annotations

import re

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, replace, show, trace_names
from jamkey.kinds.repair import fewer_or_more
from jamkey.languages.base import Part, Span

_COUNTS = re.compile(r"\b\d{1,12}\b")


class WrongCount:
    """See the module."""

    name = "wrong-count"
    title = "a number of values that does not agree"
    about = "One side has more values than the other has places, or two columns differ in length."
    usual = (
        "a separator occurs once more (or less) in one line of the data",
        "a loop over a dictionary goes through its keys only",
        "a function returns more or fewer values than are taken",
    )
    avoid = "Print what is taken apart before taking it apart, and split a line only as often as needed."
    example = 'name, kilos = "oak;31.2;ok".split(";")\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Find what was taken apart, and what it is made by."""
        expected, given = scene.facts.get("expected"), scene.facts.get("given")
        numbers = f": {expected} expected" + (f", {given} there" if given else "") if expected else ""
        found = Diagnosis(
            kind=self.name,
            meaning=f"The numbers of values do not agree{numbers}.",
            look_at="Print the right side just before this line and count.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        statement = scene.statement_of(scene.frame)
        value: Part | None = None
        targets = 0
        if statement is not None and statement.sort in ("assign", "for"):
            value = (
                statement.parts[-1] if statement.sort == "assign" else statement.parts[1] if len(statement.parts) > 1 else None
            )
            targets = len(statement.targets[0].in_role("item")) if statement.targets else 0
        inside = next((p for p in scene.parts_of(scene.frame) if p.sort == "comprehension"), None)
        if inside is not None and inside.child("iterable") is not None:
            target = inside.child("target")
            value, targets = inside.child("iterable"), len(target.in_role("item")) if target is not None else 0
        if value is not None and "unpack" in (scene.jam.wording or ""):
            self._split(scene, found, file, value, targets)
            self._pairs(scene, found, file, value, targets)
            self._names(scene, found, file, inside)
            for origin in follow(scene, value, scene.jam.snag or 0)[:2]:
                if (origin.file, origin.line) != (file, line):
                    found.root_at(origin, f"`{show(value.source)}` is made here", "made")
        else:
            sizes = [int(number) for number in _COUNTS.findall(scene.jam.wording or "")][:2]
            for origin in trace_names(scene, found, "one of the two gets its length here"):
                if len(sizes) == 2:
                    fewer_or_more(scene, found, origin, sizes[0], sizes[1])
                    fewer_or_more(scene, found, origin, sizes[1], sizes[0])
        found.root(file, line, "here the numbers have to agree", "snag")
        return found

    def _split(self, scene: Scene, found: Diagnosis, file: str, value: Part, targets: int) -> None:
        call = next((part for part in value.walk() if part.called == "split"), None)
        if call is None or not targets or not scene.traits.whole_tree:
            return
        expected, given = scene.facts.get("expected", ""), scene.facts.get("given", "")
        arguments = [part for _, part in call.arguments]
        spot = Span(call.span.end_line, call.span.end_column - 1, call.span.end_line, call.span.end_column - 1)
        too_many = "too many" in (scene.jam.wording or "")
        if too_many and len(arguments) <= 1:
            text = f", {targets - 1}" if arguments else f"None, {targets - 1}"
            found.key(
                "split-less",
                f"Split only {targets - 1} times: `{show(call.source[:-1] + text)})`",
                f"the last part may then hold the separator itself; {expected} parts are wanted",
                [replace(file, spot, text)],
            )
        elif not too_many and given:
            found.causes.insert(0, "a line of the data is empty or lacks a separator")

    def _names(self, scene: Scene, found: Diagnosis, file: str, inside: Part | None) -> None:
        """Leave a name out that nothing uses, or add the one that is used and never set."""
        statement, code = scene.statement_of(scene.frame), scene.code
        target = (
            inside.child("target") if inside is not None else statement.targets[0] if statement and statement.targets else None
        )
        items = target.in_role("item") if target is not None else []
        if code is None or len(items) < 2 or not all(item.sort == "name" for item in items):
            return
        scope = code.scope_at(scene.line)
        if "too many" in (scene.jam.wording or ""):
            return
        unused = [item for item in items if len([u for u in code.uses(item.name) if code.scope_at(u.line) == scope]) <= 1]
        for rank, item in enumerate(reversed(unused)):
            at = items.index(item)
            span = (
                Span(items[at - 1].span.end_line, items[at - 1].span.end_column, item.span.end_line, item.span.end_column)
                if at
                else Span(item.span.line, item.span.column, items[1].span.line, items[1].span.column)
            )
            found.key(
                f"without-{item.name}",
                f"Leave `{item.name}` out",
                f"nothing uses `{item.name}`, and there is no value for it",
                [replace(file, span, "")],
                rank=rank,
            )

    def _pairs(self, scene: Scene, found: Diagnosis, file: str, value: Part, targets: int) -> None:
        if value.sort in ("name", "member") and targets == 2 and scene.traits.whole_tree:
            recorded = scene.value(value.source)
            known = "pairs-seen" if recorded is not None and recorded.type.endswith("dict") else "pairs"
            found.key(
                "pairs",
                f"Go through its pairs: `{show(value.source)}.items()`",
                "a loop over a dictionary gives the keys alone",
                [replace(file, value.span.end, ".items()")],
                known=known,
            )


KIND = WrongCount()
