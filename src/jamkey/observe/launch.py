"""Start the user's program so that it cannot tell the difference, and keep what it needs for a reading.

On the path of a healthy `jamkey run`: imports nothing that the interpreter has not loaded anyway.
"""

from __future__ import annotations

# the C module behind `threading`, which imports more than a healthy run needs
import _thread
import os
import sys
import time

from jamkey import system

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Protocol

    class Visitor(Protocol):
        """Whoever looks around in a failed program before that ends."""

        #: Of the socket on which the program reports; it goes into its environment.
        address: str

        def ready(self) -> bool:
            """Tell whether the program has failed and waits."""
            ...

        def visit(self, ended: Ended) -> None:
            """Look around. `ended` holds what is known of the run so far."""
            ...


_HERE = os.path.dirname(os.path.abspath(__file__))
_INJECT = os.path.join(_HERE, "agents", "inject")
_AGENTS = os.path.join(_HERE, "agents")
#: Kept of standard error and of standard input, in bytes; more is passed through and forgotten.
MOST_KEPT = 64 * 1024 * 1024
#: After the limit, seconds until an interrupt that is not answered becomes a kill.
GRACE = 3.0
#: Seconds that the end of standard error is waited for.
_LATE = 0.3
#: Seconds after which a program that still runs gets its guard.
_UNGUARDED = 0.05
_INTERRUPT = 2
#: What is printed of a failure that did not end the program: in a thread, in a task, in a log's handler.
SWALLOWED = (b"Exception in thread ", b"exception was never retrieved", b"--- Logging error ---")


class Ended:
    """How a run ended."""

    def __init__(self) -> None:
        #: Exit status, or minus the signal's number.
        self.status = 0
        self.stderr = b""
        self.stdin = b""
        #: Seconds.
        self.seconds = 0.0
        self.hit_limit = False
        self.interrupted = False
        #: File the agent wrote to, if the program failed.
        self.wire = ""
        #: Whether the agent has kept the interpreter from printing the last trace: a reading stands in its place.
        self.unprinted = False
        #: Whether the agent's file has the traces in words, as no copy of standard error is kept.
        self.worded = False


def agent_environment(wire: str, *, asked: tuple[str, ...] = (), runtime: str = "") -> dict[str, str]:
    """Return the environment that lets the agent of a runtime start in the program, and leaves no trace there.

    Args:
        wire: the agent's file.
        asked: what Python's agent is to do besides: `typed` keeps what input() returns, `unprinted` leaves the trace to us,
            `worded` writes it down in the interpreter's words, `stoppable` answers to another signal where Ctrl-C is ignored.
        runtime: whose agent; Python's by default.
    """
    env = dict(os.environ)
    if runtime in _OTHERS:
        _other_agent(env, runtime, wire)
        return env
    before = env.get("PYTHONPATH")
    if before is not None:
        env["JAMKEY_PYTHONPATH"] = before
    env["PYTHONPATH"] = _INJECT + (os.pathsep + before if before else "")
    env["JAMKEY_WIRE"] = wire
    if asked:
        env["JAMKEY_ASKED"] = ",".join(asked)
    return env


#: Runtime -> the variable of its own that names what runs before the script, and the agent's file.
_OTHERS = {
    "javascript": ("NODE_OPTIONS", "agent.js"),
    "r": ("R_PROFILE", "agent.R"),
    "lua": ("LUA_INIT", "agent.lua"),
    "octave": ("OCTAVE_SITE_INITFILE", "agent.m"),
}


def _other_agent(env: dict[str, str], runtime: str, wire: str) -> None:
    variable, name = _OTHERS[runtime]
    path = os.path.join(_AGENTS, name)
    before = env.get(variable)
    if runtime == "lua":
        if any(name.startswith("LUA_INIT") for name in env):
            return  # the user's own start-up code: it stays alone
        path = "@" + path
    elif runtime == "javascript":
        path = (before + " " if before else "") + '--require "' + path.replace("\\", "\\\\").replace('"', '\\"') + '"'
    if before is not None:
        env["JAMKEY_" + variable] = before
    env[variable] = path
    env["JAMKEY_WIRE"] = wire


