"""Keys that must not come: what a careful colleague would never propose, whatever the failure."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.api import run
from jamkey.follow.sources import Sources
from jamkey.model import Jam, Key
from jamkey.pipeline import read_and_diagnose
from jamkey.runs.fix_loop import best_key
from jamkey.text import splice
from tests.expected import cases, last_jam

Project = Callable[[Mapping[str, str | bytes]], Path]


def failed(folder: Path, script: str = "a.py") -> Jam:
    outcome = run(folder / script, cwd=folder, limit=20)
    assert outcome.jams
    return outcome.jams[-1]


def after(folder: Path, key: Key) -> str:
    """Return the changed files' texts with a key."""
    made = ""
    for file in {edit.file for edit in key.edits}:
        made += splice((folder / file).read_text(encoding="utf-8"), [edit for edit in key.edits if edit.file == file])
    return made


#: Program -> the line that no key may take out or hide.
CHECKS = {
    "def weigh(kilos):\n    if kilos < 0:\n        raise ValueError(f'negative: {kilos}')\n    return kilos\n\n\nprint(weigh(-3))\n": "raise ValueError",
    "kilos = -3\nassert kilos >= 0, 'negative'\nprint(kilos)\n": "assert kilos >= 0",
    "import sys\nkilos = -3\nif kilos < 0:\n    sys.exit('negative weight')\nprint(kilos)\n": "sys.exit(",
    "class Hive:\n    def weigh(self):\n        raise NotImplementedError\n\n\nHive().weigh()\n": "raise NotImplementedError",
    "hives = {'oak': 3}\n\n\ndef find(name):\n    if name not in hives:\n        raise KeyError(name)\n    return hives[name]\n\n\nfind('elm')\n": "raise KeyError",
}


@pytest.mark.parametrize("program", CHECKS)
def test_the_programs_own_check_stays(program: str, project: Project) -> None:
    folder = project({"a.py": program})
    for key in failed(folder).keys:
        if key.edits:
            assert CHECKS[program] in after(folder, key), key.title


BROKEN = {
    "missing": "hives = {'oak': None}\nprint(hives['oak'].upper())\n",
    "division": "rows = []\nprint(sum(rows) / len(rows))\n",
    "text": "kilos = input if False else '3'\nprint(kilos + 1)\n",
    "name": "total = 3\nprint(totl)\n",
    "index": "rows = [1, 2]\nfor i in range(len(rows) + 1):\n    print(rows[i])\n",
    "key": "row = {'kilos': 3}\nprint(row['kilo'])\n",
    "file": "print(open('hives.csv').read())\n",
    "call": "def gain(a, b):\n    return b - a\n\n\nprint(gain(1))\n",
    "member": "rows = [1]\nrows.push(2)\n",
    "import": "import nmpy\n",
}


@pytest.mark.parametrize("name", BROKEN)
def test_no_key_swallows_the_failure(name: str, project: Project) -> None:
    folder = project({"a.py": BROKEN[name], "hive.csv": "oak,3\n"})
    jam = failed(folder)
    for key in jam.keys:
        text = after(folder, key) if key.edits else ""
        assert "except:" not in text and "pass\n" not in text, key.title
        assert "sys.exit" not in text and "quit()" not in text, key.title
        assert "print(" in text or not key.edits or "print(" not in BROKEN[name], key.title


@pytest.mark.parametrize("name", BROKEN)
def test_a_key_that_leaves_work_out_is_never_first_while_another_does(name: str, project: Project) -> None:
    folder = project({"a.py": BROKEN[name], "hive.csv": "oak,3\n"})
    jam = failed(folder)
    kinds = [key.skips_work for key in jam.keys if key.edits]
    assert not kinds or not kinds[0] or all(kinds)
    chosen = best_key(jam)
    assert chosen is None  # nothing was tried, so nothing may be applied unasked


def test_nothing_outside_the_project_is_edited(project: Project, tmp_path: Path) -> None:
    library = tmp_path / "elsewhere"
    library.mkdir()
    (library / "hivelib.py").write_text("def weigh(hive):\n    return hive['kilo']\n", encoding="utf-8")
    folder = project(
        {"a.py": f"import sys\nsys.path.insert(0, {str(library)!r})\nimport hivelib\nprint(hivelib.weigh({{'kilos': 3}}))\n"}
    )
    jam = failed(folder)
    for key in jam.keys:
        for edit in key.edits:
            assert not os.path.isabs(edit.file) and ".." not in Path(edit.file).parts


def test_no_installed_package_is_edited(project: Project) -> None:
    folder = project({"a.py": "import statistics\nprint(statistics.mean([]))\n"})
    jam = failed(folder)
    assert {edit.file for key in jam.keys for edit in key.edits} <= {"a.py"}
    assert jam.snag_frame is not None and jam.snag_frame.file == "a.py"


@pytest.mark.parametrize(
    "program",
    [
        "print(3)\n",
        "import warnings\nwarnings.warn('old')\nprint(1)\n",
        "try:\n    1 / 0\nexcept ZeroDivisionError as e:\n    print(e)\n",
    ],
)
def test_a_healthy_program_has_no_failure(program: str, project: Project) -> None:
    folder = project({"a.py": program})
    outcome = run(folder / "a.py", cwd=folder)
    assert (outcome.status, outcome.jams) == (0, [])


def test_a_trace_of_a_file_that_is_not_here_has_no_edit(tmp_path: Path) -> None:
    text = "Traceback (most recent call last):\n  File \"/far/away/hive.py\", line 3, in <module>\n    print(totl)\nNameError: name 'totl' is not defined\n"
    (jam,) = read_and_diagnose(text, root=tmp_path)
    assert not [key for key in jam.keys if key.edits]
    assert jam.snag_frame is not None and jam.snag_frame.line == 3


@pytest.mark.parametrize("case", cases()[::2], ids=lambda case: f"{case.parent.name}/{case.name}")
def test_edits_lie_within_their_files(case: Path) -> None:
    jam = last_jam(case)
    sources = Sources(case / "src")
    for key in jam.keys:
        for edit in key.edits:
            text = sources.text(edit.file, edit.cell)
            assert text is not None, edit.file
            rows = text.split("\n")
            assert 1 <= edit.line <= edit.end_line <= len(rows) + 1
            assert (edit.line, edit.column) <= (edit.end_line, edit.end_column)
            assert edit.line > len(rows) or edit.column <= len(rows[edit.line - 1]) + 1
