"""Where a compiled program stopped, and what its names held there: built once more with our flags, and run under a debugger.

Compilers are found by name, so ours stand before them in the copy: whatever builds the program (a shell, make, our own
runner) builds it with debug information, and what it starts afterwards is started under gdb. A program that had been built
before runs under it as it is. `java` is found by name as well: ours runs it with its debug wire.
"""

from __future__ import annotations

import os
import re
import shlex
import shutil
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec

from jamkey.model import Frame, Value
from jamkey.observe.capture import Captured
from jamkey.secrets import held_text

_AGENTS = Path(__file__).parent / "agents"
_COMPILERS = ("gcc", "g++", "cc", "c++", "clang", "clang++")
_PLAIN = "-g -O0"
#: Stops a program where its memory is first misused; a signal that comes anyway is left to the debugger.
_CHECKED = f"{_PLAIN} -fsanitize=address,undefined -fno-sanitize-recover=undefined -fno-omit-frame-pointer"
_OPTIONS = "detect_leaks=0:color=never:abort_on_error=1:"
_SIZE = re.compile(r"(?:std::)?[\w:<>, *]{1,200}? (?:of length|with) (\d+)\b")
_SIDES = re.compile(r"\[(\d+)\]")


#: What ends a program that is interrupted because it does not end.
INTERRUPTED = "SIGINT"


class _Value(msgspec.Struct):
    name: str
    type: str
    text: str
    length: int | None = None


class _Frame(msgspec.Struct):
    file: str
    line: int
    function: str = ""
    values: list[_Value] = []


class _Stop(msgspec.Struct):
    signal: str = ""
    raised: str = ""
    frames: list[_Frame] = []
    busy: float | None = None


@dataclass(frozen=True)
class Stopped:
    """What the second run told."""

    #: Frames of the program's own code with what they held, outermost first.
    frames: tuple[Frame, ...]
    #: What ended it: the signal's name or the exception's class; empty where it ended itself.
    by: str
    #: What it and the checkers printed to standard error.
    said: str
    #: Share of its life in which it used a processor, where it was interrupted and that is known.
    busy: float | None = None


def stopped(folder: Path, run: Callable[[dict[str, str]], Captured], *, checked: bool) -> Stopped:
    """Build and run a program once more under the debugger.

    Args:
        folder: of ours, where the program runs; the compilers' stand-ins are put there.
        run: runs the command with variables added.
        checked: build with the checkers, which stop it where memory is first misused.
    """
    gdb = shutil.which("gdb") or ""
    out = folder / ("stopped-checked.jsonl" if checked else "stopped.jsonl")
    tools = folder / ("tools-checked" if checked else "tools")
    tools.mkdir(exist_ok=True)
    for name in _COMPILERS:
        if (real := shutil.which(name)) is not None:
            words = [sys.executable, "-I", str(_AGENTS / "built.py"), str(out), gdb, _CHECKED if checked else _PLAIN, real]
            _script(tools / name, words)
    if (java := shutil.which("java")) is not None:
        _script(tools / "java", [sys.executable, "-I", str(_AGENTS / "java.py"), str(out), java])
    if (javac := shutil.which("javac")) is not None:
        _script(tools / "javac", [javac, "-g"])
    env = {"PATH": f"{tools}{os.pathsep}{os.environ.get('PATH', os.defpath)}"}
    kept = "" if not gdb else "handle_segv=0:handle_abort=0:handle_sigfpe=0:handle_sigbus=0:handle_sigill=0:"
    env |= {"ASAN_OPTIONS": _OPTIONS + (kept or "handle_abort=1:"), "UBSAN_OPTIONS": f"print_stacktrace=1:{_OPTIONS}{kept}"}
    ended = run(env)
    said = ended.stderr.decode("utf-8", "replace")
    try:
        stop = msgspec.json.decode(out.read_bytes().splitlines()[-1], type=_Stop)
    except (OSError, IndexError, msgspec.MsgspecError):
        return Stopped((), "", said)
    return Stopped(tuple(_frame(frame) for frame in stop.frames), stop.signal or stop.raised, said, stop.busy)


def stand_in(program: Path, aside: Path, folder: Path) -> bytes:
    """Return what is to stand in for a built program: it runs the one put aside under the debugger."""
    words = [sys.executable, "-I", str(_AGENTS / "debugged.py"), str(folder / "stopped.jsonl"), "gdb", str(aside)]
    return f'#!/bin/sh\nexec {shlex.join(words)} "$@"\n'.encode()


def is_built(path: Path) -> bool:
    """Tell whether a file is a program that a compiler made for this system."""
    try:
        with path.open("rb") as handle:
            return handle.read(4) == b"\x7fELF"
    except OSError:
        return False


def _script(path: Path, words: Sequence[str]) -> None:
    path.write_text(f'#!/bin/sh\nexec {shlex.join(words)} "$@"\n', encoding="utf-8")
    path.chmod(0o755)


def _frame(frame: _Frame) -> Frame:
    values = tuple(_value(value) for value in frame.values)
    return Frame(file=frame.file, line=frame.line or None, function=frame.function or None, values=values)


def _value(value: _Value) -> Value:
    sides = tuple(int(side) for side in _SIDES.findall(value.type))
    size = _SIZE.match(value.text)
    length = sides[0] if sides else int(size[1]) if size else value.length
    return Value(
        name=value.name,
        type=value.type,
        text=held_text(value.name, value.text),
        length=length,
        shape=sides if len(sides) > 1 else None,
    )
