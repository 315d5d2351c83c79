"""What the running program says before any edit is tried: what its expressions hold, and which edits get past the failure."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages.base import Part
from jamkey.model import Jam
from jamkey.observe.target import Target, script_target
from jamkey.pipeline import diagnose
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import candidates, gathered
from jamkey.search.judge import judged
from jamkey.search.survey import survey
from jamkey.search.weights import Proposed
from jamkey.trials.warm import Warm, libraries, warm
from jamkey.turns.seen import Seen, Survey
from tests.conftest import CORPUS, corpus_cases, interpreters, runs_noted, truth_of

Project = Callable[..., Path]
pytestmark = pytest.mark.skipif(not hasattr(os, "fork"), reason="quick trials are forks")

HIVES = """\
import csv
from pathlib import Path


class Hive:
    def __init__(self, name, kilos):
        self.name = name
        self.kilos = kilos

    def share(self, total):
        return self.kilos / total


def read(path):
    hives = []
    with open(path, newline="") as file:
        for row in csv.DictReader(file):
            hives.append(Hive(row["hive"], row["kilos"]))
    return hives


def report(hives):
    total = sum(hive.kilos for hive in hives)
    for hive in sorted(hives, key=lambda hive: hive.name):
        print(f"{hive.name:<8} {hive.share(total):.2f}")


if __name__ == "__main__":
    folder = Path(__file__).parent
    report(read(folder / "hives.csv"))
"""
TABLE = "hive,kilos\nlinden,31.5\noak,28.5\n"


@contextlib.contextmanager
def at_work(folder: Path, target: Target, stdin: bytes = b"") -> Iterator[tuple[Scene, Warm]]:
    """Give the failure of a program, and a warm interpreter for it."""
    jam = main_jam(run_captured(target, folder, stdin=stdin))
    assert jam is not None
    sources = Sources(folder)
    with warm(folder, target, stdin=stdin, unguarded=False, load=libraries(sources)) as runner:
        assert runner is not None and runner.ready()
        yield Scene(diagnose(jam, sources), sources), runner


def looked_at(folder: Path, script: str = "report.py", python: str = "") -> tuple[Scene, Survey]:
    with at_work(folder, script_target(str(folder / script), [], python=python)) as (scene, runner):
        return scene, survey(scene, runner, 20)


def part(scene: Scene, file: str, line: int, source: str) -> Part:
    code = scene.sources.code(file)
    assert code is not None
    for statement in code.heads(line):
        for top in (*statement.parts, *statement.targets):
            for found in top.walk():
                if found.source == source:
                    return found
    raise AssertionError(f"{source} does not stand on line {line}")


def seen_at(scene: Scene, looked: Survey, line: int, source: str, file: str = "report.py") -> Seen:
    found = looked.at(file, part(scene, file, line, source))
    assert found is not None, f"nothing was seen of {source} on line {line}"
    return found


def test_what_expressions_hold(project: Project) -> None:
    scene, looked = looked_at(project({"report.py": HIVES, "hives.csv": TABLE}))
    kilos = seen_at(scene, looked, 18, 'row["kilos"]')
    assert (kilos.value.type, kilos.count) == ("str", 2), "two records were read"
    assert [(held.type, held.first, held.last) for held in kilos.types] == [("str", 1, 2)]
    assert kilos.value.text == "'28.5'", "the last value is told"
    assert seen_at(scene, looked, 18, "row").value.members == ("'hive'", "'kilos'")
    hives = seen_at(scene, looked, 22 + 1, "hives")
    assert (hives.value.type, hives.value.length) == ("list", 2)


def test_what_small_changes_would_give(project: Project) -> None:
    scene, looked = looked_at(project({"report.py": HIVES, "hives.csv": TABLE}))
    gives = seen_at(scene, looked, 18, 'row["kilos"]').gives
    assert (gives["float({0})"].type, gives["float({0})"].fails, gives["float({0})"].same) == ("float", False, False)
    assert gives["int({0})"].fails and gives["int({0})"].type == "ValueError"
    assert gives["str({0})"].same and gives["{0}.strip()"].same, "what changes nothing is known to"
    assert "await {0}" not in gives, "what is no expression by itself is not asked"


def test_what_is_called_says_what_it_takes(project: Project) -> None:
    scene, looked = looked_at(project({"report.py": HIVES, "hives.csv": TABLE}))
    reader = seen_at(scene, looked, 17, "csv.DictReader").takes
    assert reader is not None and reader["restval"].default == "None" and reader["kwds"].kind == "VAR_KEYWORD"
    own = seen_at(scene, looked, 18, "Hive").takes
    assert own is not None and list(own) == ["name", "kilos"] and own["kilos"].default is None


def test_documented_words_are_choices(project: Project) -> None:
    program = '''\
def weigh(kilos, unit="kg"):
    """Weigh.

    Parameters
    ----------
    unit : {'kg', 'pound', 'stone'}
    """
    return kilos[unit]


print(weigh({"pound": 12}))
'''
    folder = project({"report.py": program})
    scene, looked = looked_at(folder)
    takes = seen_at(scene, looked, 11, "weigh").takes
    assert takes is not None and takes["unit"].choices == ("'kg'", "'pound'", "'stone'")
    texts = [item.texts["report.py"] for item in candidates(scene, survey=looked)]
    assert any("weigh({\"pound\": 12}, unit='pound')" in text for text in texts)
    assert not any("unit='kg'" in text for text in texts), "the default is not proposed again"


def test_an_argument_that_is_not_taken_is_not_proposed(project: Project) -> None:
    program = 'def mean(values, skip=False):\n    return sum(values) / len(values)\n\n\nprint(mean(["31", "28"]))\n'
    scene, looked = looked_at(project({"report.py": program}))
    with_look = {item.texts["report.py"] for item in candidates(scene, survey=looked)}
    assert any('mean(["31", "28"], skip=True)' in text for text in with_look)
    assert not any('mean(["31", "28"], axis=1)' in text for text in with_look), "it takes no axis"
    assert not any("sum(values, axis" in text for text in with_look), "nor does what adds up"
    without = {item.texts["report.py"] for item in candidates(scene)}
    assert any("axis=1" in text for text in without), "where nobody looked it may be"


def test_a_change_that_fails_on_the_value_is_not_proposed(project: Project) -> None:
    scene, looked = looked_at(project({"report.py": HIVES, "hives.csv": TABLE}))
    texts = [item.texts["report.py"] for item in candidates(scene, survey=looked)]
    assert any('float(row["kilos"])' in text for text in texts)
    assert not any(' int(row["kilos"])' in text for text in texts), "31.5 is no whole number"


def test_what_was_never_run_is_known(project: Project) -> None:
    program = """\
