"""Processes and signals as POSIX systems have them. On the path of a healthy run: nothing heavy is imported."""

from __future__ import annotations

# the C module behind `signal`: that one imports enum and more, which a healthy run does not need
import _signal as signal  # type: ignore[import-not-found]
import os
import stat
import time

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from typing import IO, Any

#: What ends a program that does not look at it; handed on to the child as they come.
_HANDED_ON = tuple(
    number
    for name in ("SIGTERM", "SIGHUP", "SIGQUIT", "SIGUSR1", "SIGUSR2", "SIGALRM", "SIGVTALRM", "SIGPROF", "SIGXCPU", "SIGCONT")
    if (number := getattr(signal, name, None)) is not None
)
#: After these nothing of the program is to be left.
_ENDING = (signal.SIGTERM, signal.SIGHUP)
#: Waits for a word of ours; where none comes it ends a program and all below it, as far as they can still be told.
_GUARD = """trap "" INT TERM HUP QUIT
read -r word && exit
below() {
    ps -A -o ppid= -o pid= | while read -r above one; do [ "$above" != "$1" ] || echo "$one"; done
}
end() {
    for one in $(cat /proc/"$1"/task/*/children 2>&- || below "$1"); do end "$one"; done
    kill -9 "$1"
}
end "$0"
"""

#: The request that makes a file share another one's blocks.
_FICLONE = 0x40049409


class Child:
    """A program of the user's that we have started."""

    def __init__(self, pid: int) -> None:
        self.pid = pid
        self.status: int | None = None
        #: On which its guard is told that there is no more need.
        self._guard = -1

    def poll(self) -> int | None:
        """Return the exit status, or minus the signal's number; None while it runs."""
        if self.status is None:
            done, status = os.waitpid(self.pid, os.WNOHANG)
            if done:
                self._ended(status)
        return self.status

    def wait(self) -> int:
        """Wait for the end; return the status as `poll` does."""
        if self.status is None:
            self._ended(os.waitpid(self.pid, 0)[1])
        assert self.status is not None
        return self.status

    def guard(self) -> None:
        """Let a shell end it, and all that it has started, should we be killed. Without a shell it outlives us then.

        What the kernel offers for this has to be asked for between fork and exec, and costs the program's start more time
        than all else that we do there.
        """
        try:
            hears, tells = os.pipe()
        except OSError:
            return
        if min(hears, tells) <= 2:  # one of our own streams is closed: what stands in its place is not to be taken for it
            os.close(hears)
            os.close(tells)
            return
        null = os.devnull, os.O_WRONLY, 0
        actions = [(os.POSIX_SPAWN_DUP2, hears, 0), (os.POSIX_SPAWN_OPEN, 1, *null), (os.POSIX_SPAWN_OPEN, 2, *null)]
        try:
            os.posix_spawn("/bin/sh", ["sh", "-c", _GUARD, str(self.pid)], {"PATH": os.defpath}, file_actions=actions)
        except OSError:
            os.close(tells)
        else:
            self._guard = tells
        os.close(hears)
        if self.status is not None:
            self._unguard()

    def _ended(self, status: int) -> None:
        self.status = os.waitstatus_to_exitcode(status)
        self._unguard()

    def _unguard(self) -> None:
        guard, self._guard = self._guard, -1
        if guard >= 0:
            try:  # noqa: SIM105 - as below
                os.write(guard, b"\n")
            except OSError:  # somebody has ended it
                pass
            os.close(guard)

    def interrupt(self, *, ignored: bool = False) -> None:
        """Ask it to stop as Ctrl-C does; where that is ignored, by the signal that the agent answers to in its place."""
        self._send(signal.SIGXCPU if ignored else signal.SIGINT)

    def tree(self) -> list[int]:
        """Return the processes that it has started, and those have, as far as they can still be told to be its own."""
        return descendants(self.pid)

    def end(self, tree: list[int] | None = None) -> None:
        """Kill it and everything it has started, `tree` being what that was before it ended."""
        tree = self.tree() if tree is None else tree
        self._send(signal.SIGKILL)
        for pid in tree:
            _kill(pid, signal.SIGKILL)

    def _send(self, number: int) -> None:
        if self.status is None:
            _kill(self.pid, number)


