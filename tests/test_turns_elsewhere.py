"""Turns that other languages than Python need: run for real, with names of any kind, the mending edit is tried and mends.

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
]
#: Names of the programs -> others.
_OTHER = {"kilos": "grams", "hive": "crib", "kilo": "gram", "bees": "ants", "weigh": "count", "day": "hour", "found": "given"}


def _changed(text: str, row: int, mended: str) -> str:
    rows = text.split("\n")
    rows[row - 1] = mended
    return "\n".join(rows)


def _ran(slip: Slip, folder: Path) -> subprocess.CompletedProcess[str]:
    words = [*slip.command, slip.file]
    return subprocess.run(words, cwd=folder, capture_output=True, text=True, check=False, timeout=60)


@pytest.mark.spread(6)
@pytest.mark.parametrize("renamed", [False, True], ids=["as written", "renamed"])
@pytest.mark.parametrize("slip", SLIPS, ids=lambda slip: slip.what)
def test_the_mending_edit_is_tried_and_mends(slip: Slip, renamed: bool, project: Project) -> None:

    def named(text: str) -> str:
        pattern = r"\b(" + "|".join(_OTHER) + r")\b"
        return re.sub(pattern, lambda match: _OTHER[match[1]], text) if renamed else text

    text = named(slip.text)
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
    mended = _changed(text, slip.row, named(slip.mended))
    assert mended in [item.texts.get(slip.file) for item in found]
    (folder / slip.file).write_text(mended, encoding="utf-8")
    right = _ran(slip, folder)
    assert (right.returncode, right.stderr) == (0, "")
    assert right.stdout.strip()


MOVED = [
    ("main.lua", "lua5.4", "local function most(kilos)\n  return best(kilos)\nend\n", "local function best(kilos)\n  return kilos[1]\nend\n", "print(most({ 3 }))\n"),
    ("main.py", "python3", "def most(kilos):\n    return best(kilos)\n\n\nprint(most([3]))\n", "def best(kilos):\n    return kilos[0]\n", ""),
]  # fmt: skip


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
