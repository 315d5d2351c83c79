"""Where a bad value was first held: watched while the program runs, told with the time, true of the run."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Root
from jamkey.search.first_seen import first_seen
from tests.conftest import jamkey
from tests.test_survey import looked_at

Project = Callable[..., Path]
pytestmark = pytest.mark.skipif(not hasattr(os, "fork"), reason="quick trials are forks")

WEIGHTS = r"""
import re


def weight(line):
    found = re.search(r"(\d+\.\d+) kg", line)
    if found:
        return float(found.group(1))


def read(lines):
    return [weight(line) for line in lines]


kilos = read(["oak 31.5 kg", "linden 28.5 kg", "ash 30 kg", "elm 29.0 kg"])
total = 0
for kilo in kilos:
    total += kilo
print(total)
""".lstrip("\n")


def watched(project: Project, program: str, **files: str) -> Root | None:
    scene, looked = looked_at(project({"report.py": program, **files}))
    return first_seen(scene, looked)


def test_the_time_is_told(project: Project) -> None:
    found = watched(project, WEIGHTS)
    assert found is not None and (found.file, found.line, found.known) == ("report.py", 5, "watched")
    assert found.reason == (
        '`re.search(r"(\\d+\\.\\d+) kg", line)` gave None here, for the first time when it ran the 3rd time of 4'
    )


@pytest.mark.parametrize(
    ("program", "line", "words"),
    [
        (
            "hives = {'oak': 31}\n\n\ndef kilos(name):\n    return hives.get(name)\n\n\nfound = kilos('linden')\nprint(found + 1)\n",
            5,
            "`hives.get(name)` gave None here, the only time that it ran",
        ),
        (
            "rows = [3, 4, '5', 6]\n\n\ndef half(row):\n    value = row['n']\n    return value / 2\n\n\n"
            "for row in [{'n': item} for item in rows]:\n    print(half(row))\n",
            5,
            "`row['n']` gave a value of the type str here, for the first time when it ran the 3rd time of 3",
        ),
        (
            "class Hive:\n    def __init__(self, queen=None):\n        self.queen = queen\n\n\n"
            "def age(hive):\n    queen = hive.queen\n    return queen + 1\n\n\nprint(age(Hive(2)), age(Hive()))\n",
            7,
            "`hive.queen` gave None here, for the first time when it ran the 2nd time of 2",
        ),
    ],
    ids=["a look-up", "one record of another type", "a member"],
)
def test_what_gave_it(project: Project, program: str, line: int, words: str) -> None:
    found = watched(project, program)
    assert found is not None and (found.line, found.reason) == (line, words)


@pytest.mark.parametrize(
    "program",
    [
        "values = ['3', '4']\ntotal = 0\nfor value in values:\n    total += value\n",
        "def share(part, whole):\n    return part / whole\n\n\nprint(share(3, 0))\n",
        "rows = []\nprint(rows.sort())\nprint(rows[0])\n",
    ],
    ids=["always of that type", "of no bad type", "what nobody takes"],
)
def test_where_nothing_is_told_nothing_is_said(project: Project, program: str) -> None:
    assert watched(project, program) is None


@pytest.mark.parametrize(("old", "new"), [("weight", "heavy"), ("kilo", "mass"), ("found", "match"), ("lines", "rows")])
def test_names_do_not_matter(project: Project, old: str, new: str) -> None:
    found = watched(project, WEIGHTS.replace(old, new))
    assert found is not None and found.line == 5 and "3rd time of 4" in found.reason


def test_lines_above_move_it(project: Project) -> None:
    found = watched(project, "# a note\n\n" + WEIGHTS)
    assert found is not None and found.line == 7


def test_fix_says_how_a_root_is_known(project: Project, tmp_path: Path) -> None:
    folder, saved = project({"report.py": WEIGHTS}), tmp_path / "jam.json"
    jamkey("fix", "--preview", "--save", str(saved), "report.py", cwd=folder)
    told = json.loads(saved.read_text(encoding="utf-8"))
    roots = {root["line"]: root["known"] for root in told["jams"][0]["roots"]}
    assert roots[5] == "watched"
    assert set(roots.values()) <= {"watched", "followed", "search", "data"}


def test_a_plain_run_says_followed(project: Project, tmp_path: Path) -> None:
    folder, saved = project({"report.py": WEIGHTS}), tmp_path / "jam.json"
    jamkey("run", "--save", str(saved), "report.py", cwd=folder)
    told = json.loads(saved.read_text(encoding="utf-8"))
    assert {root["known"] for root in told["jams"][0]["roots"]} == {"followed"}


def test_a_mistake_of_grammar_is_known_from_the_text(project: Project, tmp_path: Path) -> None:
    folder, saved = project({"report.py": "print((1, 2)\n"}), tmp_path / "jam.json"
    jamkey("run", "--save", str(saved), "report.py", cwd=folder)
    told = json.loads(saved.read_text(encoding="utf-8"))
    assert {root["known"] for root in told["jams"][0]["roots"]} == {"text"}


def test_run_again_tells_it_too(project: Project) -> None:
    root = project({"report.py": WEIGHTS})
    jamkey("run", "--save", "out.json", "--again", "report.py", cwd=root)
    [jam] = json.loads((root / "out.json").read_text())["jams"]
    first = jam["roots"][0]
    assert (first["file"], first["line"], first["known"]) == ("report.py", 5, "watched")
    assert first["reason"].endswith("for the first time when it ran the 3rd time of 4")
    assert [step["what"] for step in first["steps"]], "the way from there to the failing line stays"


def test_run_again_reads_what_was_typed(project: Project) -> None:
    program = "def hive(name):\n    return {'oak': 3}.get(name)\n\n\nprint(hive(input()) + 1)\n"
    root = project({"report.py": program})
    done = jamkey("run", "--save", "out.json", "--again", "report.py", cwd=root, stdin="linden\n")
    [jam] = json.loads((root / "out.json").read_text())["jams"]
    assert any(item["known"] == "watched" and item["line"] == 2 for item in jam["roots"]), done.err
