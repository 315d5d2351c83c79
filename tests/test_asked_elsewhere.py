"""JavaScript, R, Lua and Octave are asked too: what edits would do where they stand, in the scopes of the running program."""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.observe.target import command_target
from jamkey.pipeline import diagnose
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import gathered
from jamkey.search.judge import judged
from jamkey.search.weights import Proposed
from jamkey.trials.warm import warm
from tests.conftest import corpus_cases, runs_noted, truth_of

Project = Callable[..., Path]
pytestmark = pytest.mark.skipif(not hasattr(os, "fork"), reason="quick trials are forks")

PRICES_JS = """\
const fs = require('fs')

function read(path) {
  return fs.readFileSync(path, 'utf8').split('\\n').map(parse)
}

function parse(row) {
  const [hive, kilos] = row.split(';')
  return { hive, kilos: kilos.trim() }
}

const total = (rows) => rows.reduce((sum, row) => sum + row.kilos, 0)

console.log('total', total(read('hives.csv')))
"""
PRICES_R = """\
read_hives <- function(path) {
  hives <- read.csv(path, sep = ";")
  hives$kilos
}

share <- function(kilos, total) {
  kilos / total
}

weights <- read_hives("hives.csv")
for (weight in weights) {
  cat(share(weight, sum(weights)), "\\n")
}
"""


def asked(folder: Path, monkeypatch: pytest.MonkeyPatch, *command: str) -> tuple[Scene, list[Proposed]]:
    """Return what is proposed for a program that fails, with what the running program says."""
    monkeypatch.chdir(folder)
    target = command_target(list(command))
    jam = main_jam(run_captured(target, folder))
    assert jam is not None and jam.snag is not None
    sources = Sources(folder)
    scene = Scene(diagnose(jam, sources), sources)
    with warm(folder, target, stdin=b"", unguarded=False, load=()) as runner:
        assert runner is not None and runner.ready()
        before = sorted(path.name for path in runner.place.project.iterdir())
        found = judged(scene, gathered(scene, seconds=5), runner, 20, 4)
        assert sorted(path.name for path in runner.place.project.iterdir()) == before, "nothing of ours stays in the project"
    return scene, found


def words(found: list[Proposed], line: int) -> dict[str, str]:
    """Return text of an edit on a line -> what the running program says of it."""
    return {
        item.made.text: item.here or (item.there.word if item.there is not None else "")
        for item in found
        if item.made is not None and item.made.span.line == line and not item.made.more
    }


def test_javascript_where_it_failed(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"hives.js": PRICES_JS, "hives.csv": "oak;31.5\nlinden;28.5\n"})
    _, found = asked(folder, monkeypatch, "node", "hives.js")
    failing = words(found, 9)
    assert failing["String(kilos)"] == "passes"
    assert "passes" in failing.values() and "same" in failing.values()


def test_javascript_elsewhere(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"hives.js": PRICES_JS, "hives.csv": "oak;31.5\nlinden;28.5\n"})
    scene, found = asked(folder, monkeypatch, "node", "hives.js")
    outer = {item.made.text: item.here for item in found if item.made is not None and item.made.span.line == 4}
    text = scene.row("hives.js", 4)
    assert "readFileSync" in text
    # the reading of the file failed there as well: the callback is called in it
    assert any("trim()" in edit and said == "passes" for edit, said in outer.items())


