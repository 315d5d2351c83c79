"""Run a program in the background with given input, keeping everything it prints; used for trials."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from jamkey.observe.launch import agent_environment, wire_path

#: Kept of each stream, in bytes; a program that prints without end must not fill the memory.
MOST_KEPT = 8 * 1024 * 1024
_GRACE = 2.0


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


def capture(
    argv: list[str],
    *,
    executable: str,
    cwd: Path,
    stdin: bytes = b"",
    limit: float = 0.0,
    echo: bool = False,
    env: dict[str, str] | None = None,
    runtime: str = "",
) -> Captured:
    """Run to the end or to the limit; the whole process group is stopped at the limit.

    Args:
        argv: the full command.
        executable: the file to start.
        cwd: working folder.
        stdin: what the program may read.
        limit: seconds, 0 for none.
        echo: pass what it prints on to our own standard output and error as well.
        env: variables to add.
        runtime: whose agent is to look at a failure; Python's by default.

    Raises:
        OSError: the program cannot be started.
    """
    wire = wire_path()
    start = time.monotonic()
    process = subprocess.Popen(
        argv,
        executable=executable,
        cwd=cwd,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        env={**agent_environment(wire, runtime=runtime), **(env or {})},
        start_new_session=True,
    )
    kept: list[list[bytes]] = [[], []]
    readers = [
        threading.Thread(target=_drain, args=(stream, kept[index], (index + 1) if echo else 0), daemon=True)
        for index, stream in enumerate((process.stdout, process.stderr))
    ]
    feeder = threading.Thread(target=_feed, args=(process.stdin, stdin), daemon=True)
    for thread in (*readers, feeder):
        thread.start()
    hit = _wait(process, limit)
    for thread, stream in zip(readers, (process.stdout, process.stderr), strict=True):
        thread.join(1.0)
        if stream is not None and not thread.is_alive():
            stream.close()  # a grandchild that still writes keeps its end, and its reader
    seconds = time.monotonic() - start
    return Captured(process.returncode, b"".join(kept[0]), b"".join(kept[1]), seconds, hit, wire, stdin)


def _wait(process: subprocess.Popen[bytes], limit: float) -> bool:
    """Wait for the end; at the limit interrupt, then kill. An interrupt of our own ends the program too."""
    try:
        process.wait(limit or None)
        return False
    except subprocess.TimeoutExpired:
        pass
    except KeyboardInterrupt:
        _stop(process)
        raise
    _stop(process)
    return True


def _stop(process: subprocess.Popen[bytes]) -> None:
    for number, pause in ((signal.SIGINT, _GRACE), (signal.SIGKILL, None)):
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(process.pid, number)
        try:
            process.wait(pause)
            return
        except subprocess.TimeoutExpired:
            continue


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


def _feed(stream: IO[bytes] | None, data: bytes) -> None:
    if stream is None:
        return
    with contextlib.suppress(OSError, ValueError):
        stream.write(data)
    with contextlib.suppress(OSError, ValueError):
        stream.close()
