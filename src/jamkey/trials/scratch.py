"""A place for one second run: the project as it is, with changes that nobody else sees, and folders that go away again.

Where the system can, the project is a view at its own path: what is written lands beside it (an overlay), so that paths
stay as they are and the size does not matter. Elsewhere it is a copy.
"""

from __future__ import annotations

import contextlib
import filecmp
import os
import re
import shutil
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

from jamkey import system
from jamkey.errors import NoSandbox
from jamkey.follow.sources import Sources
from jamkey.observe import sandbox
from jamkey.observe.capture import Captured, Held, capture
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.trials.copy import LEFT_OUT, copy_project, found_there

_PREFIX = "jamkey-trial-"
#: Names of what we leave in the folder of temporary files, with the number of the process.
_OURS = re.compile(r"jamkey-(?:[a-z]+-)?(\d+)-")
#: Caches of libraries that take long to make again: the user's own are laid into the scratch folder, in bytes.
_MOST_CACHE = 5_000_000
#: Variable -> its folder below the scratch folder.
_LED = {
    "TMPDIR": "tmp",
    "TMP": "tmp",
    "TEMP": "tmp",
    "XDG_CACHE_HOME": "cache",
    "MPLCONFIGDIR": "cache/matplotlib",
    "NUMBA_CACHE_DIR": "cache/numba",
    "R_USER_CACHE_DIR": "cache/R",
    "npm_config_cache": "cache/npm",
    "IPYTHONDIR": "cache/ipython",
}
#: Whether views work here, once it has been tried.
_views: list[bool] = []


@dataclass
class Scratch:
    """The place. `project` is where the program runs: its own folder as a view, or a copy."""

    root: Path
    folder: Path
    project: Path
    #: Whether the project is a view at its own path.
    view: bool
    unguarded: bool = False
    #: File -> its text with what was put into it.
    texts: dict[str, str] = field(default_factory=dict)
    _before: dict[str, tuple[int, int]] = field(default_factory=dict)

    @property
    def below(self) -> Path:
        """The folder in which changed files of the project really lie."""
        return self.folder / "upper" if self.view else self.project

    def put(self, file: str, data: bytes, text: str) -> bool:
        """Change a file of the project; tell whether it is one.

        Args:
            file: relative to the project.
            data: its new content.
            text: the same, decoded.
        """
        original = self.root / file
        if os.path.isabs(file) or ".." in Path(file).parts or not original.is_file():
            return False
        target = self.below / file
        if self.view:
            self._folders_to(file)
        elif target.is_symlink():
            target = target.resolve()
        target.write_bytes(data)
        with contextlib.suppress(OSError):
            target.chmod(stat.S_IMODE(original.stat().st_mode) | stat.S_IRUSR | stat.S_IWUSR)
        self.texts[file] = text
        return True

    def _folders_to(self, file: str) -> None:
        """Make the folders above a changed file as they are in the project."""
        made = self.folder / "upper"
        for part in Path(file).parent.parts:
            made /= part
            made.mkdir(exist_ok=True)
            with contextlib.suppress(OSError):
                made.chmod(stat.S_IMODE((self.root / made.relative_to(self.folder / "upper")).stat().st_mode))

    def ready(self) -> None:
        """Note how the files are before the run."""
        self._before = self._state()

    def changed(self) -> tuple[str, ...]:
        """Return the files that the run has made or changed, relative to the project."""
        after = self._state()
        return tuple(
            sorted(name for name, state in after.items() if self._before.get(name) != state and self._is_changed(name))
        )

    def emptied(self) -> tuple[str, ...]:
        """Return the files that hold nothing after the run, where they held something before it or were not there."""
        sizes = {name: size for name, (size, _) in self._before.items()}
        found = [name for name, (size, _) in self._state().items() if not size and sizes.get(name) != 0]
        return tuple(
            name for name in found if (self.below / name).is_file()
        )  # in a view, what is deleted leaves a mark of no size

    def _is_changed(self, name: str) -> bool:
        """Tell whether a file holds anything new: what was only opened for writing shows up in the view as well."""
        original, now = self.root / name, self.below / name
        if name in self.texts or not self.view:
            return True
        try:
            same = original.is_file() and not now.is_symlink() and original.stat().st_size == now.stat().st_size
            return not (same and filecmp.cmp(original, now, shallow=False))
        except OSError:
            return True

    def _state(self) -> dict[str, tuple[int, int]]:
        found: dict[str, tuple[int, int]] = {}
        for folder, names, files in os.walk(self.below):
            names[:] = [name for name in names if name not in LEFT_OUT]
            for name in files:
                path = os.path.join(folder, name)
                with contextlib.suppress(OSError):
                    state = os.lstat(path)
                    found[os.path.relpath(path, self.below).replace(os.sep, "/")] = (state.st_size, state.st_mtime_ns)
        return found

    def target(self, target: Target) -> Target:
        """Return the target with paths into the project led to where it is now."""
        if self.view:
            return target
        here = str(self.root) + os.sep
        argv = [
            os.path.join(str(self.project), word[len(here) :]) if index and word.startswith(here) else word
            for index, word in enumerate(target.argv)
        ]
        return Target(argv, target.executable, target.script, target.runtime)

    def sources(self) -> Sources:
        """Return the project's texts as the run has them."""
        return Sources(self.project, self.texts)

    def held(self) -> Held:
        """Return the folders that the run is held in."""
        overlay = None
        writable = [str(self.folder)]
        if self.view:
            overlay = {
                "lower": str(self.root),
                "upper": str(self.folder / "upper"),
                "work": str(self.folder / "work"),
                "merged": str(self.root),
            }
            writable.append(str(self.root))
        return Held(tuple(writable), overlay, str(self.folder), self.unguarded)

    def env(self) -> dict[str, str]:
        """Return the variables that lead temporary files and caches into the place."""
        led = {name: str(self.folder / place) for name, place in _LED.items()}
        return {**led, "PYTHONDONTWRITEBYTECODE": "1", **({} if self.view else found_there(self.root))}

    def run(
        self, target: Target, *, stdin: bytes | Typed = b"", limit: float = 0.0, env: dict[str, str] | None = None
    ) -> Captured:
        """Run a target here, held.

        Raises:
            OSError: it cannot be started.
            NoSandbox: nothing can hold it, and nobody has said that it may run all the same.
        """
        moved = self.target(target)
        return capture(
            moved.argv,
            executable=moved.executable,
            cwd=self.project,
            stdin=stdin,
            limit=limit,
            env={**self.env(), **(env or {})},
            runtime=target.runtime,
            held=replace(self.held(), browser=target.is_page),
        )


