"""Turns that change several like parts at once, operators beside brackets, defaults like their siblings; run by real runtimes.

Each program fails, the row that mends it is among what is tried, and mends it; so it is with other names, and further down.
"""

from __future__ import annotations

import re
import shutil
import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.languages.base import Part
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import candidates
from jamkey.turns.base import around_sign, offset_in
from jamkey.turns.meanings import meaning_of, plain_meaning

Project = Callable[[Mapping[str, str | bytes]], Path]
PYTHON, NODE, LUA, R, OCTAVE = ("python3",), ("node",), ("lua5.4",), ("Rscript",), ("octave-cli", "-q")


class Slip(NamedTuple):
    """A program that fails, how it is run, and the row that mends it."""

    what: str
    file: str
    command: tuple[str, ...]
    text: str
    row: int
    mended: str


SLIPS = [
    Slip(
        "two texts of one product",
        "main.py",
        PYTHON,
        "def minutes(text):\n    hours, rest = text.split(':')\n    return hours * 60 + rest\n\n\nprint(minutes('1:20') + 1)\n",
        3,
        "    return int(hours) * 60 + int(rest)",
    ),
    Slip(
        "two lengths that are no calls",
        "main.js",
        NODE,
        "function longer(hive, other) {\n  return hive.length() > other.length() ? hive : other;\n}\n"
        'console.log(longer("oak", "elm"));\n',
        2,
        "  return hive.length > other.length ? hive : other;",
    ),
    Slip(
        "two members that may be missing",
        "main.lua",
        LUA,
        'local hives = { { name = "oak", kilos = 3 }, { name = "elm" } }\n'
        "table.sort(hives, function(a, b) return a.kilos < b.kilos end)\nprint(hives[1].name)\n",
        2,
        "table.sort(hives, function(a, b) return (a.kilos or 0) < (b.kilos or 0) end)",
    ),
    Slip(
        "two keys that are numbers",
        "main.py",
        PYTHON,
        'kilos = {2022: 3, 2023: 5}\nprint(kilos["2023"] - kilos["2022"])\n',
        2,
        "print(kilos[2023] - kilos[2022])",
    ),
    Slip(
        "a division beside brackets",
        "main.py",
        PYTHON,
        "def middle(kilos):\n    return sorted(kilos)[(len(kilos) - 1) / 2]\n\n\nprint(middle([3, 9, 4]))\n",
        2,
        "    return sorted(kilos)[(len(kilos) - 1) // 2]",
    ),
    Slip(
        "the second bound of a chain",
        "main.py",
        PYTHON,
        "kilos = [3, 9, 4]\nfor day in (0, 2, 3):\n    if 0 <= day <= len(kilos):\n        print(kilos[day])\n",
        3,
        "    if 0 <= day < len(kilos):",
    ),
    Slip(
        "the end of a loop by a length",
        "main.lua",
        LUA,
        "local kilos = { 3, 9, 4 }\nfor day = 1, #kilos do\n  print(kilos[day + 1] - kilos[day])\nend\n",
        2,
        "for day = 1, #kilos - 1 do",
    ),
    Slip(
        "one value for two parameters, Lua",
        "main.lua",
        LUA,
        "local function area(wide, long)\n  return wide * long\nend\nlocal box = { 4, 5 }\nprint(area(box))\n",
        5,
        "print(area(box[1], box[2]))",
    ),
    Slip(
        "one value for two parameters, R",
        "main.R",
        R,
        "area <- function(wide, long) wide * long\nbox <- c(4, 5)\nprint(area(box))\n",
        3,
        "print(area(box[1], box[2]))",
    ),
    Slip(
        "one value for two parameters, Octave",
        "main.m",
        OCTAVE,
        "1;\nfunction a = area (wide, long)\n  a = wide * long;\nend\nbox = [4 5];\ndisp (area (box));\n",
        6,
        "disp (area (box(1), box(2)));",
    ),
    Slip(
        "a comparison with a gap",
        "main.R",
        R,
        "kilos <- c(3, NA, 9)\nfor (day in 1:3) {\n  if (kilos[day] > 4) {\n    cat(day, kilos[day])\n  }\n}\n",
        3,
        "  if (!is.na(kilos[day]) && kilos[day] > 4) {",
    ),
    Slip(
        "an item of a cell that is a text",
        "main.m",
        OCTAVE,
        'kilos = strsplit ("4;7", ";");\ntotal = zeros (1, 1);\nfor day = 1:2\n  total(1) = kilos{day} * [2; 3];\nend\n'
        "disp (total);\n",
        4,
        "  total(1) = str2double(kilos{day}) * [2; 3];",
    ),
    Slip(
        "the parent's part of an object",
        "main.py",
        PYTHON,
        "class Hive:\n    def __init__(self, kilos):\n        self.kilos = kilos\n\n\nclass Swarm(Hive):\n"
        "    def __init__(self, kilos, bees):\n        self.bees = bees\n\n\nprint(Swarm(3, 4).kilos)\n",
        8,
        "        super().__init__(kilos)\n        self.bees = bees",
    ),
    Slip(
        "a method of another name than is asked for",
        "main.py",
        PYTHON,
        "from abc import ABC, abstractmethod\n\n\nclass Hive(ABC):\n    @abstractmethod\n    def kilos(self):\n"
        '        """Its honey."""\n\n\nclass Oak(Hive):\n    def kilo(self):\n        return 3\n\n\nprint(Oak().kilos())\n',
        11,
        "    def kilos(self):",
    ),
]
#: Names of the programs -> others.
_OTHER = {"kilos": "grams", "kilo": "gram", "hive": "crib", "hives": "cribs", "hours": "whole", "rest": "part", "box": "lid"}
#: What can stand above: a comment of each.
_COMMENT = {".py": "#", ".js": "//", ".lua": "--", ".R": "#", ".m": "%"}


