"""Turns of all languages: run for real, with names of any kind and further down, the mending edit is tried and mends.

What each program prints when it fails comes from its own runtime; the mended rows are put in and run again.
"""

from __future__ import annotations

import re
import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import candidates

Project = Callable[[Mapping[str, str | bytes]], Path]


class Slip(NamedTuple):
    """A program that fails, how it is run, and the row that mends it."""

    what: str
    file: str
    command: tuple[str, ...]
    text: str
    row: int
    mended: str


JAVA = ("java",)
PYTHON, NODE, LUA, R, OCTAVE = ("python3",), ("node",), ("lua5.4",), ("Rscript",), ("octave-cli", "-q")
SLIPS = [
    Slip(
        "a map that is asked for what it lacks, Java",
        "Main.java",
        JAVA,
        """\
import java.util.*;

public class Main {
    public static void main(String[] words) {
        Map<String, Integer> kilos = new TreeMap<>();
        for (String hive : new String[] {"oak", "elm", "oak"}) {
            kilos.put(hive, kilos.get(hive) + 1);
        }
        System.out.println(kilos);
    }
}
""",
        7,
        "            kilos.put(hive, kilos.getOrDefault(hive, 0) + 1);",
    ),
    Slip(
        "a method without its object, Lua",
        "main.lua",
        ("lua5.4",),
        """\
local Hive = {}
Hive.__index = Hive
function Hive.weigh(kilo)
  self.kilos = self.kilos + kilo
end
local oak = setmetatable({ kilos = 1 }, Hive)
oak:weigh(2)
print(oak.kilos)
""",
        3,
        "function Hive.weigh(self, kilo)",
    ),
    Slip(
        "a method that needs no object, Java",
        "Main.java",
        JAVA,
        """\
public class Main {
    int weigh(int kilo) {
        return 2 * kilo;
    }

    public static void main(String[] words) {
        System.out.println(weigh(12));
    }
}
""",
        2,
        "    static int weigh(int kilo) {",
    ),
    Slip(
        "the first of a group, Java",
        "Main.java",
        JAVA,
        """\
import java.util.*;

public class Main {
    public static void main(String[] words) {
        Map<String, List<Integer>> kilos = new TreeMap<>();
        for (String hive : new String[] {"oak", "elm", "oak"}) {
            kilos.get(hive).add(3);
        }
        System.out.println(kilos);
    }
}
""",
        7,
        "            kilos.computeIfAbsent(hive, each -> new ArrayList<>()).add(3);",
    ),
    Slip(
        "the first of a group, JavaScript",
        "main.js",
        ("node",),
        """\
const kilos = {};
for (const [hive, kilo] of [["oak", 3], ["elm", 4]]) {
  kilos[hive].push(kilo);
}
console.log(kilos);
""",
        3,
        "  (kilos[hive] ??= []).push(kilo);",
    ),
    Slip(
        "the first of a group, Lua",
        "main.lua",
        ("lua5.4",),
        """\
local kilos = {}
for hive = 1, 3 do
  for day = 1, 2 do
    kilos[hive][day] = hive * day
  end
end
print(kilos[2][2])
""",
        4,
        "    kilos[hive] = kilos[hive] or {}\n    kilos[hive][day] = hive * day",
    ),
    Slip(
        "an item taken for its key, R",
        "main.R",
        ("Rscript",),
        """\
kilos <- list(oak = 3, elm = 40)
total <- 0
for (kilo in kilos) {
  total <- total + kilos[[kilo]]
}
cat(total, "\\n")
""",
        4,
        "  total <- total + kilo",
    ),
    Slip(
        "an item taken for its key, JavaScript",
        "main.js",
        ("node",),
        """\
const kilos = ["3.5", "4.25"];
for (const kilo of kilos) {
  console.log(kilos[kilo].trim());
}
""",
        3,
        "  console.log(kilo.trim());",
    ),
    Slip(
        "a promise that is not waited for, JavaScript",
        "main.js",
        ("node",),
        """\
async function kilos() {
  return [3, 4];
}
async function most() {
  const found = kilos();
  const best = Math.max(...found);
  return best + found.length;
}
most().then((best) => console.log(best));
""",
        5,
        "  const found = await kilos();",
    ),
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
        'kilos = [3 9];\ndays = strsplit ("1;2", ";");\nfor day = 1:2\n  disp (kilos(days{day}));\nend\n',
        4,
        "  disp (kilos(str2double(days{day})));",
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
_OTHER = {
    "kilos": "grams",
    "hives": "cribs",
    "hours": "whole",
    "rest": "part",
    "box": "lid",
    "hive": "crib",
    "kilo": "gram",
    "bees": "ants",
    "weigh": "count",
    "day": "hour",
    "found": "given",
}

#: What can stand above: a comment of each.
_COMMENT = {".py": "#", ".js": "//", ".lua": "--", ".R": "#", ".m": "%", ".java": "//", ".c": "//"}


def _changed(text: str, row: int, mended: str) -> str:
    rows = text.split("\n")
    rows[row - 1] = mended
    return "\n".join(rows)


def variant(slip: Slip, changed: str, other: Mapping[str, str]) -> tuple[str, str]:
    """Return a program's text and its mended text: `as written`, `renamed` by other names, or `further down` in its file."""
    above = f"{_COMMENT[Path(slip.file).suffix]} The apiary's own.\n" * 3 if changed == "further down" else ""

    def named(text: str) -> str:
        pattern = r"\b(" + "|".join(other) + r")\b"
        return re.sub(pattern, lambda match: other[match[1]], text) if changed == "renamed" else text

    text = above + named(slip.text)
    return text, _changed(text, slip.row + above.count("\n"), named(slip.mended))


def _ran(slip: Slip, folder: Path) -> subprocess.CompletedProcess[str]:
    words = [*slip.command, slip.file]
    return subprocess.run(words, cwd=folder, capture_output=True, text=True, check=False, timeout=60)


@pytest.mark.spread(6)
@pytest.mark.parametrize("changed", ["as written", "renamed", "further down"])
@pytest.mark.parametrize("slip", SLIPS, ids=lambda slip: slip.what)
def test_the_mending_edit_is_tried_and_mends(slip: Slip, changed: str, project: Project) -> None:
    text, mended = variant(slip, changed, _OTHER)
    folder = project({slip.file: text})
    failed = _ran(slip, folder)
    assert failed.returncode
    sources = Sources(folder)
    jam = diagnose(read(failed.stderr)[-1], sources)
    if "not waited for" in slip.what:  # what the name held is known where the program was run
        from jamkey.observe.target import command_target
        from jamkey.runs.fix_loop import main_jam, run_captured

        ran = main_jam(run_captured(command_target([*slip.command, str(folder / slip.file)]), folder, stdin=b"", limit=30.0))
        assert ran is not None
        jam = ran
    found = candidates(Scene(jam, sources), seconds=60.0)
    assert mended in [item.texts.get(slip.file) for item in found]
    (folder / slip.file).write_text(mended, encoding="utf-8")
    right = _ran(slip, folder)
    assert (right.returncode, right.stderr) == (0, "")
    assert right.stdout.strip()


MOVED = [
    (
        "main.lua",
        "lua5.4",
        "local function most(kilos)\n  return best(kilos)\nend\n",
        "local function best(kilos)\n  return kilos[1]\nend\n",
        "print(most({ 3 }))\n",
    ),
    (
        "main.py",
        "python3",
        "def most(kilos):\n    return best(kilos)\n\n\nprint(most([3]))\n",
        "def best(kilos):\n    return kilos[0]\n",
        "",
    ),
]


@pytest.mark.parametrize(("file", "program", "first", "moved", "rest"), MOVED, ids=[row[0] for row in MOVED])
def test_a_function_is_moved_above_what_calls_it(
    file: str, program: str, first: str, moved: str, rest: str, project: Project
) -> None:
    folder = project({file: first + moved + rest})
    failed = subprocess.run([program, file], cwd=folder, capture_output=True, text=True, check=False)
    assert failed.returncode
    sources = Sources(folder)
    found = candidates(Scene(diagnose(read(failed.stderr)[-1], sources), sources), seconds=60.0)
    assert moved + first + rest in [item.texts.get(file) for item in found]
