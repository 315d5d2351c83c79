"""The stand-in: processes with nothing but what the language promises on every system, Windows included."""

from __future__ import annotations

import os
import signal
import stat
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from typing import IO, Any

#: Sent to a process group of a Windows console in place of Ctrl-C.
_BREAK = getattr(signal, "CTRL_BREAK_EVENT", None)


class Child:
    """A program of the user's that we have started."""

    def __init__(self, process: subprocess.Popen[bytes]) -> None:
        self.process = process
        self.pid = process.pid
        self._job = _job_with(process)

    @property
    def status(self) -> int | None:
        """The exit status; None while it runs."""
        return self.process.returncode

    def poll(self) -> int | None:
        """Return the exit status; None while it runs."""
        return self.process.poll()

    def wait(self) -> int:
        """Wait for the end; return the exit status."""
        while True:
            try:
                return self.process.wait()
            except KeyboardInterrupt:
                continue  # it reached the program too, which decides

    def interrupt(self, *, ignored: bool = False) -> None:
        """Ask it to stop as Ctrl-C does."""
        try:
            self.process.send_signal(_BREAK if _BREAK is not None else signal.SIGINT)
        except (OSError, ValueError):
            return

    def guard(self) -> None:
        """Nothing more is done: on Windows it belongs to a job of ours; elsewhere it outlives us should we be killed."""

    def tree(self) -> list[int]:
        """Return nothing: what it has started cannot be told on every system."""
        return []

    def end(self, tree: list[int] | None = None) -> None:
        """Kill it and everything it has started."""
        if os.name == "nt":
            subprocess.run(["taskkill", "/T", "/F", "/PID", str(self.pid)], check=False, capture_output=True)
        try:
            self.process.kill()
        except OSError:
            return


def _job_with(process: subprocess.Popen[bytes]) -> object:
    """On Windows, put the program into a job that ends with us (JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE)."""
    if sys.platform != "win32":
        return None
    import ctypes
    from ctypes import wintypes

    kernel = ctypes.WinDLL("kernel32", use_last_error=True)
    kernel.CreateJobObjectW.restype = wintypes.HANDLE
    job = kernel.CreateJobObjectW(None, None)
    limits = ctypes.create_string_buffer(144 if ctypes.sizeof(ctypes.c_void_p) == 8 else 112)
    ctypes.c_uint32.from_buffer(limits, 16).value = 0x2000
    kernel.SetInformationJobObject(wintypes.HANDLE(job), 9, limits, len(limits))
    kernel.AssignProcessToJobObject(wintypes.HANDLE(job), wintypes.HANDLE(int(process._handle)))
    return job


def start(
    argv: list[str],
    *,
    executable: str,
    env: dict[str, str],
    stdin: int | None = None,
    stdout: int | None = None,
    stderr: int | None = None,
) -> Child:
    """Start a program in the foreground with our own streams, but for those given.

    Raises:
        OSError: it cannot be started.
    """
    # what is open for our children stays open for this one
    return Child(
        subprocess.Popen(argv, executable=executable, env=env, stdin=stdin, stdout=stdout, stderr=stderr, close_fds=False)
    )


def interrupts_reach_us() -> bool:
    """Tell whether Ctrl-C would reach us."""
    return signal.getsignal(signal.SIGINT) is not signal.SIG_IGN


def pass_signals(start_child: Callable[[], Child]) -> tuple[Child, Callable[[], None]]:
    """Start a child; Ctrl-C reaches it by itself. Return it, and what undoes this."""
    child = start_child()
    before = signal.signal(signal.SIGINT, signal.SIG_IGN) if interrupts_reach_us() else None

    def hand_on(number: int, frame: object) -> None:
        child.end()

    ended = signal.signal(signal.SIGTERM, hand_on)

    def restore() -> None:
        if before is not None:
            signal.signal(signal.SIGINT, before)
        signal.signal(signal.SIGTERM, ended)

    return child, restore


def unwind_when_ended() -> None:
    """Let what ends us unwind first, so that what we have made is tidied up: programs, folders."""

    def unwind(number: int, frame: object) -> None:
        raise SystemExit(128 + number)

    signal.signal(signal.SIGTERM, unwind)


