"""Keys by search: turns at places, quick trials in a warm interpreter, groups by what is printed."""

from __future__ import annotations

import itertools
import os
import sys
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace

import msgspec
import pytest

from jamkey.follow.likely import likely, rated
from jamkey.follow.places import Place, places
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages.base import Statement
from jamkey.model import Jam, Value
from jamkey.observe.target import command_target, script_target
from jamkey.pipeline import diagnose, read
from jamkey.runs.fix_loop import main_jam, run_captured, tried
from jamkey.search.by_trial import RUNS, between
from jamkey.search.candidates import candidates
from jamkey.settings import Settings
from jamkey.text import splice
from jamkey.trials.warm import libraries, warm
from jamkey.turns import SHELF as TURNS
from jamkey.turns.seen import Seen, Survey
from tests.conftest import jamkey, slowness

Project = Callable[..., Path]

PROGRAM = """\
import csv


def weights(path):
    with open(path) as file:
        return [row["kilos"] for row in csv.DictReader(file)]


def mean(values):
    total = 0
    for value in values:
        total += value
    return total / len(values)


print(mean(weights("hives.csv")))
"""
#: What no kind has a key for.
UNRULED = "class Hive:\n    def __init__(self, name):\n        name = name\n\n\nprint(Hive('oak').name)\n"
DATA = "hive,kilos\noak,31.5\nlinden,28.5\n"


def mended(folder: Path, script: str = "report.py", patience: float = 6.0, stdin: bytes = b"") -> Jam:
    target = script_target(str(folder / script), [])
    outcome = run_captured(target, folder, stdin=stdin)
    jam = main_jam(outcome)
    assert jam is not None
    return tried(outcome, target, jam, settings=Settings(patience=patience * slowness()))


def scene_of(files: dict[str, str], trace: str) -> Scene:
    sources = Sources(texts=files)
    return Scene(diagnose(read(trace)[-1], sources), sources)


TRACE = """\
Traceback (most recent call last):
  File "report.py", line 16, in <module>
    print(mean(weights("hives.csv")))
  File "report.py", line 12, in mean
    total += value
TypeError: unsupported operand type(s) for +=: 'int' and 'str'
"""


def test_the_places_are_those_whose_values_reach_the_snag() -> None:
    scene = scene_of({"report.py": PROGRAM}, TRACE)
    found = {(place.line): place for place in places(scene, others=False)}
    assert found[12].distance == 0
    assert {10, 11, 16, 6} <= set(found), "the start, the loop, the call, and what the other function gives back"
    assert found[6].path[0] == "snag"
    assert found[6].before is not None
    distances = [place.distance for place in places(scene)]
    assert distances == sorted(distances)


def test_roots_have_shares_and_ways() -> None:
    scene = scene_of({"report.py": PROGRAM}, TRACE)
    roots = likely(scene, scene.jam.roots)
    assert 0.5 <= sum(root.confidence for root in roots) <= 1.001
    assert [root.confidence for root in roots] == sorted((root.confidence for root in roots), reverse=True)
    assert all(root.reason for root in roots)
    assert any(root.steps for root in roots)
    assert all(item.features for item in rated(scene, scene.jam.roots))


def test_every_candidate_differs_and_changes_what_is_there() -> None:
    scene = scene_of({"report.py": PROGRAM}, TRACE)
    found = candidates(scene)
    assert len(found) > 300
    texts = [tuple(sorted(item.texts.items())) for item in found]
    assert len(set(texts)) == len(texts)
    for item in found[:400]:
        for file, text in item.texts.items():
            own = [edit for edit in item.edits if edit.file == file]
            assert splice(PROGRAM, own) == text != PROGRAM
    scores = [item.score for item in found]
    assert scores == sorted(scores, reverse=True)
    assert any(item.made is not None and "float(" in item.made.text for item in found[:60])


def _held(place: Place, statement: Statement) -> Survey:
    """Say that all that stands in a statement was seen to be a generator."""
    value = Value(name="", type="generator", text="<generator>")
    parts = [part for top in statement.parts for part in top.walk()]
    return Survey([place], {(place.file, part.span): Seen(1, value, (), None, {}) for part in parts})


SWARM = """class Swarm {
    int bees(int frames) {
        return frames;
    }

    public static void main(String[] words) {
        System.out.println(bees(3));
    }
}
"""
SWARM_TOLD = """Swarm.java:7: error: non-static method bees(int) cannot be referenced from a static context
        System.out.println(bees(3));
                           ^
"""


