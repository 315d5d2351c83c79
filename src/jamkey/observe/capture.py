"""Run a program in the background with given input, keeping all that it prints: the first run of `fix`, all second runs."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

import msgspec

from jamkey import system
from jamkey.errors import NoSandbox
from jamkey.observe import sandbox
from jamkey.observe.launch import agent_environment, forget_wire, wire_path
from jamkey.observe.typed import Typed
from jamkey.observe.wire import fault_text

#: Kept of each stream, in bytes; a program that prints without end must not fill the memory.
MOST_KEPT = 8 * 1024 * 1024
_GRACE = 2.0
#: Seconds that the rest of an input is waited for which the program has not read to its end.
_REST = 0.5
_LAUNCHER = os.path.join(os.path.dirname(os.path.abspath(__file__)), "agents", "held.py")


@dataclass(frozen=True)
class Held:
    """The folders that a second run is held in."""

    #: It may write to these, with all below.
    writable: tuple[str, ...]
    #: {"lower", "upper", "work", "merged"}: a view of `lower` at `merged` whose changes land in `upper`.
    overlay: dict[str, str] | None = None
    #: Where its agent writes: one of `writable`.
    temporary: str = ""
    #: Whether it may run although nothing holds it here.
    unguarded: bool = False
    #: Whether what runs is a browser: what it connects to by itself is not the page's doing.
    browser: bool = False


@dataclass(frozen=True)
class Captured:
    """How a captured run ended."""

    status: int
    stdout: bytes
    stderr: bytes
    #: Seconds.
    seconds: float
    hit_limit: bool
    wire: str
    stdin: bytes = b""
    #: What a held run was refused, in words.
    refused: tuple[str, ...] = ()
    #: Files it asked to write to, and got for reading only.
    unsure: tuple[str, ...] = ()


class _Answer(msgspec.Struct):
    status: int
    refused: tuple[str, ...] = ()
    unsure: tuple[str, ...] = ()
    held: tuple[str, ...] = ()


@dataclass
class _Streams:
    """The program's streams on their way."""

    process: subprocess.Popen[bytes]
    kept: list[list[bytes]] = field(default_factory=lambda: [[], []])
    readers: list[threading.Thread] = field(default_factory=list)
    ended: threading.Event = field(default_factory=threading.Event)

    def begin(self, stdin: Typed, echo: bool) -> None:
        for index, stream in enumerate((self.process.stdout, self.process.stderr)):
            thread = threading.Thread(target=_drain, args=(stream, self.kept[index], (index + 1) if echo else 0), daemon=True)
            thread.start()
            self.readers.append(thread)
        threading.Thread(target=stdin.feed, args=(self.process.stdin, self.ended), daemon=True).start()

    def finish(self) -> tuple[bytes, bytes]:
        self.ended.set()
        for thread, stream in zip(self.readers, (self.process.stdout, self.process.stderr), strict=True):
            thread.join(1.0)
            if stream is not None and not thread.is_alive():
                stream.close()  # a grandchild that still writes keeps its end, and its reader
        return b"".join(self.kept[0]), b"".join(self.kept[1])