def later(rows):
    return rows[0].upper()


def first(rows):
    if not rows:
        return later(rows)
    return rows[0] + 1


print(first(["31"]))
"""
    scene, looked = looked_at(project({"report.py": program}))
    assert looked.at("report.py", part(scene, "report.py", 7, "later(rows)")) is None
    assert seen_at(scene, looked, 8, "rows[0]").count == 1
    assert looked.at("report.py", part(scene, "report.py", 8, "rows[0] + 1")) is None, "what fails has no value"


def test_used_up_values_are_not_asked(project: Project) -> None:
    program = """\
def weights():
    for kilos in (31, 28):
        yield kilos


with open(__file__) as file:
    found = weights()
    print(next(found), len(file.readline()))
    print(sum(found) + "kg")
"""
    scene, looked = looked_at(project({"report.py": program}))
    assert seen_at(scene, looked, 8, "found").value.type == "generator"
    assert seen_at(scene, looked, 8, "found").gives == {}
    assert seen_at(scene, looked, 8, "file").gives == {}
    assert seen_at(scene, looked, 9, "sum(found)").value.text == "28", "nothing of it was taken by looking"


def test_it_works_in_modules_and_strange_places(project: Project) -> None:
    files = {
        "report.py": "from tools import *\n\nassert (n := whole('12')) and rest(n), n\n",
        "tools.py": (
            "# ünï: a line with signs of several bytes\n"
            "def whole(text): return int(text)\n\n\n"
            "def rest(n, *, by=5):\n    found = {k: v for k, v in zip('äb', range(n))}\n"
            "    return [*found, f'{n!r:>3}', lambda: n][n : by : ~0] [0]\n"
        ),
    }
    scene, looked = looked_at(project(files))
    assert seen_at(scene, looked, 2, "int(text)", "tools.py").value.text == "12"
    assert seen_at(scene, looked, 6, "range(n)", "tools.py").value.type == "range"
    assert seen_at(scene, looked, 7, "n", "tools.py").value.type == "int"


@pytest.mark.parametrize("version", ["3.8", "3.9", "3.10", "3.12", "3.13"])
def test_every_interpreter_is_asked(project: Project, version: str) -> None:
    if version not in interpreters():
        pytest.skip(f"no Python {version} here")
    folder = project({"report.py": HIVES, "hives.csv": TABLE})
    scene, looked = looked_at(folder, python=interpreters()[version])
    assert seen_at(scene, looked, 18, 'row["kilos"]').gives["float({0})"].type == "float"


PYTHON = [
    case
    for case in corpus_cases("python")
    if truth_of(case)["phase"] == "run"
    and json.loads((case / "cmd.json").read_text())["argv"][1:2] == sorted(p.name for p in (case / "src").glob("*.py"))[:1]
]


@pytest.mark.corpus
@pytest.mark.spread(6)
@pytest.mark.parametrize("case", PYTHON, ids=lambda case: case.name)
def test_looking_changes_nothing(case: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever the program prints and fails with, it does the same while it is looked at."""
    folder = tmp_path / "project"
    shutil.copytree(case / "src", folder)
    given = json.loads((case / "cmd.json").read_text())
    stdin = (given.get("stdin") or "").encode()
    target = script_target(str(folder / given["argv"][1]), given["argv"][2:])
    jam = main_jam(run_captured(target, folder, stdin=stdin))
    if jam is None or jam.snag is None:
        pytest.skip("it needs what is not here")
    sources = Sources(folder)
    with warm(folder, target, stdin=stdin, unguarded=False, load=libraries(sources)) as runner:
        assert runner is not None and runner.ready()
        before = runner.run({}, 20)
        said = runs_noted(monkeypatch)
        scene = Scene(diagnose(jam, sources), sources)
        looked = survey(scene, runner, 20)
        judged(scene, gathered(scene, seconds=1, survey=looked), runner, 20, 0.5)
    assert before is not None and said
    for ran in said:
        assert (ran.stdout, ran.status) == (before.stdout, before.status)
        # the traces tell other source lines, as calls stand in them
        assert ran.stderr.strip().splitlines()[-1:] == before.stderr.strip().splitlines()[-1:]


