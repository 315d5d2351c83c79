"""What the captured values, and the files that are read, say of the places on the way: from real runs, under any names."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import pytest

from jamkey.follow import likely
from jamkey.follow.likely import rated
from jamkey.follow.met import sort_met
from jamkey.follow.scene import Scene
from jamkey.model import Root, Value
from jamkey.observe.target import command_target
from jamkey.runs.fix_loop import main_jam, run_captured

Project = Callable[[Mapping[str, str | bytes]], Path]


def _said(folder: Path, command: tuple[str, ...] = ("python3", "main.py")) -> dict[tuple[str, int], tuple[str, ...]]:
    """Return what is said of each place when a program is run, as its roots are told apart by it."""
    found: list[likely.Rated] = []

    def noted(scene: Scene, roots: Sequence[Root]) -> list[likely.Rated]:
        found[:] = rated(scene, roots)
        return found

    target = command_target([*command[:-1], str(folder / command[-1])])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(likely, "rated", noted)
        assert main_jam(run_captured(target, folder, stdin=b"", limit=30.0)) is not None
    return {(item.file, item.line): item.features for item in found}


FILTERED = """\
def is_light(kilo):
    return kilo < 0


hives = [3.5, 4.0]
light = [kilo for kilo in hives if is_light(kilo)]
print(sum(light) / len(light))
"""
NAMES = {"hives": "barrels", "light": "thin", "is_light": "is_thin", "kilo": "litre"}


@pytest.mark.parametrize("renamed", [False, True])
def test_where_a_value_turns_empty_is_seen_and_what_stands_behind(renamed: bool, project: Project) -> None:
    text = FILTERED
    for old, new in NAMES.items() if renamed else ():
        text = text.replace(old, new)
    said = _said(project({"main.py": text}))
    assert "turns empty" in said["main.py", 6]
    assert "behind what turns given" in said["main.py", 2]
    assert "sets good" in said["main.py", 5]
    assert not any(word.startswith("turns") for word in said["main.py", 5])


def test_what_is_empty_from_the_beginning_turns_nowhere(project: Project) -> None:
    said = _said(project({"main.py": "hives = []\nprint(1 / len(hives))\n"}))
    assert "sets empty" in said["main.py", 1]
    assert not any(word.startswith("turns") for words in said.values() for word in words)


def test_a_record_within_others_that_lacks_what_is_asked_for_is_odd(project: Project) -> None:
    rows = ['{"at": {"town": "oak"}}', '{"at": {"twon": "elm"}}', '{"at": {"town": "ash"}}', '{"at": {"town": "box"}}']
    text = "import json\nfor hive in json.load(open('hives.json')):\n    print(hive['at']['town'])\n"
    said = _said(project({"main.py": text, "hives.json": "[\n" + ",\n".join(rows) + "\n]\n"}))
    assert "odd row" in said["hives.json", 3]
    assert ("hives.json", 2) not in said


@pytest.mark.parametrize(
    ("value", "sort"),
    [
        (Value(name="x", type="NoneType", text="None"), "nothing"),
        (Value(name="x", type="list", text="[]", length=0), "empty"),
        (Value(name="x", type="pandas.DataFrame", text="", shape=(0, 4)), "empty"),
        (Value(name="x", type="bytes", text="b'oak'", length=3), "bytes"),
        (Value(name="x", type="str", text="'12,5'", length=4), "written number"),
        (Value(name="x", type="str", text="'oak'", length=3), "text"),
        (Value(name="x", type="float", text="nan"), "gap"),
        (Value(name="x", type="int", text="0"), "zero"),
        (Value(name="x", type="int", text="10"), "number"),
        (Value(name="x", type="numpy.ndarray", text="", shape=(3,), dtype="<U4"), "objects"),
        (Value(name="x", type="numpy.ndarray", text="", shape=(3,), dtype="float64"), "numbers"),
        (Value(name="x", type="coroutine", text="<coroutine object>"), "coming"),
        (Value(name="x", type="Hive", text="Hive()"), "object"),
    ],
)
def test_what_a_value_is_to_those_who_work_with_it(value: Value, sort: str) -> None:
    assert sort_met(value) == sort
