"""Start the user's program so that it cannot tell the difference, and keep what it needs for a reading.

On the path of a healthy `jamkey run`: imports nothing that the interpreter has not loaded anyway.
"""

from __future__ import annotations

# the C modules behind `signal` and `threading`: those two import enum and more, which a healthy run does not need
import _signal as signal  # type: ignore[import-not-found]
import _thread
import os
import stat
import sys
import time

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
#: Seconds a started trace is held back from the terminal before it is shown as it came.
HOLD = 0.4


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
        #: What was held back from the user's standard error.
        self.held = b""


def agent_environment(wire: str, *, typed: bool = False, runtime: str = "") -> dict[str, str]:
    """Return the environment that lets the agent of a runtime start in the program, and leaves no trace there."""
    env = dict(os.environ)
    if runtime in _OTHERS:
        _other_agent(env, runtime, wire)
        return env
    before = env.get("PYTHONPATH")
    if before is not None:
        env["JAMKEY_PYTHONPATH"] = before
    env["PYTHONPATH"] = _INJECT + (os.pathsep + before if before else "")
    env["JAMKEY_WIRE"] = wire
    if typed:
        env["JAMKEY_ASKED"] = "typed"
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
    folder = os.environ.get("TMPDIR") or "/tmp"
    return os.path.join(folder, f"jamkey-{os.getpid()}-{os.urandom(6).hex()}.jsonl")


class _Errors:
    """Passes standard error on, keeping it; to a terminal it holds a trace back for a moment."""

    def __init__(self, source: int, hold: bool) -> None:
        self.source = source
        self.hold = hold
        self.kept: list[bytes] = []
        self.size = 0
        self.held = b""
        self.held_since = 0.0
        self.line = b""
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
                self.forward(data)
        except OSError:
            pass
        finally:
            self.done.release()

    def forward(self, data: bytes) -> None:
        if not self.hold:
            _write(2, data)
            return
        if self.held:
            self.held += data
            return
        data = self.line + data
        self.line = b""
        start = _trace_start(data)
        if start >= 0:
            _write(2, data[:start])
            self.held = data[start:]
            self.held_since = time.monotonic()
        else:
            _write(2, data)

    def release(self) -> None:
        """Show what was held: the program goes on, so the trace was not its end."""
        if self.held and time.monotonic() - self.held_since > HOLD:
            held, self.held = self.held, b""
            self.hold = False
            _write(2, held)


def _trace_start(data: bytes) -> int:
    """Return where a trace begins in a piece of standard error, or -1."""
    starts = [
        data.find(mark)
        for mark in (b"Traceback (most recent call last)", b'  File "', b"  + Exception Group Traceback", b"node:internal")
    ]
    found = [start for start in starts if start >= 0]
    if not found:
        return -1
    return data.rfind(b"\n", 0, min(found)) + 1


def _write(handle: int, data: bytes) -> None:
    while data:
        try:
            data = data[os.write(handle, data) :]
        except OSError:
            return


class _Input:
    """Passes standard input from a pipe on to the program and keeps a copy for trials."""

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


def _input_kind() -> str:
    try:
        mode = os.fstat(0).st_mode
    except OSError:
        return "none"
    if stat.S_ISREG(mode):
        return "file"
    if stat.S_ISFIFO(mode) or stat.S_ISSOCK(mode):
        return "pipe"
    return "terminal" if os.isatty(0) else "none"


