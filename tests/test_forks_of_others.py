"""R and Octave that stay beside quick trials: what a script prints and how it ends is as without them."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

import psutil
import pytest

from jamkey.observe.target import command_target
from jamkey.trials.warm import Ran, Warm, warm
from tests.conftest import corpus_cases, truth_of

Project = Callable[[Mapping[str, str | bytes]], Path]

#: program -> small scripts, each with what only some of them do
SCRIPTS: dict[str, dict[str, str]] = {
    "Rscript": {
        "values are shown": "c(oak = 3, lime = 4)\nx <- 5\ninvisible(x)\nx\ndata.frame(hive = 'oak', kilos = 3)\n",
        "an error within calls": "f <- function(x) g(x)\ng <- function(x) x + 1\ncat('first\\n')\nf('oak')\ncat('never\\n')\n",
        "its own words": "check <- function(kilos) if (kilos < 0) stop('no weight: ', kilos)\ncheck(-3)\n",
        "a long error": "f <- function(hive) stop('a weight that nobody can have read off the scales of this hive, oak')\nf(3)\n",
        "it ends itself": "cat('done\\n')\nq(status = 3)\ncat('never\\n')\n",
        "messages": "message('weighing')\nwarning('light')\nprint(3)\n",
        "a file beside it": "source('more.R')\nprint(kilos(2))\n",
        "it writes": "writeLines('3', 'made.txt')\nprint(readLines('made.txt'))\n",
        "a class with a method": "setClass('Hive', representation(kilos = 'numeric'))\n"
        "setMethod('show', 'Hive', function(object) cat('hive of', object@kilos, '\\n'))\nnew('Hive', kilos = 3)\n",
        "what was typed": "rows <- readLines(file('stdin'))\nprint(rows)\n",
        "its arguments": "print(length(commandArgs(TRUE)))\n",
        "its own handler": "options(error = function() { cat('handled\\n'); q(status = 4) })\nstop('no')\n",
        "no grammar": "x <- (3\nprint(x)\n",
    },
    "octave-cli": {
        "values are shown": "x = 3\ny = {1, 'oak'};\nhive.kilos = 4\nprintf (\"%d\\n\", 5);\n",
        "an error within calls": "1;\nfunction r = g (x)\n  r = x + [1 2 3];\nend\ndisp (1)\ng ([1 2])\ndisp (2)\n",
        "its own words": "error ('hive:light', 'no weight: %d', -3);\n",
        "it ends itself": "disp ('done')\nexit (3)\ndisp ('never')\n",
        "a function beside it": "disp (kilos (2))\n",
        "it writes": "fid = fopen ('made.txt', 'w'); fprintf (fid, '3'); fclose (fid);\ndisp (fileread ('made.txt'))\n",
        "its arguments": "disp (numel (argv ()))\n",
    },
}
BESIDE = {"more.R": "kilos <- function(n) n * 3\n", "kilos.m": "function k = kilos (n)\n  k = n * 3;\nend\n"}
TABLE = [(program, what) for program, scripts in SCRIPTS.items() for what in scripts]


@contextmanager
def begun(folder: Path, argv: list[str], monkeypatch: pytest.MonkeyPatch, stdin: bytes = b"") -> Iterator[Warm]:
    monkeypatch.chdir(folder)
    with warm(folder, command_target(argv), stdin=stdin, unguarded=False, load=()) as runner:
        assert runner is not None
        assert runner.ready()
        yield runner


def ran(runner: Warm, files: dict[str, bytes] | None = None, limit: float = 30.0) -> Ran:
    answer = runner.run(files or {}, limit)
    assert answer is not None
    return answer


def plainly(argv: list[str], folder: Path, stdin: bytes = b"") -> tuple[int, str, str]:
    done = subprocess.run(argv, cwd=folder, input=stdin, capture_output=True, timeout=60)
    return done.returncode, done.stdout.decode(), done.stderr.decode()


def last_error(text: str) -> list[str]:
    """Return what an error says, however it is cut into lines."""
    joined = " ".join(text.split())
    return [word for word in joined.split("Calls:")[0].split() if not word.startswith("error:")][-6:]


@pytest.mark.parametrize(("program", "what"), TABLE, ids=[f"{program}-{what}" for program, what in TABLE])
def test_a_script_runs_as_without_it(program: str, what: str, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    file = "a.R" if program == "Rscript" else "a.m"
    folder = project({file: SCRIPTS[program][what], **BESIDE})
    plain = plainly([program, file], folder, b"oak\nlime\n")
    (folder / "made.txt").unlink(missing_ok=True)
    with begun(folder, [program, file], monkeypatch, b"oak\nlime\n") as runner:
        first, second = ran(runner), ran(runner)
    if what != "no grammar":  # nothing of it is run: R itself runs what stands before
        assert (first.status, first.stdout) == plain[:2], first.stderr
    assert (first.status, first.stdout, first.stderr) == (second.status, second.stdout, second.stderr)
    if plain[0] == 1 and "handler" not in what and what != "no grammar":
        assert set(last_error(first.stderr.split("Execution")[0])) & set(last_error(plain[2].split("Execution")[0]))
    assert not (folder / "made.txt").exists(), "what a trial writes stays in its copy"


@pytest.mark.parametrize(
    ("program", "file", "endless", "good"),
    [("Rscript", "a.R", "while (TRUE) 1\n", "print(3)\n"), ("octave-cli", "a.m", "while (true) 1; end\n", "disp (3)\n")],
)
def test_one_that_does_not_end_is_ended_and_the_next_runs(
    program: str, file: str, endless: str, good: str, project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = project({file: good})
    with begun(folder, [program, file], monkeypatch) as runner:
        assert "3" in ran(runner).stdout
        stopped = ran(runner, {file: endless.encode()}, 1.0)
        assert (stopped.limit, stopped.stdout) == (True, "")
        assert "3" in ran(runner).stdout, "the answer is that of this script"
        assert "3" in ran(runner, {file: good.encode()}).stdout
    assert not [one for one in psutil.Process().children(recursive=True) if "forks." in " ".join(one.cmdline())]


@pytest.mark.parametrize(("program", "file"), [("Rscript", "a.R"), ("octave-cli", "a.m")])
def test_changed_files_are_read_anew(program: str, file: str, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    shown = {"a.R": "print(kilos(2))\n", "a.m": "disp (kilos (2))\n"}[file]
    call = {"a.R": "source('more.R')\n" + shown, "a.m": shown}[file]
    beside = {"a.R": "more.R", "a.m": "kilos.m"}[file]
    folder = project({file: call, **BESIDE})
    with begun(folder, [program, file], monkeypatch) as runner:
        assert "6" in ran(runner).stdout
        assert "10" in ran(runner, {beside: BESIDE[beside].replace("* 3", "* 5").encode()}).stdout
        assert "6" in ran(runner).stdout


def command_of(case: Path) -> list[str]:
    argv: list[str] = json.loads((case / "cmd.json").read_text(encoding="utf-8"))["argv"]
    return argv


CASES = [
    case
    for case in corpus_cases()
    if truth_of(case)["runtime"] in ("r", "octave") and (case / "fixed").is_dir() and command_of(case)[0] in SCRIPTS
]


@pytest.mark.spread(6)
@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_mended_programs_print_the_same(case: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    argv = command_of(case)
    folder = tmp_path / "project"
    shutil.copytree(case / "src", folder)
    shutil.copytree(case / "fixed", folder, dirs_exist_ok=True)
    plain = plainly(argv, folder)
    with begun(folder, argv, monkeypatch) as runner:
        found = ran(runner)
    assert (found.status, found.stdout) == plain[:2], found.stderr


def test_the_interpreter_that_is_named_is_the_one_that_stays(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = shutil.which("Rscript")
    assert real is not None
    other = tmp_path / "other" / "Rscript"
    other.parent.mkdir()
    other.write_text(f'#!/bin/sh\nHIVES=3 exec {real} "$@"\n')
    other.chmod(0o755)
    folder = project({"a.R": "cat(Sys.getenv('HIVES'), '\\n')\n"})
    with begun(folder, [str(other), "a.R"], monkeypatch) as runner:
        assert ran(runner).stdout == "3 \n"


def test_what_the_folder_sets_up_is_set_up(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project(
        {"a.R": "cat(kilos, '\\n')\n", ".Rprofile": "kilos <- 3\n", "a.m": "disp (kilos)\n", ".octaverc": "kilos = 4;\n"}
    )
    for argv in (["Rscript", "a.R"], ["octave-cli", "a.m"]):
        plain = plainly(argv, folder)
        with begun(folder, argv, monkeypatch) as runner:
            found = ran(runner)
        assert (found.status, found.stdout) == plain[:2], found.stderr