@contextmanager
def scratch(root: Path, *, unguarded: bool = False) -> Iterator[Scratch]:
    """Give a place for a second run of what lies in a folder; it goes away again.

    Args:
        root: the project folder.
        unguarded: let it run also where nothing can hold it.

    Raises:
        TooLarge: there is no view to be had, and the folder is too large to copy.
        OSError: the folder cannot be read, or the place not be made.
    """
    folder = Path(os.path.realpath(tempfile.mkdtemp(prefix=f"{_PREFIX}{os.getpid()}-")))
    try:
        for place in sorted(set(_LED.values())):
            (folder / place).mkdir(parents=True, exist_ok=True)
        _lay_caches(folder)
        view = views_work() and not folder.is_relative_to(root.resolve())
        if view:
            (folder / "upper").mkdir()
            (folder / "work").mkdir()
            shutil.copymode(root, folder / "upper")
            yield Scratch(root.resolve(), folder, root.resolve(), True, unguarded)
        else:
            project = folder / (root.name or "project")
            copy_project(root, project)
            yield Scratch(root, folder, project, False, unguarded)
    finally:
        remove(folder)


def views_work() -> bool:
    """Tell whether this system gives a view of a folder whose changes land elsewhere; tried once."""
    if not sandbox.native():
        return False
    if not _views:
        _views.append(_view_tried())
    return _views[0]


def _view_tried() -> bool:
    folder = Path(os.path.realpath(tempfile.mkdtemp(prefix=f"{_PREFIX}{os.getpid()}-")))
    try:
        for name in ("lower", "upper", "work"):
            (folder / name).mkdir()
        (folder / "lower" / "seen").write_text("before", encoding="ascii")
        place = Scratch(folder / "lower", folder, folder / "lower", True)
        words = ["/bin/sh", "-c", "echo after > seen; cat seen"]
        ended = capture(words, executable="/bin/sh", cwd=place.project, limit=10, held=place.held(), runtime="none")
        return ended.stdout == b"after\n" and (folder / "lower" / "seen").read_text(encoding="ascii") == "before"
    except (OSError, NoSandbox):
        return False
    finally:
        remove(folder)


def _lay_caches(folder: Path) -> None:
    """Lay the user's own caches that take long to make again into the place, so that libraries find them."""
    home = os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
    known = os.environ.get("MPLCONFIGDIR") or os.path.join(home, "matplotlib")
    with contextlib.suppress(OSError):
        files = [entry for entry in os.scandir(known) if entry.is_file(follow_symlinks=False)]
        if sum(entry.stat().st_size for entry in files) <= _MOST_CACHE:
            for entry in files:
                shutil.copy2(entry.path, folder / "cache" / "matplotlib")


def remove(folder: Path) -> None:
    """Remove a place, also what was made unreadable there."""
    shutil.rmtree(folder, ignore_errors=True)
    if folder.exists():
        for path, names, _ in os.walk(folder):
            for name in [*names, "."]:
                with contextlib.suppress(OSError):
                    os.chmod(os.path.join(path, name), 0o700)
        shutil.rmtree(folder, ignore_errors=True)


def sweep() -> None:
    """Remove what earlier calls had to leave behind when they were killed: places and records of processes that are gone."""
    base = system.temporary_folder()
    with contextlib.suppress(OSError):
        for entry in os.scandir(base):
            if not entry.name.startswith("jamkey-"):
                continue
            found = _OURS.match(entry.name)
            number = found[1] if found else ""
            own = system.is_trusted_owner(entry.stat(follow_symlinks=False).st_uid, system_too=False)
            if not number.isdigit() or not own or system.process_is_there(int(number)):
                continue
            if entry.is_dir(follow_symlinks=False):
                remove(Path(entry.path))
            else:
                with contextlib.suppress(OSError):
                    os.unlink(entry.path)
