"""Small programs whose fix the running program itself points at: it is tried among the first, whatever the names."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.observe.target import script_target
from jamkey.pipeline import diagnose
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import candidates
from jamkey.search.judge import judged
from jamkey.search.survey import survey
from jamkey.trials.warm import libraries, warm

Project = Callable[..., Path]
pytestmark = pytest.mark.skipif(not hasattr(os, "fork"), reason="quick trials are forks")
#: A search of some seconds tries several hundred edits of a quick program.
FIRST = 200


@dataclass(frozen=True)
class Program:
    """A program that fails, and the line that mends it."""

    what: str
    text: str
    wrong: str
    mended: str
    data: dict[str, str] = field(default_factory=dict)
    names: tuple[tuple[str, str], ...] = ()


PROGRAMS = [
    Program(
        "another separator",
        """\
import pandas as pd


def load(path):
    return pd.read_csv(path)


hives = load("hives.csv")
print(round(hives["kilos"].mean(), 1))
""",
        "pd.read_csv(path)",
        'pd.read_csv(path, sep=";")',
        {"hives.csv": "hive;kilos\noak;31.5\nlinden;28.5\n"},
        (("hives", "harvest"), ("kilos", "weight"), ("load", "fetch")),
    ),
    Program(
        "a column that is the index of another table",
        """\
import pandas as pd

hives = pd.DataFrame({"hive": ["oak", "linden"], "kilos": [31.5, 28.5]})


def weight(name):
    return hives.loc[name, "kilos"]


print(weight("oak"))
""",
        'pd.DataFrame({"hive": ["oak", "linden"], "kilos": [31.5, 28.5]})',
        'pd.DataFrame({"hive": ["oak", "linden"], "kilos": [31.5, 28.5]}).set_index("hive")',
        {},
        (("hives", "table"), ("hive", "spot"), ("weight", "ask")),
    ),
    Program(
        "keys of JSON are text",
        """\
import json

names = json.loads('{"1": "oak", "2": "linden"}')
counts = [(1, 31), (2, 28)]

for number, kilos in counts:
    print(names[number], kilos)
""",
        'json.loads(\'{"1": "oak", "2": "linden"}\')',
        '{int(key): each for key, each in json.loads(\'{"1": "oak", "2": "linden"}\').items()}',
        {},
        (("names", "labels"), ("counts", "rows"), ("number", "place")),
    ),
    Program(
        "numbers that are read as text",
        """\
def read(path):
    with open(path) as file:
        return file.read().split()


def mean(values):
    return sum(values) / len(values)


kilos = read("kilos.txt")
print("mean", mean(kilos))
""",
        'read("kilos.txt")',
        '[float(each) for each in read("kilos.txt")]',
        {"kilos.txt": "31.5\n28.5\n"},
        (("kilos", "weights"), ("path", "where"), ("mean", "middle")),
    ),
    Program(
        "an array of texts",
        """\
import numpy as np

rows = np.array([["oak", "31.5"], ["linden", "28.5"]])
kilos = rows[:, 1]
print(round(float((kilos / 2).sum()), 2))
""",
        "rows[:, 1]",
        "rows[:, 1].astype(float)",
        {},
        (("rows", "table"), ("kilos", "column")),
    ),
    Program(
        "a method that is not called",
        """\
class Hive:
    def __init__(self, frames):
        self.frames = frames

    def total(self):
        return sum(self.frames)

    def line(self):
        return f"{self.total:>8.1f}"


print(Hive([3.5, 4.0]).line())
""",
        "{self.total:>8.1f}",
        "{self.total():>8.1f}",
        {},
        (("total", "whole"), ("frames", "combs"), ("Hive", "Box")),
    ),
    Program(
        "a class that is not called",
        """\
class Scale:
    def weigh(self, kilos):
        return kilos - 2


def main():
    scale = Scale
    print(scale.weigh(31))


main()
""",
        "scale = Scale\n",
        "scale = Scale()\n",
        {},
        (("scale", "tool"), ("weigh", "measure"), ("kilos", "load")),
    ),
    Program(
        "a flat view of a grid",
        """\
import numpy as np


class Plot:
    def draw(self, values):
        return sum(values)


grid = np.array([[Plot(), Plot()], [Plot(), Plot()]])
for plot, values in zip(grid, ([1, 2], [3], [4], [5])):
    print(plot.draw(values))
""",
        "zip(grid, ",
        "zip(grid.flat, ",
        {},
        (("grid", "boxes"), ("plot", "box"), ("Plot", "Box")),
    ),
    Program(
        "a mark at the begin of a file",
        """\
import csv


def rows(path):
    with open(path, encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


for row in rows("hives.csv"):
    print(row["hive"], row["kilos"])
""",
        'encoding="utf-8"',
        'encoding="utf-8-sig"',
        {"hives.csv": "\ufeffhive,kilos\noak,31.5\n"},
        (("rows", "records"), ("row", "record"), ("path", "where")),
    ),
]


def place_of(project: Path, text: str, program: Program, mended: str) -> int:
    """Return how many edits are tried before the one that mends the program."""
    for name, content in program.data.items():
        (project / name).write_text(content, encoding="utf-8")
    (project / "report.py").write_text(text, encoding="utf-8")
    target = script_target(str(project / "report.py"), [])
    jam = main_jam(run_captured(target, project))
    assert jam is not None, "the program fails"
    sources = Sources(project)
    scene = Scene(diagnose(jam, sources), sources)
    with warm(project, target, stdin=b"", unguarded=False, load=libraries(sources)) as runner:
        assert runner is not None and runner.ready()
        looked = survey(scene, runner, 20)
        found = candidates(scene, survey=looked, judged=lambda all_of: judged(scene, all_of, runner, 20, 5))
    texts = [item.texts.get("report.py") for item in found]
    assert mended in texts, "the edit is proposed"
    return texts.index(mended)


@pytest.mark.parametrize("program", PROGRAMS, ids=lambda program: program.what.replace(" ", "-"))
def test_the_fix_is_among_the_first(program: Program, project: Project) -> None:
    assert program.text.count(program.wrong) == 1
    mended = program.text.replace(program.wrong, program.mended)
    assert place_of(project({}), program.text, program, mended) < FIRST


@pytest.mark.spread(3)
@pytest.mark.parametrize("program", PROGRAMS, ids=lambda program: program.what.replace(" ", "-"))
def test_the_names_do_not_matter(program: Program, project: Project) -> None:
    def renamed(text: str) -> str:
        for old, new in program.names:
            text = re.sub(rf"\b{old}\b", new, text)
        return text

    text, wrong, mended = map(renamed, (program.text, program.wrong, program.mended))
    data = {name: renamed(content) for name, content in program.data.items()}
    other = Program(program.what, text, wrong, mended, {renamed(name): content for name, content in data.items()})
    folder = project({})
    assert place_of(folder, text, other, text.replace(wrong, mended)) < FIRST