def wire_path() -> str:
    """Return a fresh name for the agent's file; nothing is created until a program fails."""
    return os.path.join(system.temporary_folder(), f"jamkey-{os.getpid()}-{os.urandom(6).hex()}.jsonl")


def forget_wire(wire: str) -> None:
    """Remove what the agent may have written."""
    for path in (wire, wire + ".typed", wire + ".fault", wire + ".refused"):
        try:  # noqa: SIM105 - contextlib would double what a healthy run imports
            os.unlink(path)
        except OSError:
            pass


class _Errors:
    """Passes standard error on and keeps a copy of it."""

    def __init__(self, source: int) -> None:
        self.source = source
        self.kept: list[bytes] = []
        self.size = 0
        self.done = _thread.allocate_lock()
        self.done.acquire()

    def pump(self) -> None:
        try:
            while True:
                data = os.read(self.source, 65536)
                if not data:
                    break
                if self.size < MOST_KEPT:
                    self.kept.append(data)
                    self.size += len(data)
                _write(2, data)
        except OSError:  # a terminal of ours whose other end is closed
            pass
        finally:
            self.done.release()

    def settle(self) -> None:
        """Wait for the rest. Where a child that lives on keeps the pipe, a process of ours goes on passing its words."""
        if self.done.acquire(True, _LATE):
            self.done.release()
        else:
            system.in_background(lambda: _pass_on_for_ever(self.source))


def _pass_on_for_ever(source: int) -> None:
    """In a process of its own: what comes late is delivered; the streams that others wait for are let go."""
    devnull = os.open(os.devnull, os.O_RDWR)
    os.dup2(devnull, 0)
    os.dup2(devnull, 1)
    while data := os.read(source, 65536):
        _write(2, data)


def _write(handle: int, data: bytes) -> None:
    while data:
        try:
            data = data[os.write(handle, data) :]
        except OSError:
            return


class _Input:
    """Passes standard input from a pipe on to the program and keeps a copy: only where a second run is asked for."""

    def __init__(self) -> None:
        self.kept: list[bytes] = []
        self.reader, self.writer = os.pipe()

    def pump(self) -> None:
        size = 0
        try:
            while True:
                data = os.read(0, 65536)
                if not data:
                    break
                if size < MOST_KEPT:
                    self.kept.append(data)
                    size += len(data)
                while data:
                    data = data[os.write(self.writer, data) :]
        except OSError:
            pass
        finally:
            os.close(self.writer)


