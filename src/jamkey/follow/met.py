"""What the captured values say of the way: of what sort is what is set there, and where it turned into what is bad about it."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.follow.places import Place
from jamkey.follow.scene import MARGIN, Scene
from jamkey.follow.value_sorts import gap_of, is_missing, is_text, is_written_number, sort_of_type
from jamkey.languages.base import Code, Statement
from jamkey.model import Frame, Value

#: Sorts of values that nobody means to work with; where one first appears, something is likely wrong.
BAD = frozenset(["nothing", "gap", "empty", "written number", "function", "coming", "bytes", "objects", "zero"])


class Met:
    """What is known of the values of one jam; its places are asked about from the snag outwards.

    Args:
        scene: the jam, located, with its sources.
    """

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.frames: dict[tuple[str, str], Frame] = {}
        for frame in scene.jam.frames:
            if frame.values:
                self.frames[frame.file, "" if frame.function in MARGIN else frame.function or ""] = frame
        self._turned: set[tuple[str, int]] = set()

    def at(self, place: Place, code: Code, statement: Statement) -> Iterator[str]:
        """Yield what the values say of a place, as features."""
        kind = self.scene.jam.kind or ""
        last = place.path[-1] if place.path else ""
        if place.before in self._turned:
            yield "behind what turns"
            yield f"behind what turns {last}"
            yield f"behind what turns of {kind}"
        for sort, how in self._set_at(place, code, statement):
            if how == "turns":
                self._turned.add((place.file, place.line))
            yield f"sets {sort}"
            yield f"sets {sort} of {kind}"
            if how:
                yield how
                yield f"{how} of {kind}"
                yield f"{how} {sort}"

    def _set_at(self, place: Place, code: Code, statement: Statement) -> Iterator[tuple[str, str]]:
        """Yield the sort of what is set at a place, as it was when the program stopped, and whether it turned bad there."""
        frame = self.frames.get((place.file, code.scope_at(place.line).rpartition(".")[2]))
        if frame is None:
            return
        values = {value.name: value for value in frame.values}
        stored = {part.name for target in statement.targets for part in target.walk() if part.sort == "name"}
        read = {part.source for top in statement.parts for part in top.walk() if part.sort in ("name", "member", "index")}
        before = {sort_met(values[name]) for name in read - stored if name in values}
        for name in sorted(stored):
            sort = sort_met(values[name]) if name in values else ""
            if sort in BAD:
                yield sort, "hands on" if sort in before else "turns" if before - BAD else "begins"
            elif sort:
                yield "good", ""


def sort_met(value: Value) -> str:
    """Return what a value is to those who work with it: `empty`, `written number`, `nothing`, `bytes` ...; empty if unknown."""
    sort = sort_of_type(value.type)
    if is_missing(value) or sort == "nothing":
        return "nothing"
    if sort in ("function", "coming"):
        return sort
    if value.length == 0 or (value.shape is not None and 0 in value.shape):
        return "empty"
    if value.type in ("bytes", "bytearray", "Buffer", "raw"):
        return "bytes"
    if is_written_number(value):
        return "written number"
    if is_text(value):
        return "text"
    if value.dtype is not None and value.shape is not None and len(value.shape) == 1:
        return "objects" if re.match(r"object|str|<U|\|S|string", value.dtype) else "numbers"
    if gap_of(value):
        return "gap"
    if sort == "number":
        return "zero" if re.fullmatch(r"-?0(?:\.0*)?", value.text) else "number"
    return sort or "object"
