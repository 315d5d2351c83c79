"""Records that are mended: built as the others of their file, or with a told word spelt as it is spelt elsewhere."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.follow.odd_rows import built, usual_build
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Key
from jamkey.observe.target import script_target
from jamkey.pipeline import diagnose, read
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import candidates
from jamkey.search.records import record_keys
from jamkey.text import splice
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

#: what -> (data file, its text, what the program failed with, the line that is odd, how it reads mended)
TABLE = {
    "a number in quotes": (
        "hives.json",
        '{\n  "oak": {"kilos": 31.5, "frames": [9, 10]},\n  "lime": {"kilos": "28", "frames": [8, 9]},\n'
        '  "ash": {"kilos": 30, "frames": [10, 11]}\n}\n',
        "TypeError: unsupported operand type(s) for +: 'float' and 'str'",
        3,
        '  "lime": {"kilos": 28, "frames": [8, 9]},',
    ),
    "a value that is not there": (
        "hives.txt",
        "oak 31.5\nlime 28.0\nash\nelm 29.5\n",
        "IndexError: list index out of range",
        3,
        "ash 0",
    ),
    "another sign": (
        "hives.txt",
        "oak: 31.5\nlime: 28.0\nash; 30.0\nelm: 29.5\n",
        "ValueError: not enough values to unpack (expected 2, got 1)",
        3,
        "ash: 30.0",
    ),
    "a sign too many": (
        "hives.txt",
        "oak=31.5\nlime=28.0\nash==30.0\nelm=29.5\n",
        "ValueError: too many values to unpack (expected 2)",
        3,
        "ash=30.0",
    ),
    "a told word": (
        "hives.ini",
        "[queens]\n; green, yellow, white\noak = green\nlime = yelow\n",
        "ValueError: unknown colour 'yelow'",
        4,
        "lime = yellow",
    ),
    "a told word in another case": (
        "hives.ini",
        "[log]\n; debug, warning, error\nlevel = wraning\n",
        "ValueError: Unknown level: 'WRANING'",
        3,
        "level = warning",
    ),
}
PROGRAM = "import sys\n\n\ndef load(path):\n    return open(path).read()\n\n\nprint(load({0!r}) + None)\n"


def keys(name: str, text: str, said: str) -> tuple[Sources, list[Key]]:
    printed = f'Traceback (most recent call last):\n  File "report.py", line 8, in <module>\n    print(load({name!r}) + None)\n{said}\n'
    sources = Sources(texts={"report.py": PROGRAM.format(name), name: text})
    return sources, list(record_keys(Scene(diagnose(read(printed)[-1], sources), sources)))


@pytest.mark.parametrize("what", TABLE)
def test_an_odd_record_is_mended(what: str) -> None:
    name, text, said, line, mended = TABLE[what]
    _, found = keys(name, text, said)
    rows = [splice(text, key.edits).split("\n") for key in found]
    assert mended in [other[line - 1] for other in rows]
    for other in rows:
        assert [row for row in zip(other, text.split("\n"), strict=True) if row[0] != row[1]], "something changes"
        assert sum(one != two for one, two in zip(other, text.split("\n"), strict=True)) == 1, "and one record alone"


@pytest.mark.parametrize("what", TABLE)
def test_what_is_said_of_it_is_true(what: str) -> None:
    name, text, said, line, _ = TABLE[what]
    for key in keys(name, text, said)[1]:
        new = key.edits[0].new_text
        if "stands elsewhere" in key.reason:
            told, elsewhere = re.findall("`([^`]+)`", key.reason)
            assert told.casefold() in said.casefold()
            assert elsewhere in text.replace(text.split("\n")[line - 1], "")
        else:
            assert key.reason.startswith("most records of the file are built so")
            invented = sorted(new) != sorted(new.replace("0", "", 1)) and new.count("0") > text.split("\n")[line - 1].count("0")
            assert ("nowhere told" in key.reason) == invented


@pytest.mark.parametrize("what", [what for what in TABLE if "told" not in what])
def test_what_is_mended_is_built_as_the_others(what: str) -> None:
    name, text, said, line, _ = TABLE[what]
    usual = usual_build(text.split("\n"))
    assert usual is not None
    assert built(text.split("\n")[line - 1]) != usual
    for key in keys(name, text, said)[1]:
        assert built(key.edits[0].new_text) == usual


def test_records_that_agree_are_left_alone() -> None:
    for name, text in (("hives.json", '{"oak": 1,\n "lime": 2,\n "ash": 3}\n'), ("hives.txt", "oak 1\nlime 2\nash 3\n")):
        assert not keys(name, text, "ValueError: no weight")[1]


def test_the_search_tries_it(project: Project) -> None:
    name, text, _, line, mended = TABLE["a number in quotes"]
    program = (
        "import json\n\nwith open('hives.json') as file:\n    hives = json.load(file)\ntotal = 0\n"
        "for hive in hives.values():\n    total += hive['kilos']\nprint(total)\n"
    )
    folder = project({"report.py": program, name: text})
    target = script_target(str(folder / "report.py"), [])
    jam = main_jam(run_captured(target, folder))
    assert jam is not None
    sources = Sources(folder)
    tried = [item for item in candidates(Scene(jam, sources), seconds=30.0) if name in item.texts]
    assert mended in [item.texts[name].split("\n")[line - 1] for item in tried]
    assert any((root.file, root.line) == (name, line) for root in jam.roots), "it is a root as well"


def test_fix_writes_it_back(project: Project) -> None:
    """The program takes no number out of a text: only the record can be mended, or the failing work left out."""
    text = "oak = 31.5\nlime = 28.0\nash ; 30.0\n"
    program = "for row in open('hives.txt'):\n    hive, kilos = row.split('=')\n    print(hive, kilos.strip())\n"
    folder = project({"report.py": program, "hives.txt": text})
    jamkey("fix", "--preview", "--save", "out.json", "report.py", cwd=folder, env={"JAMKEY_PATIENCE": "20"})
    [jam] = parse((folder / "out.json").read_bytes()).jams
    edits = [edit for key in jam.keys if key.trial.outcome == "runs" for edit in key.edits if edit.file == "hives.txt"]
    assert "ash = 30.0" in [edit.new_text for edit in edits]
    assert (folder / "hives.txt").read_text() == text, "a preview changes nothing"
