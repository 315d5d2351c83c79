"""Where two runs of one program part: the line that draws, reads the clock or goes over what has no order is a doubt."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

DRAWN = """\
import random

HIVES = {"oak": 31.5, "elm": 28.0, "ash": 40.2, "fir": 22.9, "yew": 35.0}


def sample(names, count):
    chosen = random.sample(names, count)
    return sorted(chosen)


SEED
names = sorted(HIVES)
total = 0.0
for _ in range(40):
    picked = sample(names, 3)
    for name in picked:
        total += HIVES[name]
print("mean of three:", total / 40)
"""

#: Name -> file, text, the part of the line that is told.
PROGRAMS = {
    "python, drawn in a function": ("yard.py", DRAWN, "random.sample"),
    "python, drawn at once": ("yard.py", "import random\n\nprint('hive', random.randint(1, 10**9))\n", "randint"),
    "python, a set": (
        "yard.py",
        "names = [f'hive {n}' for n in range(60)]\nkinds = set(names)\nshown = ''\nfor kind in kinds:\n    shown += kind\nprint(shown)\n",
        "set(names)",
    ),
    "python, the clock": (
        "yard.py",
        "import time\n\nkilos = sum(range(90))\nbegan = time.perf_counter()\nshown = began * kilos\nprint(kilos, shown)\n",
        "perf_counter",
    ),
    "python, in another round": (
        "yard.py",
        "import random\n\nkilos = []\nfor hive in range(6):\n    kilos.append(hive)\n    if hive == 4:\n        kilos[0] = random.random()\n"
        "total = sum(kilos)\nprint(total)\n",
        "",
    ),
    "javascript": (
        "yard.js",
        "const oak = 31;\nconsole.log('oak', oak);\nconsole.log('drawn', Math.random());\n",
        "Math.random",
    ),
    "lua": (
        "yard.lua",
        "print('oak', 31)\nmath.randomseed(os.time() * 1000 + math.floor(os.clock() * 1e6))\nprint('drawn', os.clock())\n",
        "'drawn'",
    ),
    "r": ("yard.R", "oak <- 31\ncat('oak', oak, '\\n')\ncat('drawn', runif(2), '\\n')\n", "runif"),
    "octave": ("yard.m", "oak = 31;\nprintf ('oak %d\\n', oak);\nprintf ('drawn %g\\n', rand ());\n", "rand ()"),
}

#: The same each time.
STEADY = {
    "a seed": ("yard.py", DRAWN.replace("SEED", "random.seed(7)")),
    "sorted": ("yard.py", "names = [f'hive {n}' for n in range(60)]\nfor kind in sorted(set(names)):\n    print(kind)\n"),
    "objects that lie elsewhere": ("yard.py", "class Hive:\n    pass\n\n\nhive = Hive()\nprint(hive)\n"),
    "drawn and never shown": ("yard.js", "const drawn = Math.random();\nconsole.log('oak', drawn < 2);\n"),
}


def doubts_of(folder: Path, file: str) -> list[tuple[str, str]]:
    """Return (kind, text of the first root's line) of what `run --doubts` tells."""
    done = jamkey("run", "--doubts", "--no-keep", "--save", "out.json", file, cwd=folder)
    if not (folder / "out.json").exists():
        assert "nothing that looks wrong" in done.err
        return []
    jams = parse((folder / "out.json").read_bytes())
    rows = (folder / file).read_text(encoding="utf-8").split("\n")
    return [(jam.kind or "", rows[jam.roots[0].line - 1]) for jam in jams.jams]


@pytest.mark.spread(3)
@pytest.mark.parametrize("name", PROGRAMS)
def test_the_line_where_two_runs_part_is_told(name: str, project: Project) -> None:
    file, text, part = PROGRAMS[name]
    found = doubts_of(project({file: text.replace("SEED", "")}), file)
    assert [kind for kind, _ in found] == ["unrepeatable"]
    assert part in found[0][1]


@pytest.mark.spread(2)
@pytest.mark.parametrize("name", STEADY)
def test_what_is_the_same_each_time_is_no_doubt(name: str, project: Project) -> None:
    file, text = STEADY[name]
    assert [kind for kind, _ in doubts_of(project({file: text}), file)] == []


@pytest.mark.parametrize("before, after", [("chosen", "some"), ("sample", "choose"), ("names", "all_of_them")])
def test_names_make_no_difference(before: str, after: str, project: Project) -> None:
    text = DRAWN.replace("SEED", "").replace("random.sample", "random.SAMPLE")
    text = re.sub(rf"\b{before}\b", after, text).replace("random.SAMPLE", "random.sample")
    found = doubts_of(project({"yard.py": text}), "yard.py")
    assert [(kind, line.strip().split(" = ")[-1].split("(")[0]) for kind, line in found] == [("unrepeatable", "random.sample")]


def test_a_program_that_draws_is_watched_all_the_same(project: Project) -> None:
    text = "const drawn = Math.random();\nconst box = { oak: '31', elm: '9' };\nconst sum = box.oak + box.elm;\nconsole.log(drawn, sum);\n"
    found = doubts_of(project({"yard.js": text}), "yard.js")
    assert found[0] == ("joined-not-added", "const sum = box.oak + box.elm;")