PARENT = (
    "class Hive:\n    def __init__(self, kilos):\n        self.kilos = kilos\n\n\n"
    "class Swarm(Hive):\n    def __init__(self, kilos):\n        self.bees = 1\n\n\nprint(Swarm(3).kilos)\n"
)
PARENT_TOLD = (
    'Traceback (most recent call last):\n  File "swarm.py", line 11, in <module>\n    print(Swarm(3).kilos)\n'
    "AttributeError: 'Swarm' object has no attribute 'kilos'\n"
)
ENDLESS = "honey = 1000\nwhile honey > 1:\n    honey / 2\nprint(honey)\n"
ENDLESS_TOLD = 'Traceback (most recent call last):\n  File "jars.py", line 3, in <module>\n    honey / 2\nKeyboardInterrupt\n'
#: Turn -> files and trace, where the program below gives it nothing to do.
OWN = {
    "modifier": ({"Swarm.java": SWARM}, SWARM_TOLD),
    "inherited": ({"swarm.py": PARENT}, PARENT_TOLD),
    "step": ({"jars.py": ENDLESS}, ENDLESS_TOLD),
    "spelled": (
        {"chart.py": "def chart(width):\n    return width\n\n\nprint(chart(widht=3))\n"},
        'Traceback (most recent call last):\n  File "chart.py", line 5, in <module>\n    print(chart(widht=3))\n'
        "TypeError: chart() got an unexpected keyword argument 'widht'\n",
    ),
    "asked": (
        {"/srv/main.js": "function report(sick, note) {\n  if (sick && note.kilos) {\n    return 1;\n  }\n}\nreport([]);\n"},
        "/srv/main.js:2\n  if (sick && note.kilos) {\n                   ^\n\n"
        "TypeError: Cannot read properties of undefined (reading 'kilos')\n    at report (/srv/main.js:2:20)\n"
        "    at Object.<anonymous> (/srv/main.js:6:1)\n",
    ),
    "defaulted": (
        {"note.py": "def note(word, seen=None):\n    seen.append(word)\n    return seen\n\n\nprint(note('oak'))\n"},
        "Traceback (most recent call last):\n  File \"note.py\", line 6, in <module>\n    print(note('oak'))\n"
        '  File "note.py", line 2, in note\n    seen.append(word)\n'
        "AttributeError: 'NoneType' object has no attribute 'append'\n",
    ),
    "folder": (
        {"keep.py": "with open('yields/may.txt', 'w') as file:\n    file.write('31')\n"},
        'Traceback (most recent call last):\n  File "keep.py", line 1, in <module>\n'
        "    with open('yields/may.txt', 'w') as file:\nFileNotFoundError: [Errno 2] No such file or directory: 'yields/may.txt'\n",
    ),
    "begun": (
        {"sum.py": "for kilos in (3, 4):\n    total += kilos\nprint(total)\n"},
        'Traceback (most recent call last):\n  File "sum.py", line 2, in <module>\n    total += kilos\n'
        "NameError: name 'total' is not defined\n",
    ),
    "header": (
        {"hive.h": "struct hive {\n    double kilos;\n};\n", "main.c": '#include "hive.h"\n#include "hive.h"\n'},
        "In file included from main.c:2:\nhive.h:1:8: error: redefinition of ‘struct hive’\n    1 | struct hive {\n      |        ^~~~\n",
    ),
    "axes": (
        {"grid.py": "grid = [[1, 2, 3]]\nx, y = 2, 0\nprint(grid[x][y])\n"},
        'Traceback (most recent call last):\n  File "grid.py", line 3, in <module>\n    print(grid[x][y])\n'
        "IndexError: list index out of range\n",
    ),
    "bound method": (
        {"tank.lua": "local tank = { level = 1 }\nfunction tank:fill(n)\n  self.level = self.level + n\nend\ntank.fill(20)\n"},
        "lua5.4: tank.lua:3: attempt to index a number value (local 'self')\nstack traceback:\n"
        "\ttank.lua:3: in method 'fill'\n\ttank.lua:5: in main chunk\n\t[C]: in ?\n",
    ),
    "like siblings": (
        {"ways.py": 'ways = ["3 km", "250 m", "80cm"]\nprint([float(way.split(" ")[1]) for way in ways])\n'},
        'Traceback (most recent call last):\n  File "ways.py", line 2, in <module>\n'
        '    print([float(way.split(" ")[1]) for way in ways])\nIndexError: list index out of range\n',
    ),
}


