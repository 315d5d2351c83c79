"""A text whose grammar is whole and that Python's compiler refuses: no slip of a sign is claimed, and the search mends it."""

from __future__ import annotations

import ast
import json
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.languages.python import LANGUAGE as PYTHON
from jamkey.repair.judges import is_refused_whole
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

LATE = "kilos = 0\n\n\ndef weigh():\n    kilos += 31\n    global kilos\n\n\nweigh()\nprint(kilos)\n"
#: What Python's compiler refuses, and its parser does not.
REFUSED = {
    "declared late": LATE,
    "a parameter twice": "def mean(oak, oak):\n    return oak\n\n\nprint(mean(1, 2))\n",
    "return of no function": "total = 3\nprint(total)\nreturn total\n",
    "no outer function": "def weigh():\n    nonlocal kilos\n    return kilos\n\n\nprint(weigh())\n",
    "break of no loop": "total = 3\nif total > 2:\n    break\nprint(total)\n",
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_is_said_of_it(name: str, project: Project) -> None:
    text = REFUSED[name]
    ast.parse(text)
    assert is_refused_whole(text, PYTHON)
    folder = project({"hives.py": text})
    jamkey("run", "--no-keep", "--save", "out.json", "hives.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert jam["meaning"] == "Nothing has run: the compiler can read the text, and does not take what this line says."
    assert jam["phase"] == "compile"


def test_a_declaration_comes_before_what_it_declares(project: Project) -> None:
    folder = project({"hives.py": LATE})
    done = jamkey("fix", "--yes", "--no-keep", "hives.py", cwd=folder)
    assert done.status == 0, done.err
    assert (folder / "hives.py").read_text(encoding="utf-8") == LATE.replace(
        "    kilos += 31\n    global kilos\n", "    global kilos\n    kilos += 31\n"
    )
    assert jamkey("run", "hives.py", cwd=folder).out == "31\n"


@pytest.mark.parametrize("text", ["print(1)\n", "print(1\n", "", "a = 1 2\n"])
def test_others_are_not(text: str) -> None:
    assert not is_refused_whole(text, PYTHON)


def test_what_only_an_older_python_refuses_is_not_known_to_be_whole() -> None:
    newer = "match 3:\n    case 3:\n        print(3)\n"
    assert not is_refused_whole(newer, PYTHON)
    assert not is_refused_whole(newer, PYTHON, version="3.8.1")