def run(
    argv: list[str],
    *,
    executable: str,
    limit: float = 0.0,
    hold: bool = True,
    runtime: str = "",
    meanwhile: Callable[[], None] | None = None,
    visitor: Visitor | None = None,
) -> Ended:
    """Run a program in the foreground with our own standard input and output; return how it ended.

    Args:
        argv: the full command, argv[0] included.
        executable: the file to start.
        limit: seconds after which it is interrupted; 0 for none.
        runtime: whose agent is to look at a failure; Python's by default.
        hold: whether a trace on a terminal is held back, as the reading will replace it.
        visitor: is let into the failed program before that ends.
        meanwhile: work for another thread while the program runs; nobody waits for its end.

    Raises:
        OSError: the executable cannot be started.
    """
    ended = Ended()
    kind = _input_kind()
    wire = wire_path()
    env = agent_environment(wire, typed=kind == "terminal", runtime=runtime)
    if visitor is not None:
        env["JAMKEY_STAY"] = visitor.address
    reader, writer = os.pipe()
    actions: list[tuple[int, ...]] = [(os.POSIX_SPAWN_DUP2, writer, 2)]
    given = _Input() if kind == "pipe" else None
    if given is not None:
        actions.append((os.POSIX_SPAWN_DUP2, given.reader, 0))
    start = time.monotonic()
    before = signal.signal(signal.SIGINT, signal.SIG_DFL) if _interruptible() else None
    # from here to the spawn an interrupt ends us, as it would end a shell's child before its exec
    try:
        child = os.posix_spawn(executable, argv, env, file_actions=actions, setsigdef=[signal.SIGPIPE, signal.SIGXFSZ])
    except OSError:
        os.close(reader)
        raise
    finally:
        os.close(writer)
        if before is not None:
            signal.signal(signal.SIGINT, signal.SIG_IGN)
    restore = _pass_signals_to(child)
    errors = _Errors(reader, hold=hold and os.isatty(2))
    _thread.start_new_thread(errors.pump, ())
    if meanwhile is not None:
        _thread.start_new_thread(meanwhile, ())
    if given is not None:
        os.close(given.reader)
        _thread.start_new_thread(given.pump, ())
    if limit or errors.hold or visitor is not None:
        ended.wire = wire
        ended.hit_limit = _wait_with_limit(child, limit, errors, ended, visitor)
    else:
        ended.status = _status(os.waitpid(child, 0)[1])
    ended.seconds = time.monotonic() - start
    # a grandchild may keep the pipe open: what it writes from now on is not waited for
    errors.done.acquire(True, 0.5)
    restore()
    if before is not None:
        signal.signal(signal.SIGINT, before)
    ended.stderr = b"".join(errors.kept)
    ended.held = errors.held
    ended.interrupted = ended.hit_limit or ended.status == -signal.SIGINT
    ended.wire = wire
    ended.stdin = _input_again(kind, given, wire)
    return ended


def _interruptible() -> bool:
    """Tell whether an interrupt would reach us; a background job of a shell ignores it, and so must its child."""
    return signal.getsignal(signal.SIGINT) is not signal.SIG_IGN


def _input_again(kind: str, given: _Input | None, wire: str) -> bytes:
    """Return the standard input that a trial is to be given."""
    if given is not None:
        return b"".join(given.kept)
    if kind == "file":
        try:
            return os.pread(0, MOST_KEPT, 0)
        except OSError:
            return b""
    try:
        with open(wire + ".typed", "rb") as handle:
            data = handle.read()
        os.unlink(wire + ".typed")
    except OSError:
        return b""
    return data


def _pass_signals_to(child: int):  # type: ignore[no-untyped-def]
    """Hand termination signals on to the child; return a function that undoes this."""

    def hand_on(number: int, frame: object) -> None:
        try:  # noqa: SIM105 - contextlib would double what a healthy run imports
            os.kill(child, number)
        except ProcessLookupError:
            pass

    before = {number: signal.signal(number, hand_on) for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGQUIT)}

    def restore() -> None:
        for number, handler in before.items():
            signal.signal(number, handler)

    return restore


def _wait_with_limit(child: int, limit: float, errors: _Errors, ended: Ended, visitor: Visitor | None) -> bool:
    """Wait for the child, interrupt it at the limit, kill it when it does not answer; a visitor stops the clock."""
    start = time.monotonic()
    asked = 0.0
    pause = 0.001
    while True:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            ended.status = _status(status)
            return bool(asked)
        now = time.monotonic()
        if visitor is not None and visitor.ready():
            time.sleep(0.05)  # what it printed last is still on its way through the pipe
            ended.stderr, ended.held, ended.seconds = b"".join(errors.kept), errors.held, now - start
            ended.hit_limit = bool(asked)
            visitor.visit(ended)
            errors.held, visitor, limit = b"", None, 0.0
            asked = time.monotonic() if asked else 0.0
            continue
        errors.release()
        if limit and not asked and now - start >= limit:
            asked = now
            os.kill(child, signal.SIGINT)
        elif asked and now - asked >= GRACE:
            os.kill(child, signal.SIGKILL)
        time.sleep(pause)
        pause = min(pause * 1.5, 0.02)


def _status(status: int) -> int:
    return os.waitstatus_to_exitcode(status)


def leave(status: int) -> None:
    """End this process as the program ended: the same status, or the same signal."""
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except (OSError, ValueError):
        pass
    if status < 0:
        number = -status
        if number not in (signal.SIGKILL, signal.SIGSTOP):
            signal.signal(number, signal.SIG_DFL)
        _no_core()
        os.kill(os.getpid(), number)
        status = 128 + number
    os._exit(status)


def _no_core() -> None:
    """The program has left its core file already; ours would only hide it."""
    try:
        import resource

        resource.setrlimit(resource.RLIMIT_CORE, (0, resource.getrlimit(resource.RLIMIT_CORE)[1]))
    except (ImportError, OSError, ValueError):
        pass
