"""Kinds that the words alone do not tell: a stack that is full, a parameter that no call filled, a script's own name."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.pipeline import read, read_and_diagnose

Project = Callable[..., Path]

GDB = "\nProgram received signal SIGSEGV, Segmentation fault.\n0x05 in count (hive=1) at main.c:4\n4\t{\n"


@pytest.mark.parametrize(("calls", "kind"), [(8, "too-deep"), (6, "too-deep"), (3, "memory-misuse")])
def test_a_stack_that_one_function_filled(calls: int, kind: str, project: Project) -> None:
    text = "int count(int hive)\n\n{\n    return 1 + count(hive);\n}\n\nint main(void)\n{\n    return count(1);\n}\n"
    rows = [f"#{number}  0x05 in count (hive=1) at main.c:4" for number in range(calls)]
    rows.append(f"#{calls}  0x09 in main () at main.c:9")
    shown = rows if calls < 6 else rows[:-1]  # a debugger was asked for so many frames
    (jam,) = read_and_diagnose(GDB + "\n".join(shown) + "\n", root=project({"main.c": text}))
    assert jam.kind == kind


def test_a_parameter_that_no_call_filled(project: Project) -> None:
    text = "1;\nfunction more = gain (new, old)\n  more = new - old;\nend\nfunction show (new)\n  disp (gain (new));\nend\nshow (33)\n"
    folder = project({"gain.m": text})
    done = subprocess.run(["octave-cli", "gain.m"], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read_and_diagnose(done.stderr, root=folder)
    assert jam.kind == "unset-name"
    assert "`old` is a parameter of `gain`, and this call of it handed nothing over" in jam.meaning
    assert (jam.roots[0].line, jam.roots[0].reason) == (6, "nothing is handed over for `old` here")
    assert not any("None" in edit.new_text for key in jam.keys for edit in key.edits)


def test_a_name_that_is_no_parameter_is_unknown(project: Project) -> None:
    folder = project({"gain.m": "1;\nfunction more = gain (new)\n  more = new - older;\nend\ngain (3)\n"})
    done = subprocess.run(["octave-cli", "gain.m"], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read_and_diagnose(done.stderr, root=folder)
    assert jam.kind == "unknown-name"


@pytest.mark.parametrize("name", ["main.lua", "lua.lua", "hives.lua"])
def test_a_script_s_name_is_not_the_interpreter_s(name: str, project: Project) -> None:
    """The script prints the trace itself, and its first line begins with the script's name."""
    text = "local row = {}\nlocal function gain(r)\n  return r.new - r.old\nend\nlocal ok, trace = xpcall(gain, debug.traceback, row)\nio.stderr:write(trace, '\\n')\nos.exit(2)\n"
    folder = project({name: text})
    done = subprocess.run(["lua5.4", name], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read(done.stderr)
    assert jam.message == "attempt to perform arithmetic on a nil value (field 'new')"
    assert (jam.kind, jam.frames[-1].line) == ("missing-value", 3)