@pytest.mark.parametrize("name", TURNS.names(outside=False))
def test_every_turn_proposes_somewhere(name: str) -> None:
    files = {
        "report.py": PROGRAM,
        "more.py": "import math\nfrom report import mean\n\n\nclass Hive:\n    def __init__(self, kilos):\n        kilos = kilos\n"
        "        self.rows = [[0] * 3] * 2\n        label = '%d kg' % kilos\n\n    def show(self, note=None):\n"
        "        for n in range(1, 3):\n            if note:\n                n = 3\n            print(self.rows[n], note, n > 1 and n < 5)\n            total = n\n\n\n"
        "hive = Hive(3)\nhive.show(note='oak')\nprint(math.sqrt(wieght), mean([1, 2])['kilos'], f(3, '%d.%m'), f(3, 4))\n",
        "days.csv": "day,kilos\n2024-05-13,3\n",
    }
    trace = (
        'Traceback (most recent call last):\n  File "more.py", line 19, in <module>\n'
        "    print(math.sqrt(wieght), mean([1, 2])['kilos'], f(3, '%d.%m'), f(3, 4))\nNameError: name 'wieght' is not defined\n"
    )
    files, trace = OWN.get(name, (files, trace))
    sources = Sources(texts=files)
    jam = diagnose(read(trace)[-1], sources)
    # some questions are asked only where nothing was raised
    scene = Scene(msgspec.structs.replace(jam, phase="quiet") if name == "asked" else jam, sources)
    turn = TURNS.get(name)
    module = type(turn).__module__
    from jamkey.turns.base import Ground

    made = []
    for place in places(scene):
        code = sources.code(place.file, scene.jam.runtime)
        statement = code.statement(place.line) if code is not None else None
        if code is None or statement is None:
            continue
        ground = Ground(scene, place, code, statement, _held(place, statement) if name == "taken out" else None)
        made += list(turn.at_statement(statement, ground))
        for top in (*statement.parts, *statement.targets):
            for part in top.walk():
                made += list(turn.at_part(part, ground))
    assert made, f"{name} ({module}) proposes nothing"
    assert all(item.turn for item in made)


def test_the_program_is_mended_where_no_rule_knows_it(project: Project) -> None:
    folder = project({"report.py": PROGRAM, "hives.csv": DATA})
    before = (folder / "report.py").read_text()
    jam = mended(folder)
    assert jam.keys[0].trial.outcome == "runs"
    assert jam.keys[0].trial.printed.strip() == "30.0"
    assert (folder / "report.py").read_text() == before
    assert sorted(path.name for path in folder.iterdir()) == ["hives.csv", "report.py"]
    shown = [key for key in jam.keys[:3] if key.trial.outcome == "runs"]
    assert len({key.trial.printed for key in shown}) == len(shown), "keys that print the same are one idea"


@pytest.mark.parametrize(
    ("source", "printed"),
    [
        ("import datetime\nday = datetime.datetime(2031, 5, 28)\nprint(day - datetime.date(2031, 5, 1))\n", "27 days"),
        ("def double(rows):\n    return map(lambda n: n * 2, rows)\n\n\nprint(len(double([1, 2, 3])))\n", "3"),
        ("hives = {'oak': 3}\n\n\ndef kilos(name):\n    return hives(name)\n\n\nprint(kilos('oak'))\n", "3"),
        ("class Hive:\n    def __init__(self, name):\n        name = name\n\n\nprint(Hive('oak').name)\n", "oak"),
        ("def best(rows):\n    top = max(rows)\n\n\nprint(best([1, 3]) + 1)\n", "4"),
    ],
    ids=["two sorts of day", "a generator has no length", "the other brackets", "self left off", "nothing given back"],
)
@pytest.mark.spread(2)
def test_small_edits_are_found(source: str, printed: str, project: Project) -> None:
    jam = mended(project({"report.py": source}), patience=15.0)
    texts = [key.trial.printed for key in jam.keys[:3] if key.trial.outcome == "runs"]
    assert any(text.strip().startswith(printed) for text in texts), [(key.title, key.trial) for key in jam.keys[:3]]


@pytest.mark.long
def test_two_mistakes_make_one_key(project: Project) -> None:
    source = "def show(hive):\n    return hive.nmae + ': ' + hive.kilos\n\n\nclass Hive:\n    name = 'oak'\n    kilos = 3\n\n\nprint(show(Hive))\n"
    jam = mended(project({"report.py": source}))
    assert any(key.trial.outcome == "runs" and "oak: 3" in key.trial.printed for key in jam.keys[:3]), jam.keys[:3]


