"""What the captured values say: what met the failure, where it was set, where a value turned into what is bad about it."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.follow.places import Place
from jamkey.follow.scene import MARGIN, Scene
from jamkey.follow.similar import nearest
from jamkey.follow.value_sorts import gap_of, is_missing, is_text, is_written_number, sort_of_type
from jamkey.languages.base import Code, Part, Statement
from jamkey.model import Frame, Value

#: Sorts of values that nobody means to work with; where one first appears, something is likely wrong.
BAD = frozenset(["nothing", "gap", "empty", "written number", "function", "coming", "bytes", "objects", "zero"])
#: Keys of a container that are held against the wanted one; signs of a shown mapping that are looked at.
_KEYS, _SHOWN = 60, 4000
_KEY = re.compile(r"""[{,]\s*('[^'\n]{0,60}'|"[^"\n]{0,60}"|-?\d{1,12}(?:\.\d{1,12})?)\s*:""")
_BETWEEN = re.compile(r"[;,|\t/]")
_MARK = "\ufeff"


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
        #: What meets the failure, by its sort, and what is odd about the key that is asked for in vain.
        self.sorts = sorted({sort for part in scene.parts_of(scene.frame) if (sort := self._sort_at_snag(part)) in BAD})
        self.key = _key_met(scene)
        self._turned: set[tuple[str, int]] = set()

    def _sort_at_snag(self, part: Part) -> str:
        value = self.scene.value(part.source) if part.sort in ("name", "member", "index") else None
        return sort_met(value) if value is not None else ""

    def at(self, place: Place, code: Code, statement: Statement) -> Iterator[str]:
        """Yield what the values say of a place, as features."""
        kind = self.scene.jam.kind or ""
        last = place.path[-1] if place.path else ""
        for sort in self.sorts:
            yield f"met {sort} {last}"
            yield f"met {sort} leads {min(place.leads, 2)}"
        if self.key:
            yield f"key {self.key} {last}"
            yield f"key {self.key} {_does(statement)}"
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


def _does(statement: Statement) -> str:
    """Return in a word what a statement does: whether it calls, and whether it writes a text."""
    parts = [part for top in statement.parts for part in top.walk()]
    calls = any(part.sort == "call" for part in parts)
    return f"{statement.sort} {'calls' if calls else 'plain'} {'text' if any(part.sort == 'text' for part in parts) else ''}"


def _key_met(scene: Scene) -> str:
    """Return what is odd about the key that is asked for in vain, held against those that are there."""
    wanted = str(scene.facts.get("key") or scene.facts.get("column") or "")
    if scene.jam.kind != "no-such-key" or not wanted or scene.frame is None:
        return ""
    bare = wanted.strip("'\"")
    owners = {
        part.source for top in scene.parts_of(scene.frame) for part in top.walk() if part.sort in ("name", "member", "index")
    }
    known = [
        keys for owner in sorted(owners) if (value := scene.value(owner)) is not None and (keys := _keys_of(value)) is not None
    ]
    if not known:
        return ""
    return next((how for keys in known if (how := _against(bare, keys))), "other")


def _keys_of(value: Value) -> list[str] | None:
    if value.type.endswith(("DataFrame", "data.frame")):
        return [member.strip("'\"") for member in value.members][:_KEYS]
    if sort_of_type(value.type) != "pairs":
        return None
    keys = [member.strip("'\"") for member in value.members] or [key.strip("'\"") for key in _KEY.findall(value.text[:_SHOWN])]
    return keys[:_KEYS]


def _against(wanted: str, keys: list[str]) -> str:
    if not keys:
        return "into nothing"
    keys = [key.replace("\\ufeff", _MARK) for key in keys]
    if wanted in keys:
        return "of another type"
    for key in keys:
        if key.replace(_MARK, "").strip() == wanted.strip():
            return "but for a mark" if _MARK in key else "but for blanks"
        if key.casefold() == wanted.casefold():
            return "but for capitals"
    if len(keys) == 1 and wanted in _BETWEEN.split(keys[0]):
        return "joined with others"
    pieces = [piece.strip() for piece in _BETWEEN.split(wanted)]
    if len(pieces) > 1 and any(piece in keys for piece in pieces):
        return "of several"
    return "nearly there" if nearest(wanted, keys, least=0.75) else ""
