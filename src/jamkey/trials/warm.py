"""Many quick trials: a warm interpreter, held like every second run, forks one child a trial.

What such a trial says is a first opinion: what is shown is confirmed by a plain run.
"""

from __future__ import annotations

import ast
import contextlib
import os
import shutil
import sys
import threading
import time
from collections.abc import Iterable, Iterator, Mapping
from contextlib import ExitStack, contextmanager
from pathlib import Path

import msgspec

from jamkey.errors import JamkeyError
from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.observe.target import Target
from jamkey.trials.fronts import Fronts, fronts
from jamkey.trials.scratch import Scratch, scratch

_AGENT = Path(__file__).parent.parent / "observe" / "agents" / "forks.py"
_POLL = 0.002
#: Seconds until a warm interpreter has loaded the libraries, at most.
_START = 20.0


class Ran(msgspec.Struct):
    """How one quick trial ended."""

    id: int | None
    status: int = 0
    limit: bool = False
    seconds: float = 0.0
    stdout: str = ""
    stderr: str = ""
    why: str = ""


class Warm:
    """One warm interpreter in a place of its own."""

    def __init__(self, place: Scratch, folder: Path, thread: threading.Thread) -> None:
        self.place = place
        self.folder = folder
        self._thread = thread
        self._ran = (folder / "ran.jsonl").open(encoding="utf-8")
        self._rest = ""
        self._number = 0
        #: What its trials were refused, once it has ended.
        self.refused: tuple[str, ...] = ()

    def ready(self) -> bool:
        """Wait until the libraries are loaded; False when it did not start."""
        first = self._next(_START)
        return first is not None and first.id == -1

    def run(self, texts: Mapping[str, bytes], limit: float, prepare: Mapping[str, object] | None = None) -> Ran | None:
        """Run the script with files changed; None when the interpreter is of no more use.

        Args:
            texts: file of the project -> its content.
            limit: seconds.
            prepare: what an agent is given that the child loads first; its file is `prepare["agent"]`.
        """
        self._number += 1
        files = {str(self.place.project / name): data.decode("latin-1") for name, data in texts.items()}
        with (self.folder / "asked.jsonl").open("ab") as asked:
            wanted = {"id": self._number, "files": files, "limit": limit, "prepare": prepare}
            asked.write(msgspec.json.encode(wanted) + b"\n")
        answer = self._next(limit + 5.0)
        return answer if answer is not None and answer.id == self._number else None

    def _next(self, limit: float) -> Ran | None:
        until = time.monotonic() + limit
        while time.monotonic() < until:
            self._rest += self._ran.readline()
            if self._rest.endswith("\n"):
                line, self._rest = self._rest, ""
                with contextlib.suppress(msgspec.MsgspecError):
                    return msgspec.json.decode(line.encode(), type=Ran)
                return None
            if not self._thread.is_alive():
                return None
            time.sleep(_POLL)
        return None

    def end(self) -> None:
        """Let it go."""
        with contextlib.suppress(OSError):
            (self.folder / "end").touch()
        self._ran.close()
        self._thread.join(10.0)


def can_be_warm(target: Target) -> bool:
    """Tell whether quick trials are to be had for a target."""
    return hasattr(os, "fork") and (_words(target) is not None or _is_command(target))


def _is_command(target: Target) -> bool:
    """Tell a program that is one command, run to its end, of another runtime or of one that nobody told."""
    return not target.is_python and not target.is_page and target.notebook is None and not traits_of(target.runtime).stays_on


def _words(target: Target) -> tuple[str, str, list[str]] | None:
    """Return (script, module, its arguments); None for what is started in another way."""
    if not target.is_recordable:
        return None
    argv = target.argv
    if target.script is not None and target.script in argv:
        if not target.script.endswith((".py", ".pyw")):
            return None
        place = argv.index(target.script)
        return (target.script, "", argv[place:]) if place == 1 else None
    if len(argv) > 2 and argv[1] == "-m":
        return "", argv[2], argv[2:]
    return None


@contextmanager
def warm(root: Path, target: Target, *, stdin: bytes, unguarded: bool, load: Iterable[str]) -> Iterator[Warm | None]:
    """Give a warm interpreter for a target, or None where it cannot be had.

    Args:
        root: the project folder.
        target: a script, or a module run with `-m`.
        stdin: what each trial may read.
        unguarded: run it also where nothing holds it.
        load: libraries to import once.
    """
    words = _words(target)
    if words is None and not _is_command(target):
        yield None
        return
    with ExitStack() as stack:
        place = stack.enter_context(scratch(root, unguarded=unguarded))
        folder = place.folder / "warm"
        folder.mkdir()
        (folder / "asked.jsonl").touch()
        (folder / "ran.jsonl").touch()
        (folder / "stdin").write_bytes(stdin)
        agent = shutil.copy(_AGENT, folder / "forks.py")
        moved = place.target(target)
        script, module, argv = _words(moved) or ("", "", moved.argv)
        tools = folder / "tools"
        tools.mkdir()
        ahead = fronts(argv, tools, place.project) if words is None else Fronts()
        whole = os.path.join(place.project, script) if script else ""
        setup = {
            "script": script,
            "module": module,
            "argv": argv,
            "command": "" if words is not None else ahead.of(moved.executable),
            "project": str(place.project),
            "path": os.path.dirname(whole) if whole else str(place.project),
            "load": sorted(load),
            "stdin": str(folder / "stdin"),
            "fronts": ahead,
        }
        (folder / "setup.json").write_bytes(msgspec.json.encode(setup))
        first, program = (moved.argv[0], moved.executable) if words is not None else (sys.executable, sys.executable)
        server = Target([first, str(agent), str(folder)], program, None, "none")

        refused: list[str] = []

        def serve() -> None:
            with contextlib.suppress(OSError, JamkeyError):
                threads = dict.fromkeys(("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS"), "1")
                refused.extend(place.run(server, env=threads).refused)

        thread = threading.Thread(target=serve, daemon=True)
        thread.start()
        runner = Warm(place, folder, thread)
        try:
            yield runner
        finally:
            runner.end()
            runner.refused = tuple(refused)


def libraries(sources: Sources) -> set[str]:
    """Return the modules that the project's sources import and that are not its own."""
    found: set[str] = set()
    own = {Path(name).parts[0].removesuffix(".py") for name in sources.files()}
    for name in sources.files():
        text = sources.text(name) if name.endswith((".py", ".pyw")) else None
        try:
            tree = ast.parse(text or "")
        except (SyntaxError, ValueError):
            continue
        for node in ast.walk(tree):
            if isinstance(node, ast.Import):
                found.update(alias.name for alias in node.names)
            elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                found.add(node.module)
    return {name for name in found if name.partition(".")[0] not in own and not name.startswith("__")}
