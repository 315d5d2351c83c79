"""A program that caught its failure and printed only what it said: the words are known again, in each runtime."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.errors import NoFailureFound
from jamkey.observe.target import command_target
from jamkey.pipeline import read_and_diagnose
from jamkey.runs.read_run import jams_of
from tests.conftest import jamkey

Project = Callable[..., Path]

PROGRAMS = {
    "node": (
        "hives.js",
        "const hives = [{ queen: 'blue' }, { queen: 'red' }];\n\nfunction queens(list) {\n  const marks = [];\n"
        "  for (let i = 1; i <= list.length; i++) {\n    marks.push(list[i].queen);\n  }\n  return marks;\n}\n\n"
        "try {\n  console.log(queens(hives).join(', '));\n} catch (error) {\n  console.error('could not finish: ' + error.message);\n"
        "  process.exit(3);\n}\n",
        ("missing-value", 6, 5),
    ),
    "octave-cli": (
        "gain.m",
        '1;\nfunction check (kilos)\n  if (kilos < 0)\n    error ("Hive:weight", "no hive weighs %d kg", kilos);\n  end\nend\n'
        'try\n  check (-3);\ncatch err\n  fprintf (stderr, "%s: %s\\n", err.identifier, err.message);\n  exit (1);\nend\n',
        ("raised-on-purpose", 4, 8),
    ),
    "Rscript": (
        "gain.R",
        'check <- function(kilos) {\n  if (kilos < 0) stop("no hive weighs less than nothing")\n  kilos\n}\n'
        'tryCatch(print(check(-3)), error = function(e) {\n  message("it failed: ", conditionMessage(e))\n  quit(status = 2)\n})\n',
        ("raised-on-purpose", 2, 5),
    ),
    "lua5.4": (
        "gain.lua",
        "local function mean(row)\n  return row.kilos / row.frames\nend\nlocal good, said = pcall(mean, { kilos = 3 })\n"
        "if not good then\n  io.stderr:write('it failed: ' .. said .. '\\n')\n  os.exit(4)\nend\n",
        (None, 2, 4),
    ),
    "python": (
        "gain.py",
        "import sys\n\n\ndef check(kilos):\n    if kilos < 0:\n        raise ValueError(f'no hive weighs {kilos} kg')\n    return kilos\n\n\n"
        "try:\n    print(check(-3))\nexcept ValueError as error:\n    print('Error:', error, file=sys.stderr)\n    sys.exit(2)\n",
        ("raised-on-purpose", 6, 11),
    ),
}


@pytest.mark.parametrize("program", PROGRAMS)
def test_the_words_are_known_again(program: str, project: Project) -> None:
    name, text, (kind, snag, root) = PROGRAMS[program]
    folder = project({name: text})
    assert program == "python" or shutil.which(program), ".ci/run installs it"
    command = (name,) if program == "python" else ("--", program, name)
    done = jamkey("run", *command, cwd=folder)
    assert done.status in (1, 2, 3, 4), "the status is the program's own"
    assert kind is None or kind in done.err
    assert f"line {snag}" in done.err
    printed = done.err.partition("\n\n")[0] + "\n"
    (jam,) = read_and_diagnose(printed, root=folder)
    assert jam.snag_frame is not None and jam.snag_frame.line == snag
    assert root in [item.line for item in jam.roots] or kind is None
    if kind is not None:
        assert "Only its words are here, and no trace" in jam.meaning


def test_the_program_s_own_words_stand_beside_what_it_caught(project: Project) -> None:
    name, text, _ = PROGRAMS["node"]
    done = jamkey("run", "--", "node", name, cwd=project({name: text}))
    told = " ".join(done.err.split())
    assert "jam could not finish: Cannot read properties of undefined (reading 'queen')" in told
    assert "known words: Cannot read properties of undefined (reading 'queen')" in told


def test_such_a_program_is_mended(project: Project) -> None:
    name, text, _ = PROGRAMS["node"]
    folder = project({name: text})
    done = jamkey("fix", "--yes", "--", "node", name, cwd=folder)
    assert done.status == 0, done.err
    assert "i < list.length" in (folder / name).read_text()


@pytest.mark.parametrize(
    "printed",
    [
        "oak 31.5 kg\nelm 28.0 kg\n",
        "total: 59.5\n",
        "Error: see the log\n",
        "done (3 hives)\n",
        "no hive is heavier than 40 kg\n",
    ],
)
def test_plain_output_holds_no_failure(printed: str, project: Project) -> None:
    files = {name: text for name, text, _ in PROGRAMS.values()}
    with pytest.raises(NoFailureFound):
        read_and_diagnose(printed, root=project(files))


def test_a_debugger_ends_well_and_the_program_did_not() -> None:
    printed = b"\nProgram received signal SIGFPE, Arithmetic exception.\n0x05 in share (kilos=31, frames=0) at main.c:5\n5\t    return kilos / frames;\n#0  0x05 in share (kilos=31, frames=0) at main.c:5\n#1  0x09 in main () at main.c:9\n"
    target = command_target(["gdb", "-batch", "-ex", "run", "./main"])
    (jam,) = jams_of(b"", "", target=target, status=0, stdout=printed)
    assert (jam.exception_type, jam.frames[-1].line) == ("SIGFPE", 5)
    assert not jams_of(b"", "", target=target, status=0, stdout=b"[Inferior 1 (process 12) exited normally]\n")
    assert not jams_of(b"", "", target=target, status=0, stdout=printed.replace(b"SIGFPE", b"SIGINT"))
    log = b'Exception in thread "main" java.lang.IllegalStateException: no queen\n\tat Gain.main(Gain.java:11)\n'
    assert jams_of(log, "", target=target, status=0) and not jams_of(b"", "", target=target, status=0, stdout=log)
