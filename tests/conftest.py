"""What the tests share: projects on disk, the command line, and the machine's interpreters."""

from __future__ import annotations

import functools
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import hypothesis
import pytest

from jamkey.text import decode
from jamkey.trials.warm import Ran as Tried
from jamkey.trials.warm import Warm

CORPUS = Path(__file__).parent / "corpus"
SOURCE = Path(__file__).parent.parent / "src"

# how long an example takes says how busy the machine is
hypothesis.settings.register_profile("any pace", deadline=None)
hypothesis.settings.load_profile("any pace")


@dataclass(frozen=True)
class Ran:
    """A finished call of the command line."""

    status: int
    out: str
    err: str


if signal.getsignal(signal.SIGINT) is signal.SIG_IGN:
    # started in the background: what is started from here would not hear of a Ctrl-C either, which some tests press
    signal.signal(signal.SIGINT, signal.default_int_handler)


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--whole", action="store_true", help="run all cases of every test, those marked `long` too")


#: A test of so many cases takes each n-th of them every day, unless it is marked otherwise.
_MANY = ((40, 28), (12, 12), (6, 7), (3, 4), (0, 1))


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Take each n-th case of a test that has many or is marked `spread(n)`, and none marked `long`: the everyday run is short."""
    if config.getoption("--whole"):
        return
    named = [item for item in config.args if "[" in item]
    families = [item.nodeid.partition("[")[0] for item in items]
    cases = Counter(families)
    seen: Counter[str] = Counter()
    left_out: list[pytest.Item] = []
    for item, family in zip(items, families, strict=True):
        mark = item.get_closest_marker("spread")
        each = mark.args[0] if mark is not None else next(each for most, each in _MANY if cases[family] >= most)
        if not named and (item.get_closest_marker("long") is not None or seen[family] % each):
            left_out.append(item)
        seen[family] += 1
    config.hook.pytest_deselected(items=left_out)
    gone = set(map(id, left_out))
    items[:] = [item for item in items if id(item) not in gone]


@pytest.fixture
def project(tmp_path: Path) -> Callable[[Mapping[str, str | bytes]], Path]:
    """Return a function that writes files into a fresh project folder and returns it."""

    def write(files: Mapping[str, str | bytes]) -> Path:
        folder = tmp_path / "project"
        for name, content in files.items():
            path = folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content.encode() if isinstance(content, str) else content)
        folder.mkdir(exist_ok=True)
        return folder

    return write


@functools.cache
def slowness() -> float:
    """Return how much longer this machine takes now, with the tests that run beside, than an idle one: 1 to 5.

    A search has seconds, and on a slow machine the same search needs more of them.
    """
    took = []
    for _ in range(3):
        start = time.perf_counter()
        subprocess.run([sys.executable, "-I", "-c", ""], check=True)
        took.append(time.perf_counter() - start)
    return min(5.0, max(1.0, sorted(took)[1] / 0.02))


@pytest.fixture(autouse=True)
def state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Keep the user's state out of the tests."""
    folder = tmp_path / "state"
    monkeypatch.setenv("JAMKEY_STATE", str(folder))
    monkeypatch.setenv("JAMKEY_PATIENCE", f"{3 * slowness():.1f}")
    monkeypatch.delenv("VIRTUAL_ENV", raising=False)
    monkeypatch.delenv("NO_COLOR", raising=False)
    return folder


#: Names that only one kind of system has, and that the standard library does without elsewhere.
ONLY_POSIX = {
    "os": """fork forkpty killpg setsid setpgid getpgid getsid getuid geteuid getgid getegid setuid seteuid setgid initgroups
        uname openpty mkfifo ctermid nice tcsetpgrp tcgetpgrp chown lchown chroot getpriority
        setpriority wait3 wait4 sched_setaffinity getloadavg""".split(),
    "signal": """SIGHUP SIGQUIT SIGUSR1 SIGUSR2 SIGALRM SIGCHLD SIGCONT SIGSTOP SIGTSTP SIGTTIN SIGTTOU SIGPIPE pthread_kill
        pthread_sigmask setitimer getitimer alarm siginterrupt sigwait sigwaitinfo sigtimedwait sigpending pause""".split(),
}
#: How the command line is started: as it is, or as on a system that has none of these names.
NATIVE = [sys.executable, "-m", "jamkey"]
BARE = [
    sys.executable,
    "-c",
    "import os, signal, sys, subprocess, runpy\n"
    + "".join(f"{module}.__dict__.pop({name!r}, None)\n" for module, names in ONLY_POSIX.items() for name in names)
    + "for name in ('fcntl', 'resource', 'pty', 'termios', 'pwd', 'grp'): sys.modules[name] = None\n"
    + "sys.argv[0] = 'jamkey'\nrunpy.run_module('jamkey', run_name='__main__')",
]
_start = {"words": NATIVE}