def leave_as(status: int) -> None:
    """End this process with the program's status; a signal's number counts from 128, as shells tell it."""
    os._exit(status if status >= 0 else 128 - status)


def kill_group(pid: int, *, hard: bool) -> None:
    """Interrupt, or kill, what was started as a group of its own."""
    if os.name == "nt":
        if hard or _BREAK is None:
            subprocess.run(["taskkill", "/T", "/F", "/PID", str(pid)], check=False, capture_output=True)
            return
    try:
        os.kill(pid, _BREAK if os.name == "nt" and _BREAK is not None else signal.SIGTERM if hard else signal.SIGINT)
    except OSError:
        return


def input_kind() -> str:
    """Return what our standard input is: none, file, pipe, terminal or other."""
    try:
        mode = os.fstat(0).st_mode
        terminal = os.isatty(0)
    except OSError:
        return "none"
    if terminal:
        return "terminal"
    return "file" if stat.S_ISREG(mode) else "pipe" if stat.S_ISFIFO(mode) or stat.S_ISSOCK(mode) else "other"


def same_stream() -> bool:
    """Tell whether standard output and standard error are one file or pipe."""
    try:
        out, error = os.fstat(1), os.fstat(2)
    except OSError:
        return False
    return bool(out.st_ino) and (out.st_dev, out.st_ino) == (error.st_dev, error.st_ino)


def read_again(most: int) -> bytes:
    """Return what a file on standard input held, from its beginning; its position is put back."""
    try:
        place = os.lseek(0, 0, os.SEEK_CUR)
        os.lseek(0, 0, os.SEEK_SET)
        data = os.read(0, most)
        os.lseek(0, place, os.SEEK_SET)
    except OSError:
        return b""
    return data


def give_terminal() -> tuple[int, int] | None:
    """Return nothing: there is no terminal to give here, so the program keeps ours."""
    return None


def temporary_folder() -> str:
    """Return the folder of temporary files."""
    return tempfile.gettempdir()


def process_is_there(pid: int) -> bool:
    """Tell whether a process runs; where that cannot be asked without harm, it is taken to."""
    if sys.platform == "win32":
        import ctypes

        kernel = ctypes.WinDLL("kernel32")
        handle = kernel.OpenProcess(0x1000, False, pid)
        if handle:
            kernel.CloseHandle(handle)
        return bool(handle)
    return os.path.exists(f"/proc/{pid}") or not os.path.isdir("/proc")


def locked(handle: IO[Any]) -> Iterator[None]:
    """Hold an open file alone; another process waits. For `contextlib.contextmanager`."""
    if os.name != "nt":
        yield  # the hash check remains
        return
    from importlib import import_module

    locks: Any = import_module("msvcrt")
    while True:
        try:
            handle.seek(0)
            locks.locking(handle.fileno(), locks.LK_LOCK, 1)
            break
        except OSError:
            time.sleep(0.1)
    try:
        yield
    finally:
        handle.seek(0)
        locks.locking(handle.fileno(), locks.LK_UNLCK, 1)


def listening() -> tuple[Any, str]:
    """Return a listening socket on the loopback, and its address with a word that only the asked one knows."""
    import secrets
    import socket

    made = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    made.bind(("127.0.0.1", 0))
    return made, f"{made.getsockname()[1]}:{secrets.token_hex(16)}"


def is_superuser() -> bool:
    """Tell whether we are the user that no permission holds; not known here."""
    return False


def is_trusted_owner(owner: int, *, system_too: bool = True) -> bool:
    """Tell whether a file's owner is this user; the numbers say nothing here."""
    return True


def share_blocks(source: str, target: str) -> bool:
    """Files are copied here."""
    return False


def apart(handle: int = -1) -> dict[str, Any]:
    """Return how a program is started so that Ctrl-C on our terminal does not reach it."""
    return {"creationflags": getattr(subprocess, "CREATE_NEW_PROCESS_GROUP", 0)}


def in_background(work: Callable[[], None]) -> None:
    """Nothing of ours outlives us here: what comes late is not passed on."""


#: What names the terminal itself, wherever standard input comes from.
TERMINAL = "CON" if os.name == "nt" else os.ctermid() if hasattr(os, "ctermid") else ""