def told(folder: Path, script: str = "report.py") -> tuple[Jam, list[Proposed]]:
    with at_work(folder, script_target(str(folder / script), [])) as (scene, runner):
        looked = survey(scene, runner, 20)
        return scene.jam, judged(scene, gathered(scene, seconds=5, survey=looked), runner, 20, 5)


def text_of(item: Proposed) -> str:
    return item.made.text if item.made is not None else ""


def here_at(found: list[Proposed], line: int) -> dict[str, str]:
    """Return what was said of the edits of one place that change nothing elsewhere, by what they write."""
    own = [item for item in found if item.ground is not None and item.ground.place.line == line]
    return {text_of(item): item.here for item in own if item.made is None or not item.made.more}


MEAN = """\
def mean(values):
    total = 0
    for value in values:
        total = total + value
    return total / len(values)


weights = ["31", "28"]
print("mean", mean(weights))
"""


def test_edits_are_run_in_the_frame_that_failed(project: Project) -> None:
    _, found = told(project({"report.py": MEAN}))
    here = here_at(found, 4)
    assert here["int(value)"] == "passes" and here["str(total)"] == "passes"
    assert here["abs(total)"] == "same", "what changes nothing about it fails as before"
    assert here["[total]"] == "other", "what fails otherwise is told apart"


def test_the_callers_statement_is_run_again(project: Project) -> None:
    program = "def share(part, whole):\n    return part / whole\n\n\nkilos = 31\nprint(share(kilos, 0))\n"
    _, found = told(project({"report.py": program}))
    here = here_at(found, 6)
    assert here["share(0, kilos)"] == "passes"
    assert here["share(kilos)"] == "other"


def test_a_mistake_in_what_is_first_reached_says_nothing(project: Project) -> None:
    program = """\
def jars(kilos):
    return math.floor(kilos / 0.5)


def label(hive, kilos):
    return hive.uper() + str(jars(kilos))


print(label("oak", 9.1))
"""
    _, found = told(project({"report.py": program}))
    here = here_at(found, 6)
    column = program.split("\n")[5].index("uper") + 1
    mended = [
        item.here for item in found if item.made is not None and (text_of(item), item.made.span.column) == ("upper", column)
    ]
    assert mended and set(mended) == {""}, "it gets to `jars`, where another mistake is"
    assert here["str(hive)"] == "same"
    assert "other" in here.values(), "what fails otherwise in the line itself is told"


def test_other_places_are_not_judged(project: Project) -> None:
    _, found = told(project({"report.py": MEAN}))
    assert all(not item.here for item in found if item.ground is not None and item.ground.place.frame is None)


def test_forms_that_never_end_or_print_do_no_harm(project: Project) -> None:
    program = """\
import sys


def until(limit):
    count = 0
    while count != limit:
        count += 1
    print("counted", count)
    return count


steps = [3, 5]
print(until(steps[0]) + until(steps[1]) + steps[2])
"""
    folder = project({"report.py": program})
    target = script_target(str(folder / "report.py"), [])
    with at_work(folder, target) as (scene, runner):
        found = judged(scene, gathered(scene, seconds=5), runner, 20, 5)
        again = runner.run({}, 20)
    words = {item.here for item in found}
    assert {"passes", "same"} <= words
    assert "long" in words, "a form that counts past its limit is ended"
    assert again is not None and again.stdout == "counted 3\ncounted 5\n"