@pytest.fixture(params=["native", "bare"])
def on_each_system(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> str:
    """Let `jamkey` run natively, then with the plain stand-in where the POSIX-only names are gone."""
    name: str = request.param
    if name == "bare":
        monkeypatch.setenv("JAMKEY_SYSTEM", "plain")
        monkeypatch.setitem(_start, "words", BARE)
    return name


class _Warm:
    """One `warm_cli.py`, asked for a call at a time."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="warm-cli-")
        self._process = subprocess.Popen(
            [sys.executable, str(Path(__file__).parent / "warm_cli.py")],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )

    def call(
        self, args: Sequence[str], cwd: Path, data: bytes, env: Mapping[str, str], timeout: float
    ) -> tuple[int, bytes, bytes]:
        files = [Path(self._folder.name) / name for name in ("in", "out", "err")]
        files[0].write_bytes(data)
        asked = {"args": list(args), "cwd": str(cwd), "env": dict(env), "files": [str(path) for path in files]}
        assert self._process.stdin is not None and self._process.stdout is not None
        self._process.stdin.write(json.dumps(asked) + "\n")
        self._process.stdin.flush()
        number = int(self._process.stdout.readline())
        late = threading.Timer(timeout, os.killpg, (number, signal.SIGKILL))
        late.start()
        status = int(self._process.stdout.readline())
        late.cancel()
        return status, files[1].read_bytes(), files[2].read_bytes()


@functools.cache
def _warm() -> _Warm:
    return _Warm()


def jamkey(
    *args: str,
    cwd: Path,
    stdin: str | bytes = "",
    env: Mapping[str, str] | None = None,
    timeout: float = 120,
    fresh: bool = False,
) -> Ran:
    """Call the command line as a user does, in a process of its own.

    It is a child of one that has loaded the command line, but where a test asks for a fresh start, or sets what only a start reads.
    """
    data = stdin.encode() if isinstance(stdin, str) else stdin
    if _start["words"] is BARE and args[:1] == ("fix",):
        args = ("fix", "--unguarded", *args[1:])  # nothing holds a trial there
    whole = {**os.environ, "COLUMNS": "100", **(env or {})}
    at_start = any(name.startswith(("PYTHON", "LC_", "LANG", "JAMKEY_SYSTEM")) for name in env or {})
    if fresh or at_start or _start["words"] is BARE or not hasattr(os, "fork"):
        done = subprocess.run(
            [*_start["words"], *args], cwd=cwd, input=data, capture_output=True, timeout=timeout, check=False, env=whole
        )
        return Ran(done.returncode, done.stdout.decode("utf-8", "replace"), done.stderr.decode("utf-8", "replace"))
    status, out, error = _warm().call(args, cwd, data, whole, timeout)
    return Ran(status, out.decode("utf-8", "replace"), error.decode("utf-8", "replace"))


class Heard:
    """What a process prints, as it comes; a process that prints nothing blocks nobody."""

    def __init__(self, process: subprocess.Popen[str]) -> None:
        self.text = ""
        self._process = process
        self._more = threading.Condition()
        self._thread = threading.Thread(target=self._listen, daemon=True)
        self._thread.start()

    def _listen(self) -> None:
        assert self._process.stdout is not None
        with self._process.stdout as out:
            for line in out:
                with self._more:
                    self.text += line
                    self._more.notify_all()

    def all(self, seconds: float = 30.0) -> str:
        """Return what was printed, once the process has ended."""
        self._process.wait(seconds)
        self._thread.join(seconds)
        return self.text

    def until(self, words: str, seconds: float = 60.0) -> None:
        """Wait for words."""
        with self._more:
            assert self._more.wait_for(lambda: words in self.text, seconds), f"{words!r} does not come: {self.text!r}"


def answers(path: str) -> bool:
    """Tell whether an interpreter starts; a shim without its version behind it does not."""
    try:
        return subprocess.run([path, "-c", ""], capture_output=True, timeout=60, check=False).returncode == 0
    except OSError:
        return False


@functools.cache
def interpreters() -> dict[str, str]:
    """Return version -> path of every Python from 3.8 on that this machine has, the running one included."""
    found = {f"3.{sys.version_info.minor}": sys.executable}
    for minor in range(8, 15):
        version = f"3.{minor}"
        candidates = [shutil.which(f"python{version}") or ""]
        managed = Path(os.environ.get("PYENV_ROOT", str(Path.home() / ".pyenv"))) / "versions"
        candidates += [str(path) for path in sorted(managed.glob(f"{version}.*/bin/python{version}"))]
        for path in candidates:
            if version not in found and path and answers(path):
                found[version] = path
    return found


def corpus_cases(runtime: str = "*") -> list[Path]:
    """Return the copied cases of a runtime."""
    return sorted(path.parent for path in CORPUS.glob(f"{runtime}/*/truth.json"))


def truth_of(case: Path) -> dict[str, Any]:
    """Return a case's truth."""
    return json.loads((case / "truth.json").read_text(encoding="utf-8"))


def printed(case: Path) -> list[str]:
    """Return what a case's program printed: standard error, then both with standard output first."""
    error, out = (
        decode((case / name).read_bytes()) if (case / name).read_bytes() else "" for name in ("stderr.txt", "stdout.txt")
    )
    return [error, f"{out}\n{error}"] if error.strip() else [out, f"{out}\n{error}"]


def runs_noted(monkeypatch: pytest.MonkeyPatch) -> list[Tried]:
    """Return a list that gets what every quick trial from now on says."""
    said: list[Tried] = []
    plain = Warm.run

    def run(self: Warm, *words: Any, **named: Any) -> Tried | None:
        found = plain(self, *words, **named)
        said.extend([found] if found is not None else [])
        return found

    monkeypatch.setattr(Warm, "run", run)
    return said