def _kill(pid: int, number: int) -> None:
    try:  # noqa: SIM105 - contextlib would double what a healthy run imports
        os.kill(pid, number)
    except OSError:
        pass


def descendants(pid: int) -> list[int]:
    """Return the processes below one, from the outside in; those that have left their parent are not found."""
    parents: dict[int, list[int]] = {}
    if os.path.isdir("/proc/self/task"):
        for name in os.listdir("/proc"):
            if name.isdigit():
                try:
                    with open(f"/proc/{name}/stat", "rb") as handle:
                        parent = int(handle.read().rpartition(b")")[2].split()[1])
                except (OSError, ValueError, IndexError):
                    continue
                parents.setdefault(parent, []).append(int(name))
    else:
        import subprocess

        listed = subprocess.run(["ps", "-A", "-o", "pid=,ppid="], check=False, capture_output=True, text=True).stdout
        for row in listed.splitlines():
            one, parent_word = row.split()[:2]
            parents.setdefault(int(parent_word), []).append(int(one))
    found: list[int] = []
    waiting = [pid]
    while waiting:
        below = parents.get(waiting.pop(), [])
        found += below
        waiting += below
    return found


def start(
    argv: list[str],
    *,
    executable: str,
    env: dict[str, str],
    stdin: int | None = None,
    stdout: int | None = None,
    stderr: int | None = None,
) -> Child:
    """Start a program in the foreground with our own streams, but for those given; it ends when we are killed.

    Args:
        argv: the full command, argv[0] included.
        executable: the file to start.
        env: its environment.
        stdin: its standard input, where that is not ours.
        stdout: its standard output.
        stderr: its standard error.

    Raises:
        OSError: it cannot be started.
    """
    pid = os.posix_spawn(
        executable,
        argv,
        env,
        file_actions=[
            (os.POSIX_SPAWN_DUP2, given, number)
            for given, number in ((stdin, 0), (stdout, 1), (stderr, 2))
            if given is not None
        ],
        # our interpreter ignores them
        setsigdef=[signal.SIGPIPE, signal.SIGXFSZ],
    )
    return Child(pid)


def interrupts_reach_us() -> bool:
    """Tell whether Ctrl-C would reach us; a background job of a shell ignores it, and so must its child."""
    return bool(signal.getsignal(signal.SIGINT) is not signal.SIG_IGN)


def pass_signals(start_child: Callable[[], Child]) -> tuple[Child, Callable[[], None]]:
    """Start a child and hand on to it what is sent to us; Ctrl-C reaches it by itself. Return it, and what undoes this."""
    before = {signal.SIGINT: signal.signal(signal.SIGINT, signal.SIG_DFL)} if interrupts_reach_us() else {}
    # from here to the start an interrupt ends us, as it would end a shell's child before its exec
    child = None
    try:
        child = start_child()
    finally:
        if before:
            signal.signal(signal.SIGINT, signal.SIG_IGN if child is not None else before[signal.SIGINT])
    tree: list[int] = []

    def hand_on(number: int, frame: object) -> None:
        if number in _ENDING:
            tree.extend(child.tree())  # once it has ended nobody could tell
        _kill(child.pid, number)

    for number in _HANDED_ON:
        if signal.getsignal(number) is not signal.SIG_IGN:
            before[number] = signal.signal(number, hand_on)

    def restore() -> None:
        for pid in tree:
            _kill(pid, signal.SIGKILL)
        for number, handler in before.items():
            signal.signal(number, handler if handler is not None else signal.SIG_DFL)

    return child, restore


def unwind_when_ended() -> None:
    """Let what ends us unwind first, so that what we have made is tidied up: programs, folders."""

    def unwind(number: int, frame: object) -> None:
        raise SystemExit(128 + number)

    for number in _ENDING:
        if signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, unwind)


def leave_as(status: int) -> None:
    """End this process as the program ended: the same status, or by the same signal."""
    if status < 0:
        number = -status
        if number not in (signal.SIGKILL, signal.SIGSTOP):
            signal.signal(number, signal.SIG_DFL)
        _no_core()
        signal.pthread_sigmask(signal.SIG_UNBLOCK, [number])
        os.kill(os.getpid(), number)
        time.sleep(0.2)
        status = 128 + number
    os._exit(status)


