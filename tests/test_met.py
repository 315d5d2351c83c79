"""What the captured values, and the files that are read, say of the places on the way: from real runs, under any names."""

from __future__ import annotations

import os
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


#: what -> (the mapping, the key asked for, how it stands to those that are there)
KEYS = {
    "blanks": ('{"oak ": 3}', '"oak"', "but for blanks"),
    "a mark": ('{"\\ufeffoak": 3}', '"oak"', "but for a mark"),
    "capitals": ('{"Oak": 3}', '"oak"', "but for capitals"),
    "a number as text": ('{"7": 3}', "7", "of another type"),
    "several in one": ('{"oak": 3, "elm": 4}', '"oak;elm"', "of several"),
    "one of joined names": ('{"oak;elm": 3}', '"oak"', "joined with others"),
    "nothing there": ("{}", '"oak"', "into nothing"),
    "nearly": ('{"linden": 3}', '"lindne"', "nearly there"),
    "something else": ('{"elm": 3}', '"willow"', "other"),
}


@pytest.mark.parametrize("what", KEYS)
def test_a_key_that_is_asked_for_in_vain_is_held_against_the_others(what: str, project: Project) -> None:
    mapping, key, how = KEYS[what]
    said = _said(project({"main.py": f"kilos = {mapping}\nwanted = {key}\nprint(kilos[wanted])\n"}))
    assert f"key {how} snag" in said["main.py", 3]
    assert f"key {how} set" in said["main.py", 1]


def test_a_number_that_is_written_as_text_is_told_of_the_way(project: Project) -> None:
    said = _said(project({"main.py": 'kilos = "12"\nhives = 4\nprint(hives - kilos)\n'}))
    assert "met written number snag" in said["main.py", 3]
    assert {"sets written number", "met written number set"} <= set(said["main.py", 1])
    assert "sets good" in said["main.py", 2]


READS = """\
import csv

with open("kilos.csv") as made:
    rows = list(csv.reader(made, delimiter=";"))
print(sum(float(row[1]) for row in rows))
"""
#: data -> what is said of the line that opens it
FILES = {
    "oak;3\nelm;4\nash;x\n": "reads alone word",
    "oak;3,5\nelm;4,0\nash;2,5\n": "reads numbers written otherwise",
    "oak;3\nelm;4\nash;2O\n": "reads alone damaged",
}


@pytest.mark.parametrize("text", FILES)
def test_what_is_read_is_told_of_the_line_that_opens_it(text: str, project: Project) -> None:
    said = _said(project({"main.py": READS, "kilos.csv": text}))
    assert FILES[text] in said["main.py", 3]
    if FILES[text] == "reads alone damaged":
        assert "odd row alone damaged" in said["kilos.csv", 3]


def test_a_record_within_others_that_lacks_what_is_asked_for_is_odd(project: Project) -> None:
    rows = ['{"at": {"town": "oak"}}', '{"at": {"twon": "elm"}}', '{"at": {"town": "ash"}}', '{"at": {"town": "box"}}']
    text = "import json\nfor hive in json.load(open('hives.json')):\n    print(hive['at']['town'])\n"
    said = _said(project({"main.py": text, "hives.json": "[\n" + ",\n".join(rows) + "\n]\n"}))
    assert "odd row keys lacking told" in said["hives.json", 3]
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


@pytest.mark.skipif(os.name == "nt", reason="Node's frames are asked where it can be stopped")
def test_the_values_of_another_runtime_speak_too(project: Project) -> None:
    text = 'const kilos = { "oak ": { all: 3 } };\nconst wanted = "oak";\nconsole.log(kilos[wanted].all);\n'
    said = _said(project({"main.js": text}), ("node", "main.js"))
    assert ("main.js", 1) in said
    assert ("main.js", 3) in said