def test_an_iterator_that_is_used_up_says_nothing(project: Project) -> None:
    """Where the statement as it is goes on when it is run again, nothing is known."""
    program = "tries = iter([0, 2])\n\nprint(10 / next(tries))\n"
    _, found = told(project({"report.py": program}))
    assert {item.here for item in found if item.ground is not None and item.ground.place.line == 3} == {""}


@pytest.mark.parametrize(
    ("statement", "edit"),
    [
        ("if total + value > 3:\n        return 1", "int(value)"),
        ("while total + value > 3:\n        return 1", "int(value)"),
        ("for item in total + value:\n        return item", "str(total)"),
        ("return total + value", "int(value)"),
        ("assert total + value, 'none'", "int(value)"),
        ("total += value", "int(value)"),
    ],
)
def test_every_statement_is_understood(project: Project, statement: str, edit: str) -> None:
    program = f"def weigh(total, value):\n    {statement}\n    return total\n\n\nprint(weigh(1, '31'))\n"
    _, found = told(project({"report.py": program}))
    here = here_at(found, 2)
    assert here[edit] == "passes"


def test_what_passes_is_tried_first(project: Project) -> None:
    folder = project({"report.py": MEAN})
    with at_work(folder, script_target(str(folder / "report.py"), [])) as (scene, runner):
        looked = survey(scene, runner, 20)
        plain = candidates(scene, survey=looked)
        told = candidates(scene, survey=looked, judged=lambda found: judged(scene, found, runner, 20, 5))
    wanted = MEAN.replace("total + value", "total + int(value)")

    def rank(found: list) -> int:  # type: ignore[type-arg]
        return [item.texts["report.py"] for item in found].index(wanted)

    assert rank(told) <= rank(plain)
    failing = [item for item in told if item.texts["report.py"] == MEAN.replace("total + value", "abs(total) + value")]
    assert not failing or told.index(failing[0]) > rank(told)


def test_the_corpus_is_here() -> None:
    assert CORPUS.is_dir() and len(PYTHON) > 20


def test_one_change_at_several_places_is_run_as_a_whole(project: Project) -> None:
    program = "def minutes(text):\n    hours, rest = text.split(':')\n    return hours - rest\n\n\nprint(minutes('1:20'))\n"
    _, found = told(project({"report.py": program}))
    both = [item for item in found if item.made is not None and item.made.turn == "each:convert:int({0})"]
    assert {item.here for item in both if item.made is not None and item.made.text == "int(hours)"} == {"passes"}
    assert here_at(found, 3)["int(hours)"] == "other", "one of them alone fails at the other"


WRITTEN = """\
total = 31 + 12
with open("total.txt", "w") as file:
    file.write(total)
print("written")
"""


def test_a_statement_in_a_block_is_asked_before_its_file_is_closed(project: Project) -> None:
    _, found = told(project({"report.py": WRITTEN}))
    here = here_at(found, 3)
    assert here["str(total)"] == "passes", "once the block is left nothing gets past anything there"
    assert here["abs(total)"] == "same"


@pytest.mark.parametrize(
    "block",
    [
        "with open('a.txt', 'w') as file, open('b.txt', 'w') as other:\n    other.write('x')\n    file.write(total)\n",
        "file = open('a.txt', 'w')\ntry:\n    file.write('x')\n    file.write(total)\nfinally:\n    file.close()\n",
        "def keep(kilos):\n    with open('a.txt', 'w') as file:\n        for one in [kilos]:\n            file.write(one)\n\n\nkeep(total)\n",
    ],
)
def test_whatever_closes_the_file(project: Project, block: str) -> None:
    program = f"total = 43\n{block}print('written')\n"
    _, found = told(project({"report.py": program}))
    line = next(n for n, row in enumerate(program.split("\n"), 1) if "write(total)" in row or "write(one)" in row)
    here = here_at(found, line)
    assert here["str(one)" if "one" in program else "str(total)"] == "passes"


def test_a_failure_that_is_caught_first_says_nothing_of_the_one_that_ends_the_program(project: Project) -> None:
    """The same statement fails twice, in two calls; what counts is the frame of the one that nobody caught."""
    program = """\
def keep(value):
    with open("a.txt", "w") as file:
        file.write(value)


try:
    keep(3)
except TypeError:
    print("caught")
keep([4])
"""
    _, found = told(project({"report.py": program}))
    here = here_at(found, 3)
    assert here["str(value)"] == "passes"
    assert here["value[0]"] != "passes"
