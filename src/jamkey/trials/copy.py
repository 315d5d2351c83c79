"""A copy of the project that holds no link to an original: what runs there can change nothing here."""

from __future__ import annotations

import errno
import os
import shutil
import stat
from pathlib import Path

from jamkey import system

#: A project larger than this is not copied: files, bytes.
MOST_FILES, MOST_BYTES = 5000, 500_000_000
#: Left out: caches, history, the interpreter's environment (started by its full path), packages (see `found_there`).
LEFT_OUT = frozenset(
    ".git .hg __pycache__ .mypy_cache .pytest_cache .ruff_cache .ipynb_checkpoints .venv venv env node_modules".split()
)


class TooLarge(OSError):
    """The project is too large to copy in reasonable time and space."""

    def __init__(self) -> None:
        super().__init__(
            errno.EFBIG, f"the folder is too large to copy (over {MOST_FILES:,} files or {MOST_BYTES // 1_000_000} MB)"
        )


def copy_project(root: Path, project: Path) -> None:
    """Copy a folder. Links within it stay links within the copy; what a link outside leads to is copied.

    Raises:
        TooLarge: it is larger than `MOST_FILES` or `MOST_BYTES`.
        OSError: it cannot be read, or the copy not be written.
    """
    _Copy(Path(os.path.realpath(root)), project).folder(str(root), str(project), ())


def found_there(root: Path) -> dict[str, str]:
    """Return the environment by which a copy finds the packages that are installed in the project's own folder."""
    packages = root / "node_modules"
    if not packages.is_dir():
        return {}
    before = os.environ.get("NODE_PATH")
    return {"NODE_PATH": os.pathsep.join([str(packages), *([before] if before else [])])}


class _Copy:
    """One copy being made."""

    def __init__(self, root: Path, target: Path) -> None:
        self.root = root
        self.target = target
        self.files = self.size = 0

    def folder(self, source: str, target: str, within: tuple[str, ...]) -> None:
        """Copy a folder and what is below it. `within`: the real folders around it, so that a circle of links ends."""
        real = os.path.realpath(source)
        if real in within:
            return
        os.makedirs(target, exist_ok=True)
        with os.scandir(source) as entries:
            for entry in entries:
                if entry.name not in LEFT_OUT:
                    self.entry(entry.path, os.path.join(target, entry.name), (*within, real))
        shutil.copystat(source, target)
        os.chmod(target, stat.S_IMODE(os.stat(source).st_mode) | stat.S_IRWXU)

    def entry(self, source: str, target: str, within: tuple[str, ...]) -> None:
        """Copy one entry; sockets, pipes, devices and links that lead nowhere are left out."""
        if os.path.islink(source):
            leads = os.path.realpath(source)
            if not os.path.exists(leads):
                return
            inside = leads == str(self.root) or leads.startswith(str(self.root) + os.sep)
            if inside and not any(part in LEFT_OUT for part in Path(os.path.relpath(leads, self.root)).parts):
                self.count(0)
                there = os.path.join(self.target, os.path.relpath(leads, self.root))
                os.symlink(os.path.relpath(there, os.path.dirname(target)), target)
                return
        mode = os.stat(source).st_mode
        if stat.S_ISDIR(mode):
            self.folder(source, target, within)
        elif stat.S_ISREG(mode):
            self.count(os.path.getsize(source))
            _copy_file(source, target)

    def count(self, size: int) -> None:
        self.files += 1
        self.size += size
        if self.files > MOST_FILES or self.size > MOST_BYTES:
            raise TooLarge


def _copy_file(source: str, target: str) -> None:
    """Copy a file with its times; where the file system can, its blocks are shared until one side writes."""
    if not system.share_blocks(source, target):
        shutil.copyfile(source, target)
    shutil.copystat(source, target)
    os.chmod(target, stat.S_IMODE(os.stat(target).st_mode) | stat.S_IRUSR | stat.S_IWUSR)
