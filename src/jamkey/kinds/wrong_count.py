"""The number of values on the two sides does not agree."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, show, trace_names
from jamkey.languages.base import Part


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
        if statement is not None and statement.sort in ("assign", "for"):
            value = (
                statement.parts[-1] if statement.sort == "assign" else statement.parts[1] if len(statement.parts) > 1 else None
            )
        inside = next((p for p in scene.parts_of(scene.frame) if p.sort == "comprehension"), None)
        if inside is not None and inside.child("iterable") is not None:
            value = inside.child("iterable")
        if value is not None and "unpack" in (scene.jam.wording or ""):
            for origin in follow(scene, value, scene.jam.snag or 0)[:2]:
                if (origin.file, origin.line) != (file, line):
                    found.root_at(origin, f"`{show(value.source)}` is made here", 0.55)
        else:
            trace_names(scene, found, "one of the two gets its length here", 0.66)
        found.root(file, line, "here the numbers have to agree", 0.65)
        return found


KIND = WrongCount()
