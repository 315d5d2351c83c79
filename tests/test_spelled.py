"""What is asked for by a name that is no expression is spelled as it is called: arguments, modules, files of one's own."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.observe.target import command_target
from jamkey.runs.fix_loop import main_jam, run_captured, tried
from jamkey.settings import Settings
from jamkey.text import splice
from tests.conftest import slowness

R_LABEL = 'label <- function(hive, kilos) paste(hive, kilos)\nprint(label(hive = "oak", {0} = 3))\n'
#: name -> (command, files, file that is to be changed, as it is, as it should be)
SLIPS = {
    "Python, an argument": (
        ["python3", "a.py"],
        {},
        ("a.py", "def chart(width, height=2):\n    return width * height\n\nprint(chart({0}=4))\n"),
        ("widht", "width"),
    ),
    "Python, an argument of a class": (
        ["python3", "a.py"],
        {},
        (
            "a.py",
            "class Hive:\n    def __init__(self, frames, kilos=31):\n        self.kilos = frames * kilos\n\n"
            "print(Hive({0}=2).kilos)\n",
        ),
        ("framse", "frames"),
    ),
    "Python, a module": (
        ["python3", "a.py"],
        {},
        ("a.py", "import {0}\n\nprint({0}.mean([1, 2, 6]))\n"),
        ("statistcs", "statistics"),
    ),
    "Python, of a module": (["python3", "a.py"], {}, ("a.py", "from math import {0}\n\nprint({0}(9))\n"), ("sqroot", "sqrt")),
    "Python, a module of one's own": (
        ["python3", "a.py"],
        {"weights.py": "OAK = 31\n"},
        ("a.py", "import {0}\n\nprint({0}.OAK)\n"),
        ("wieghts", "weights"),
    ),
    "JavaScript, a file": (
        ["node", "a.js"],
        {"gauge.js": "module.exports = {{ top: (a) => Math.max(...a) }};\n"},
        ("a.js", "const {{ top }} = require('{0}');\nconsole.log(top([1, 3]));\n"),
        ("./gague", "./gauge"),
    ),
    "R, an argument": (["Rscript", "a.R"], {}, ("a.R", R_LABEL), ("kilso", "kilos")),
}


@pytest.mark.parametrize("given", SLIPS.values(), ids=SLIPS.keys())
def test_the_first_key_is_what_there_is(
    given: tuple[list[str], dict[str, str], tuple[str, str], tuple[str, str]], project: Callable[..., Path]
) -> None:
    command, more, (file, text), (wrong, right) = given
    folder = project({file: text.format(wrong), **{name: other.format() for name, other in more.items()}})
    outcome = run_captured(command_target(command), folder)
    jam = main_jam(outcome)
    assert jam is not None, outcome.ended.stderr.decode()
    searched = tried(outcome, command_target(command), jam, settings=Settings(patience=10.0 * slowness()))
    assert searched.keys, jam
    made = splice(text.format(wrong), [edit for edit in searched.keys[0].edits if edit.file == file])
    assert made == text.format(right), [key.title for key in searched.keys]