def _ran(slip: Slip, folder: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run([*slip.command, slip.file], cwd=folder, capture_output=True, text=True, check=False, timeout=60)


@pytest.mark.spread(6)
@pytest.mark.parametrize("changed", ["as written", "renamed", "further down"])
@pytest.mark.parametrize("slip", SLIPS, ids=lambda slip: slip.what)
def test_the_mending_edit_is_tried(slip: Slip, changed: str, project: Project) -> None:
    above = f"{_COMMENT[Path(slip.file).suffix]} The apiary's own.\n" * 3 if changed == "further down" else ""

    def made(text: str) -> str:
        pattern = r"\b(" + "|".join(_OTHER) + r")\b"
        return re.sub(pattern, lambda match: _OTHER[match[1]], text) if changed == "renamed" else text

    folder = project({slip.file: above + made(slip.text)})
    failed = _ran(slip, folder)
    assert failed.returncode
    sources = Sources(folder)
    jam = diagnose(read(failed.stderr)[-1], sources)
    found = candidates(Scene(jam, sources), seconds=60.0)
    rows = made(slip.text).split("\n")
    rows[slip.row - 1] = made(slip.mended)
    assert above + "\n".join(rows) in [item.texts.get(slip.file) for item in found]


@pytest.mark.skipif(not shutil.which("Rscript"), reason="R is not here")
def test_a_function_of_a_sourced_file_is_known(project: Project) -> None:
    folder = project(
        {
            "main.R": 'source("helper.R")\nprint(sumarise(c(3, 9)))\n',
            "helper.R": "summarise <- function(x) c(mean(x), max(x))\n",
        }
    )
    failed = subprocess.run(["Rscript", "main.R"], cwd=folder, capture_output=True, text=True, check=False)
    sources = Sources(folder)
    scene = Scene(diagnose(read(failed.stderr)[-1], sources), sources)
    assert [file for file, _ in scene.own_codes()] == ["main.R", "helper.R"]
    found = candidates(scene, seconds=60.0)
    assert 'source("helper.R")\nprint(summarise(c(3, 9)))\n' in [item.texts.get("main.R") for item in found[:5]]


@pytest.mark.parametrize(
    ("values", "right", "wrong"),
    [("['oak']", "[]", "set()"), ("{'oak': 3}", "{}", "[]"), ("'oak'", '""', "0"), ("4", "0", '""')],
)
def test_a_default_is_like_the_other_values(values: str, right: str, wrong: str, project: Project) -> None:
    text = f"ways = {{'gate': {values}}}\nfor place in ('gate', 'pond'):\n    print(ways[place])\n"
    folder = project({"main.py": text})
    from jamkey.observe.target import command_target
    from jamkey.runs.fix_loop import main_jam, run_captured

    jam = main_jam(run_captured(command_target(["python3", str(folder / "main.py")]), folder, stdin=b"", limit=30.0))
    assert jam is not None
    found = [item.texts.get("main.py") or "" for item in candidates(Scene(jam, Sources(folder)), seconds=60.0)]
    assert any(f"ways.get(place, {right})" in made for made in found)
    assert not any(f"ways.get(place, {wrong})" in made for made in found)


def _binary(file: str, text: str) -> Part:
    language = language_of(file, "")
    assert language is not None
    statement = language.code(text).statement(1)
    assert statement is not None
    return next(
        part
        for top in statement.parts
        for part in top.walk()
        if part.sort in ("binary", "compare") and part.source.strip() in text
    )


@pytest.mark.parametrize("file", ["a.py", "a.js", "a.lua", "a.m", "a.R"])
@pytest.mark.parametrize(
    ("text", "pieces"),
    [
        ("x = (n - 1) / 2", ("(n - 1)", "/", "2")),
        ("x = 2 / (n - 1)", ("2", "/", "(n - 1)")),
        ("x = ((a + b)) * (c)", ("((a + b))", "*", "(c)")),
        ("x = a - b", ("a", "-", "b")),
    ],
)
def test_brackets_belong_to_their_operand(file: str, text: str, pieces: tuple[str, str, str]) -> None:
    part = _binary(file, text)
    (left, right) = [child for role, child in part.children if role in ("left", "right")]
    around = around_sign(part, left, right)
    assert around is not None
    assert tuple(piece.strip() for piece in around) == pieces
    assert "".join(around) == part.source


def test_a_place_outside_of_a_part_has_no_offset() -> None:
    part = _binary("a.py", "x = a - b")
    assert offset_in(part, part.span.line, part.span.column) == 0
    assert offset_in(part, part.span.line + 1, 1) is None
    assert offset_in(part, part.span.line, part.span.column - 1) is None


def test_what_operators_mean_is_told_in_every_language() -> None:
    assert meaning_of("operator:< to !=", "python") == "operator order to equal"
    assert meaning_of("operator:in to not in", "python") == meaning_of("operator:== to !=", "javascript") == "operator negated"
    assert meaning_of("operator:<= to <", "lua") == "operator bound"
    assert meaning_of("operator:swap", "python") == ""
    assert meaning_of("each:convert:int({0})", "python") == "each convert to whole"
    assert meaning_of("each:convert:Number({0})", "javascript") == "each convert to number"
    assert (plain_meaning("[]"), plain_meaning("null"), plain_meaning("rows")) == ("no items", "nothing", "")