def test_javascript_of_modules_and_without_semicolons(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    files = {
        "main.mjs": "import { mean } from './means.mjs'\n\nconst counts = null\nconsole.log('begin')\nconsole.log(mean(counts))\n",
        "means.mjs": "export function mean(values) {\n  let sum = 0\n  for (const value of values) sum += value\n  return sum\n}\n",
    }
    _, found = asked(project(files), monkeypatch, "node", "main.mjs")
    assert "passes" in {item.here for item in found}


def test_a_form_that_ends_the_program_or_changes_it_does_no_harm(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    program = """\
const queue = ['oak'];

function next() {
  return queue.shift();
}

const first = next().length;
const stop = () => process.exit(0);
console.log(first, next().length, stop);
"""
    _, found = asked(project({"hives.js": program}), monkeypatch, "node", "hives.js")
    said = words(found, 9)
    assert said, "edits of the failing line are proposed"
    assert set(said.values()) <= {"passes", "same", "other", ""}


def test_javascript_that_waits(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    """What may only stand in a function that waits is not said to fail."""
    program = """\
async function load() {
  return ['oak'];
}

async function main() {
  const hives = load();
  console.log(hives.map((hive) => hive.length));
}

main();
"""
    _, found = asked(project({"hives.js": program}), monkeypatch, "node", "hives.js")
    said = words(found, 6)
    assert said["await load()"] == ""
    assert said["[load()]"] == "other"


def test_r_where_it_failed(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"hives.R": PRICES_R, "hives.csv": "hive;kilos\noak;31,5\nlinden;28,5\n"})
    _, found = asked(folder, monkeypatch, "Rscript", "hives.R")
    failing = words(found, 12)
    assert "same" in failing.values() and "passes" in failing.values()
    reading = {text: word for text, word in words(found, 2).items() if "read" in text or "sep" in text}
    assert any('dec = ","' in text and word == "other" for text, word in reading.items())
    assert any("header = TRUE" in text and word == "same" for text, word in reading.items())


def test_r_tells_what_it_gives(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"hives.R": PRICES_R, "hives.csv": "hive;kilos\noak;31,5\nlinden;28,5\n"})
    _, found = asked(folder, monkeypatch, "Rscript", "hives.R")
    types = {
        item.made.text: item.there.type
        for item in found
        if item.made is not None and item.there is not None and item.made.span.line == 3
    }
    assert types["length(hives$kilos)"] == "integer_one"


def test_r_keeps_the_projects_own_profile(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    files = {
        ".Rprofile": "bee_factor <- 2\n",
        "hives.R": 'kilos <- c("31", "28")\ndoubled <- bee_factor + 1\ncat(kilos[1] * doubled, "\\n")\n',
    }
    _, found = asked(project(files), monkeypatch, "Rscript", "hives.R")
    assert words(found, 3)["as.numeric(kilos[1])"] == "passes"


LUA = """\
local function share(kilos, total)
  return kilos / total
end

local hives = { { name = "oak", kilos = "31 kg" }, { name = "linden", kilos = "28 kg" } }
local total = 0
for _, hive in ipairs(hives) do
  total = total + 30
  print(hive.name, share(hive.kilos, total))
end
"""


@pytest.mark.parametrize("lua", ["lua5.1", "lua5.2", "lua5.4"])
def test_lua(project: Project, monkeypatch: pytest.MonkeyPatch, lua: str) -> None:
    _, found = asked(project({"hives.lua": LUA}), monkeypatch, lua, "hives.lua")
    failing = words(found, 2)
    assert failing["#kilos"] == "passes", "a length can be divided"
    assert "same" in failing.values() and "other" in failing.values()
    # the call fails with what is called: without it the line goes on
    assert words(found, 9)["print(hive.name)"] == "passes"


def test_lua_of_several_files(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    files = {
        "main.lua": 'local tools = require("tools")\nlocal kilos = "31"\nprint(tools.first(kilos) + 1)\n',
        "tools.lua": "local tools = {}\nfunction tools.first(text)\n  return text:match('%a+')\nend\nreturn tools\n",
    }
    _, found = asked(project(files), monkeypatch, "lua5.4", "main.lua")
    assert "passes" in words(found, 3).values()
    inner = {item.there.word for item in found if item.there is not None and item.ground is not None}
    assert "other" in inner


OCTAVE = """\
1;
function out = weighted (counts, kilos)
  out = counts * kilos;
end
counts = [1 2 3];
kilos = [31 28 30];
total = sum (weighted (counts, kilos));
printf ("%d\\n", total);
"""


def test_octave(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    _, found = asked(project({"hives.m": OCTAVE}), monkeypatch, "octave-cli", "hives.m")
    failing = words(found, 3)
    assert failing["counts .* kilos"] == "passes" and failing["kilos(1)"] == "passes"
    assert failing["-kilos"] == "same"
    assert "other" in failing.values()


def test_other_runtimes_are_left_alone(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"hives.c": "int main(void) { int kilos = 0; return 31 / kilos; }\n"})
    _, found = asked(folder, monkeypatch, "sh", "-c", "gcc -g hives.c -o hives && ./hives")
    assert not any(item.here or item.there for item in found)


ELSEWHERE = [
    case
    for runtime in ("javascript", "r", "lua", "octave")
    for case in corpus_cases(runtime)
    if truth_of(case)["phase"] == "run"
    and truth_of(case)["how"] == "real"
    and not list((case / "src").glob("*.html"))
    # it prints its own calls, among which ours are
    and not any("traceback(" in script.read_text(encoding="utf-8") for script in (case / "src").glob("*.R"))
]


@pytest.mark.corpus
@pytest.mark.spread(6)
@pytest.mark.parametrize("case", ELSEWHERE, ids=lambda case: f"{case.parent.name}-{case.name}")
def test_asking_changes_nothing_of_what_is_printed(case: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """With calls of ours in it the program prints what it printed, until it fails; what forms print comes behind."""
    folder = tmp_path / "project"
    shutil.copytree(case / "src", folder)
    monkeypatch.chdir(folder)
    given = json.loads((case / "cmd.json").read_text())
    assert shutil.which(given["argv"][0]), f"{given['argv'][0]} is not installed: .ci/run installs it"
    target, stdin = command_target(given["argv"]), (given.get("stdin") or "").encode()
    jam = main_jam(run_captured(target, folder, stdin=stdin))
    assert jam is not None and jam.snag is not None
    sources = Sources(folder)
    scene = Scene(diagnose(jam, sources), sources)
    with warm(folder, target, stdin=stdin, unguarded=False, load=()) as runner:
        assert runner is not None and runner.ready()
        before = runner.run({}, 20)
        said = runs_noted(monkeypatch)
        judged(scene, gathered(scene, seconds=2), runner, 20, 0.5)
    assert before is not None
    for ran in said:
        assert ran.stdout.startswith(before.stdout.rstrip("\n"))