@pytest.mark.skipif(not hasattr(os, "fork"), reason="quick trials fork")
def test_a_warm_interpreter_runs_and_puts_back(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    source = "import sys\nopen('out.txt', 'a').write('x')\nopen('kept.txt', 'w').write('new')\nprint(input(), len(open('out.txt').read()))\nsys.exit(3)\n"
    folder = project({"report.py": source, "kept.txt": "old"})
    monkeypatch.chdir(folder)
    target = script_target("report.py", [], python=sys.executable)
    with warm(folder, target, stdin=b"oak\n", unguarded=False, load=()) as runner:
        assert runner is not None
        assert runner.ready()
        for _ in range(3):
            ran = runner.run({}, 5.0)
            assert ran is not None
            assert (ran.status, ran.stdout) == (3, "oak 1\n"), "each trial finds the files as they were"
        ran = runner.run({"report.py": b"raise ValueError('no')\n"}, 5.0)
        assert ran is not None
        assert ran.status == 1
        assert ran.stderr.splitlines()[-1] == "ValueError: no"
        assert "forks.py" not in ran.stderr
        ran = runner.run({"report.py": b"while True: pass\n"}, 0.5)
        assert ran is not None
        assert ran.limit
    assert (folder / "kept.txt").read_text() == "old"
    assert not (folder / "out.txt").exists()
    assert (folder / "report.py").read_text() == source


def test_libraries_are_those_that_are_not_its_own(project: Project) -> None:
    folder = project({"report.py": "import json, hives\nfrom csv import reader\n", "hives.py": "import report\n"})
    assert libraries(Sources(folder)) == {"json", "csv"}


@pytest.mark.parametrize(
    ("before", "after"),
    [("a\nb\nc\n", "a\nx\nc\n"), ("a\nb", "a\nb\nc"), ("", "a\n"), ("a\nb\n", "b\n"), ("a\nb\nc\n", "x\nb\nc\nd\n")],
)
def test_edits_between_two_texts(before: str, after: str) -> None:
    assert splice(before, between("a.py", before, after)) == after


def test_patience_of_nothing_tries_nothing(project: Project) -> None:
    folder = project({"report.py": PROGRAM, "hives.csv": DATA})
    (folder / "report.py").write_text(UNRULED)
    assert mended(folder).keys[0].trial.outcome == "runs"
    assert not mended(folder, patience=0.0).keys, "no kind knows it, and nothing else is tried"


def test_what_is_said_last_counts(project: Project) -> None:
    folder = project({"report.py": UNRULED, "jamkey.toml": "patience = 0\n"})

    def searched(*words: str, patience: str = "") -> bool:
        ran = jamkey("fix", "--preview", *words, "report.py", cwd=folder, env={"JAMKEY_PATIENCE": patience})
        assert ran.status == 1, ran.err
        return "Put in `self.`" in ran.out + ran.err

    assert [searched(), searched(patience="6"), searched("--patience", "6", patience="0")] == [False, True, True]
    wrong = jamkey("fix", "report.py", cwd=folder, env={"JAMKEY_PATIENCE": "long"})
    assert wrong.status == 2 and "JAMKEY_PATIENCE is 'long': give it seconds" in wrong.err


def test_a_busy_machine_gets_its_trials_all_the_same(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"report.py": PROGRAM, "hives.csv": DATA})
    target = script_target(str(folder / "report.py"), [])
    outcome = run_captured(target, folder)
    hours = itertools.count(0.0, 3600.0)
    monkeypatch.setattr("jamkey.search.by_trial.time", SimpleNamespace(monotonic=lambda: next(hours)))
    jam = main_jam(outcome)
    assert jam is not None
    done: list[int] = []
    jam_of = tried(outcome, target, jam, settings=Settings(patience=6.0), progress=lambda count, _, key: done.append(count))
    assert 1 <= max(done) <= RUNS + 2
    assert jam_of.keys[0].trial.outcome == "runs", "what is likeliest was tried"


@pytest.mark.parametrize(
    ("program", "line", "kept", "gone"),
    [
        ("with open('a.txt', 'w') as file:\n    file.write(31)\n", 2, "file.write(str(31))", "file"),
        ("hives = ['oak']\nhives.push('elm')\n", 2, "hives.append('elm')", "hives.count('elm')"),
        ("hives = ['oak']\nhives.push('elm')\nprint(hives)\n", 2, "hives.append('elm')", "hives.push * ('elm')"),
        ("prnt('oak')\n", 1, "print('oak')", "repr('oak')"),
    ],
)
def test_no_edit_leaves_a_statement_that_does_nothing(project: Project, program: str, line: int, kept: str, gone: str) -> None:
    folder = project({"report.py": program})
    target = script_target(str(folder / "report.py"), [])
    jam = main_jam(run_captured(target, folder))
    assert jam is not None
    scene = Scene(jam, Sources(folder))
    texts = [item.texts["report.py"].split("\n") for item in candidates(scene) if "report.py" in item.texts]
    rows = [rows[line - 1].strip() for rows in texts if len(rows) >= line]
    assert kept in rows
    assert gone not in rows


def test_where_a_value_alone_is_shown_it_stays(project: Project) -> None:
    folder = project({"report.R": "kilos <- c(31, 12)\nprnt(kilos)\n"})
    outcome = run_captured(command_target(["Rscript", "report.R"]), folder)
    jam = main_jam(outcome)
    assert jam is not None
    rows = [text.split("\n")[1] for item in candidates(Scene(jam, Sources(folder))) for text in item.texts.values()]
    assert "kilos" in rows, "R prints what stands alone"