def capture(
    argv: list[str],
    *,
    executable: str,
    cwd: Path,
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    echo: bool = False,
    env: dict[str, str] | None = None,
    runtime: str = "",
    held: Held | None = None,
) -> Captured:
    """Run to the end or to the limit. Nothing that the program has started outlives it, or us.

    Args:
        argv: the full command.
        executable: the file to start.
        cwd: working folder.
        stdin: what the program may read.
        limit: seconds, 0 for none.
        echo: pass what it prints on to our own standard output and error as well.
        env: variables to add.
        runtime: whose agent is to look at a failure; Python's by default.
        held: the folders that it may write to; None for a run as any other.

    Raises:
        OSError: the program cannot be started.
        NoSandbox: nothing can hold it here, and nobody has said that it may run all the same.
    """
    wire = os.path.join(held.temporary, "agent.jsonl") if held is not None and held.temporary else wire_path()
    variables = {**agent_environment(wire, runtime=runtime), **(env or {})}
    if held is not None:
        variables["JAMKEY_GUARD"] = os.pathsep.join(held.writable)
    native = sandbox.native()
    command, program = list(argv), executable
    ours = theirs = -1
    if native:
        ours, theirs = os.pipe()
        specification = {
            "hold": held is not None,
            "writable": list(held.writable) if held is not None else [],
            "overlay": held.overlay if held is not None else None,
            "cwd": str(cwd),
            "browser": held.browser if held is not None else False,
            "answers": theirs,
            "parent": os.getpid(),
        }
        program = sys.executable
        command = [program, "-I", "-S", _LAUNCHER, msgspec.json.encode(specification).decode(), executable, *argv]
    elif held is not None:
        holds = sandbox.holder()
        if holds is not None:
            command, program = holds.command(argv, executable, held.writable)
        elif not held.unguarded:
            raise NoSandbox("this system offers nothing that keeps a second run from changing your files")
    start = time.monotonic()
    try:
        process = subprocess.Popen(
            command,
            executable=program,
            cwd=cwd,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            env=variables,
            **system.apart(theirs),
        )
    except BaseException:  # also where we are ended in the middle of it: the program may have begun
        if native:
            os.close(ours)
        forget_wire(wire)
        raise
    finally:
        if native:
            os.close(theirs)
    streams = _Streams(process)
    typed = stdin if isinstance(stdin, Typed) else Typed(kept=stdin)
    try:
        streams.begin(typed, echo)
        hit = _wait(process, limit)
        answer = _answered(ours) if native else None
    except BaseException:
        streams.ended.set()
        if process.poll() is None:
            _stop(process)
        forget_wire(wire)
        raise
    finally:
        if native:
            os.close(ours)
    stdout, stderr = streams.finish()
    stderr += fault_text(wire)
    seconds = time.monotonic() - start
    status = answer.status if answer is not None else -9 if native else process.returncode
    if held is not None and native and (answer is None or not answer.held) and not hit:
        raise NoSandbox(stderr.decode("utf-8", "replace").strip() or "the system holds no program in its folders")
    refused = [*(answer.refused if answer is not None else ()), *_refused(wire)]
    return Captured(
        status,
        stdout,
        stderr,
        seconds,
        hit,
        wire,
        typed.rest(_REST),
        tuple(dict.fromkeys(refused)),
        answer.unsure if answer is not None else (),
    )


def _answered(handle: int) -> _Answer | None:
    """Return what the launcher says at the end; None when it was killed before."""
    data = b""
    with contextlib.suppress(OSError):
        while piece := os.read(handle, 65536):
            data += piece
    try:
        return msgspec.json.decode(data, type=_Answer)
    except msgspec.MsgspecError:
        return None


def _refused(wire: str) -> list[str]:
    """Return what the agent refused."""
    try:
        text = Path(wire + ".refused").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return []
    Path(wire + ".refused").unlink(missing_ok=True)
    return list(dict.fromkeys(text.splitlines()))[:20]


def _wait(process: subprocess.Popen[bytes], limit: float) -> bool:
    """Wait for the end; at the limit interrupt, then kill. An interrupt of our own ends the program too."""
    try:
        process.wait(limit or None)
        return False
    except subprocess.TimeoutExpired:
        pass
    except BaseException:
        _stop(process)
        raise
    _stop(process)
    return True


def _stop(process: subprocess.Popen[bytes]) -> None:
    system.kill_group(process.pid, hard=False)
    try:
        process.wait(_GRACE)
        return
    except subprocess.TimeoutExpired:
        pass
    if sandbox.native():
        process.terminate()  # the launcher ends everything below it
        try:
            process.wait(_GRACE)
            return
        except subprocess.TimeoutExpired:
            pass
    system.kill_group(process.pid, hard=True)
    process.wait()


def _drain(stream: IO[bytes] | None, kept: list[bytes], handle: int) -> None:
    size = 0
    if stream is None:
        return
    with contextlib.suppress(OSError, ValueError):
        while data := os.read(stream.fileno(), 65536):
            if size < MOST_KEPT:
                kept.append(data)
                size += len(data)
            if handle:
                os.write(handle, data)