def run(
    argv: list[str],
    *,
    executable: str,
    limit: float = 0.0,
    trace: bool = True,
    runtime: str = "",
    again: bool = False,
    meanwhile: Callable[[], None] | None = None,
    visitor: Visitor | None = None,
) -> Ended:
    """Run a program in the foreground with our own standard input and output; return how it ended.

    A Python script's standard error is its own too where that is a terminal or the same file as standard output, so that
    nothing changes there, the order of the two streams least of all; what is not seen so is told by the agent. Of any other
    program a copy is kept on the way: a terminal stays a terminal, and what was one stream stays one.

    Args:
        argv: the full command, argv[0] included.
        executable: the file to start.
        limit: seconds after which it is interrupted; 0 for none.
        trace: whether the interpreter prints its trace on a terminal; else it is kept, as the reading will replace it.
        runtime: whose agent is to look at a failure; Python's by default.
        again: whether a second run will want the same input.
        meanwhile: work for another thread while the program runs; nobody waits for its end.
        visitor: is let into the failed program before that ends.

    Raises:
        OSError: the executable cannot be started.
    """
    ended = Ended()
    ended.wire = wire = wire_path()
    kind = system.input_kind()
    ignored = not system.interrupts_reach_us()
    terminal = _is_terminal(2)
    python = runtime == "python"
    asked = [
        word
        for word, wanted in (("typed", kind == "terminal" and again), ("unprinted", terminal and not trace and python))
        if wanted
    ]
    if limit and ignored:
        asked.append("stoppable")
    source, theirs = _own_end(terminal, python)
    both = not terminal and theirs is not None and system.same_stream()
    if source is None and python:
        asked.append("worded")
    env = agent_environment(wire, asked=tuple(asked), runtime=runtime)
    if visitor is not None:
        env["JAMKEY_STAY"] = visitor.address
    given = _Input() if kind == "pipe" and again else None
    begin = time.monotonic()

    def starting() -> system.Child:
        return system.start(
            argv,
            executable=executable,
            env=env,
            stdin=given.reader if given is not None else None,
            stdout=theirs if both else None,
            stderr=theirs,
        )

    try:
        child, restore = system.pass_signals(starting)
    except OSError:
        for handle in (source, theirs):
            if handle is not None:
                os.close(handle)
        raise
    if meanwhile is not None:
        _thread.start_new_thread(meanwhile, ())
    _thread.start_new_thread(_guard, (child,))
    if theirs is not None:
        os.close(theirs)
    errors = _Errors(source) if source is not None else None
    if errors is not None:
        _thread.start_new_thread(errors.pump, ())
    if given is not None:
        os.close(given.reader)
        _thread.start_new_thread(given.pump, ())
    if limit or visitor is not None:
        ended.hit_limit = _wait_with_limit(child, limit, errors, ended, visitor, ignored=ignored)
    ended.status = child.wait()
    ended.seconds = time.monotonic() - begin
    if errors is not None:
        errors.settle()
        ended.stderr = b"".join(errors.kept)
    restore()
    ended.unprinted = "unprinted" in asked
    ended.worded = "worded" in asked
    ended.interrupted = ended.hit_limit or ended.status == -_INTERRUPT
    if given is not None:
        ended.stdin = b"".join(given.kept)
    elif kind == "file":
        ended.stdin = system.read_again(MOST_KEPT)
    else:
        ended.stdin = _typed(wire)
    return ended


def _guard(child: system.Child) -> None:
    """Have the program end with us, should we be killed; a moment later, as this takes time from the program's start."""
    time.sleep(_UNGUARDED)
    if child.status is None:
        child.guard()


def _own_end(terminal: bool, python: bool) -> tuple[int | None, int | None]:
    """Return (our end, the program's end) of what stands between the program and standard error; nothing where nothing may."""
    if terminal:
        # the agent tells of Python's failures; of others only the text does
        made = None if python else system.give_terminal()
        return made if made is not None else (None, None)
    try:
        os.fstat(2)
    except OSError:
        return None, None  # closed: so it is for the program
    if system.same_stream() and python:
        return None, None
    return os.pipe()


def _is_terminal(handle: int) -> bool:
    try:
        return os.isatty(handle)
    except OSError:
        return False


def _typed(wire: str) -> bytes:
    try:
        with open(wire + ".typed", "rb") as handle:
            data = handle.read()
        os.unlink(wire + ".typed")
    except OSError:
        return b""
    return data


def _wait_with_limit(
    child: system.Child, limit: float, errors: _Errors | None, ended: Ended, visitor: Visitor | None, *, ignored: bool
) -> bool:
    """Wait for the child, interrupt it at the limit, end it and all it started when it does not answer.

    A visitor stops the clock.
    """
    start = time.monotonic()
    asked = 0.0
    tree: list[int] = []
    pause = 0.001
    while True:
        if child.poll() is not None:
            if asked:
                child.end(tree)
            return bool(asked)
        now = time.monotonic()
        if visitor is not None and visitor.ready():
            time.sleep(0.05)  # what it printed last is still on its way through the pipe
            ended.stderr, ended.seconds = b"".join(errors.kept) if errors is not None else b"", now - start
            ended.hit_limit = bool(asked)
            visitor.visit(ended)
            visitor, limit = None, 0.0
            asked = time.monotonic() if asked else 0.0
            continue
        if limit and not asked and now - start >= limit:
            asked = now
            tree = child.tree()
            child.interrupt(ignored=ignored)
        elif asked and now - asked >= GRACE:
            tree += child.tree()
            child.end(tree)
        time.sleep(pause)
        pause = min(pause * 1.5, 0.02)


def leave(status: int) -> None:
    """End this process as the program ended: the same status, or the same signal."""
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except (OSError, ValueError, AttributeError):
        pass
    system.leave_as(status)
