"""What lies on the way from a failure, however the names are: what bears nearly the name, what a file was opened by."""

from __future__ import annotations

import re
import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

import pytest

from jamkey.follow.places import places
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.pipeline import diagnose, read

Project = Callable[[Mapping[str, str | bytes]], Path]


class Way(NamedTuple):
    """A program that fails, and a place that must be on the way: its line, and how it is reached."""

    what: str
    program: str
    file: str
    text: str
    line: int
    how: str


WAYS = [
    Way(
        "a member that is misspelt where it is set",
        "python3",
        "main.py",
        """\
class Hive:
    def __init__(self, kilos):
        self.wieght = kilos

    def add(self, kilo):
        self.weight += kilo


Hive(3).add(1)
""",
        3,
        "nearly",
    ),
    Way(
        "a name that is misspelt where it is set",
        "python3",
        "main.py",
        """\
def most(kilos):
    heaviets = 0
    for kilo in kilos:
        heaviest = max(heaviest, kilo)
    return heaviest


print(most([3]))
""",
        2,
        "nearly",
    ),
    Way(
        "a name that is misspelt where it is set, JavaScript",
        "node",
        "main.js",
        """\
const wieghts = [3, 4];
function most() {
  return Math.max(...weights);
}
console.log(most());
""",
        1,
        "nearly",
    ),
    Way(
        "a name that is misspelt where it is set, R",
        "Rscript",
        "main.R",
        "havrest <- c(3, 4)\nmost <- function() {\n  max(harvest)\n}\nprint(most())\n",
        1,
        "nearly",
    ),
]
_OTHER = {"kilos": "grams", "kilo": "gram", "Hive": "Crib", "most": "peak"}


def _failed(way: Way, folder: Path) -> Jam:
    done = subprocess.run([way.program, way.file], cwd=folder, capture_output=True, text=True, check=False, timeout=60)
    assert done.returncode
    return diagnose(read(done.stderr)[-1], Sources(folder))


@pytest.mark.parametrize("renamed", [False, True], ids=["as written", "renamed"])
@pytest.mark.parametrize("way", WAYS, ids=lambda way: way.what)
def test_a_place_is_on_the_way(way: Way, renamed: bool, project: Project) -> None:
    pattern = r"\b(" + "|".join(_OTHER) + r")\b"
    text = re.sub(pattern, lambda match: _OTHER[match[1]], way.text) if renamed else way.text
    folder = project({way.file: text})
    jam = _failed(way, folder)
    found = places(Scene(jam, Sources(folder)), jam.roots)
    assert way.how in {step for place in found if place.line == way.line for step in (*place.path, *place.ways)}


def test_what_is_opened_elsewhere_is_said_to_be_used(project: Project) -> None:
    folder = project({"log.txt": "3\n", "main.py": 'with open("log.txt") as log:\n    log.write("4")\n'})
    jam = _failed(Way("", "python3", "main.py", "", 0, ""), folder)
    reasons = {root.line: root.reason for root in jam.roots}
    assert reasons[1] == "the file is opened here"
    assert reasons[2] == "the file is used here"


@pytest.mark.parametrize(("answer", "line"), [("", 3), ("  return a\n", 0)])
def test_what_can_end_without_an_answer_is_asked_first(answer: str, line: int, project: Project) -> None:
    text = f"local function area(w, h)\n  local a = w * h\n{answer}end\nlocal t = 0\nlocal r = {{ 2 }}\nt = t + area(r[1], 3)\nprint(t)\n"
    folder = project({"main.lua": text})
    if not line:
        assert subprocess.run(["lua5.4", "main.lua"], cwd=folder, capture_output=True, check=False).returncode == 0
        return
    jam = _failed(Way("", "lua5.4", "main.lua", "", 0, ""), folder)
    assert jam.roots[0].line == line
    assert jam.meaning.startswith("A value on this line is nil")


def test_a_part_that_only_seems_to_be_missing_is_not_said_to_be(project: Project) -> None:
    trace = (
        'Traceback (most recent call last):\n  File "main.py", line 3, in <module>\n    print(max(kilos(3), bees))\n'
        "TypeError: type NoneType doesn't define __round__ method\n"
    )
    folder = project({"main.py": "from hives import kilos, bees\n\nprint(max(kilos(3), bees))\n"})
    jam = diagnose(read(trace)[-1], Sources(folder))
    assert jam.kind == "missing-value"
    assert jam.meaning.startswith("A value on this line is None at this moment")