def _no_core() -> None:
    """The program has left its core file already; ours would only hide it."""
    try:
        import resource

        resource.setrlimit(resource.RLIMIT_CORE, (0, resource.getrlimit(resource.RLIMIT_CORE)[1]))
    except (ImportError, OSError, ValueError):
        pass


def kill_group(pid: int, *, hard: bool) -> None:
    """Interrupt, or kill, the session that a process leads."""
    try:  # noqa: SIM105 - as above
        os.killpg(pid, signal.SIGKILL if hard else signal.SIGINT)
    except OSError:
        pass


def input_kind() -> str:
    """Return what our standard input is: none, file, pipe, terminal or other."""
    try:
        mode = os.fstat(0).st_mode
    except OSError:
        return "none"
    if stat.S_ISREG(mode):
        return "file"
    if stat.S_ISFIFO(mode) or stat.S_ISSOCK(mode):
        return "pipe"
    return "terminal" if os.isatty(0) else "other"


def same_stream() -> bool:
    """Tell whether standard output and standard error are one file, pipe or terminal."""
    try:
        out, error = os.fstat(1), os.fstat(2)
    except OSError:
        return False
    return (out.st_dev, out.st_ino) == (error.st_dev, error.st_ino)


def read_again(most: int) -> bytes:
    """Return what a file on standard input held, from its beginning, without moving its position."""
    try:
        return os.pread(0, most, 0)
    except OSError:
        return b""


def give_terminal() -> tuple[int, int] | None:
    """Return (our end, the program's end) of a terminal like the one on standard error, which passes bytes on as they are."""
    try:
        import fcntl
        import pty
        import termios

        ours, theirs = pty.openpty()
        modes = termios.tcgetattr(theirs)
        modes[1] &= ~termios.OPOST  # the real one does what a terminal does to line ends
        termios.tcsetattr(theirs, termios.TCSANOW, modes)
        size = fcntl.ioctl(2, termios.TIOCGWINSZ, b"\0" * 8)
        fcntl.ioctl(theirs, termios.TIOCSWINSZ, size)
    except (ImportError, OSError):
        return None
    return ours, theirs


def temporary_folder() -> str:
    """Return the folder of temporary files."""
    for folder in (os.environ.get("TMPDIR"), "/tmp", "/var/tmp"):
        if folder and os.path.isdir(folder) and os.access(folder, os.W_OK):
            return folder
    return os.getcwd()


def process_is_there(pid: int) -> bool:
    """Tell whether a process runs; one of somebody else's counts."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except OSError:
        pass
    return True


def locked(handle: IO[Any]) -> Iterator[None]:
    """Hold an open file alone; another process waits. For `contextlib.contextmanager`."""
    import fcntl

    fcntl.flock(handle, fcntl.LOCK_EX)
    yield


def listening() -> tuple[Any, str]:
    """Return a listening socket that only this user can reach, and its address."""
    import socket
    import tempfile

    # short and private: a socket's address has about a hundred characters
    address = os.path.join(tempfile.mkdtemp(prefix="jk-"), "s")
    made = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    made.bind(address)
    return made, address


def is_superuser() -> bool:
    """Tell whether we are the user that no permission holds."""
    return os.geteuid() == 0


def is_trusted_owner(owner: int, *, system_too: bool = True) -> bool:
    """Tell whether a file's owner is this user, or the system."""
    return owner == os.getuid() or (system_too and owner == 0)


def share_blocks(source: str, target: str) -> bool:
    """Make a new file of the same blocks, shared until one side writes; tell whether the file system can."""
    import fcntl

    try:
        with open(source, "rb") as before, open(target, "wb") as after:
            fcntl.ioctl(after.fileno(), _FICLONE, before.fileno())
    except OSError:
        return False
    return True


def apart(handle: int = -1) -> dict[str, Any]:
    """Return how a program is started so that Ctrl-C on our terminal does not reach it.

    Args:
        handle: a descriptor that it takes with it.
    """
    return {"start_new_session": True, **({"pass_fds": (handle,)} if handle >= 0 else {})}


def in_background(work: Callable[[], None]) -> None:
    """Go on with some work in a process of its own, which outlives ours."""
    if os.fork() == 0:
        try:
            work()
        finally:
            os._exit(0)


#: What names the terminal itself, wherever standard input comes from.
TERMINAL = "/dev/tty"
