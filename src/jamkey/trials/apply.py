"""Write a key to the disk, so that it can be taken back."""

from __future__ import annotations

import difflib
import hashlib
import os
import shutil
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import msgspec

from jamkey import system
from jamkey.errors import ChangedSinceRead, NothingToUndo, UnreadableInput
from jamkey.folders import state_folder
from jamkey.follow.cell_module import readable, rewritten
from jamkey.model import Edit, Struct
from jamkey.text import decode, edited
from jamkey.trials.write import replace_files

GENERATION = 1
#: Records kept; the oldest go first.
MOST_RECORDS = 50


class Saved(Struct, frozen=True, kw_only=True):
    """One file of an applied fix."""

    #: Absolute path.
    path: str
    #: Name of the backup beside the record.
    backup: str
    #: Hash of the file after the fix.
    after: str


class Record(Struct, frozen=True, kw_only=True):
    """An applied fix: what `undo` reads."""

    generation: int
    #: Seconds since 1970.
    time: float
    folder: str
    files: tuple[Saved, ...]


def digest(path: Path) -> str:
    """Return the hash of a file's bytes."""
    return hashlib.sha256(path.read_bytes()).hexdigest()


def apply(edits: Sequence[Edit], root: Path, hashes: dict[str, str]) -> tuple[str, Path]:
    """Apply edits to the files on disk; return the unified diff and the record's folder.

    Either all files are written or none, and every byte that no edit touches stays as it is.

    Args:
        edits: files relative to `root`.
        root: the project folder.
        hashes: file -> hash at the time it was read.

    Raises:
        ChangedSinceRead: a file is no longer the one that was read.
        UnreadableInput: a file is outside the project, is read-only, or cannot be written.
    """
    with _alone(root):
        return _applied(edits, root, hashes)


@contextmanager
def _alone(root: Path) -> Iterator[None]:
    """Let one process at a time change a project's files; another waits."""
    folder = Path(state_folder())
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    name = hashlib.sha256(str(root.resolve()).encode()).hexdigest()[:16]
    with open(folder / f"{name}.lock", "w") as handle:
        yield from system.locked(handle)


def _applied(edits: Sequence[Edit], root: Path, hashes: dict[str, str]) -> tuple[str, Path]:
    before: dict[Path, bytes] = {}
    after: dict[Path, bytes] = {}
    diffs: list[str] = []
    for file in dict.fromkeys(edit.file for edit in edits):
        path = _inside(root, file)
        data = path.read_bytes()
        if hashlib.sha256(data).hexdigest() != hashes.get(file):
            raise ChangedSinceRead(f"{file} has changed since it was read: run again; nothing was written")
        own = [edit for edit in edits if edit.file == file]
        before[path], after[path] = data, edited(data, partial(rewritten, edits=own), name=file)
        diffs.append(diff(decode(data), decode(after[path]), file))
    try:
        record = _backup(before, after, root)
    except OSError as error:
        raise UnreadableInput(f"no copy of the files can be kept ({error.strerror}): nothing was changed") from None
    try:
        replace_files(after)
    except BaseException:
        shutil.rmtree(record, ignore_errors=True)
        raise
    return "".join(diffs), record


def diff(before: str, after: str, file: str) -> str:
    """Return a unified diff with one line of context around each change."""
    before, after = readable(before, file), readable(after, file)
    lines = difflib.unified_diff(before.splitlines(keepends=True), after.splitlines(keepends=True), file, file, n=1)
    return "".join(line if line.endswith("\n") else line + "\n" for line in lines)


def _inside(root: Path, file: str) -> Path:
    path = (root / file).resolve()
    if not path.is_relative_to(root.resolve()) or not path.is_file():
        raise UnreadableInput(f"{file} is not in the project folder {root}: change it by hand")
    return path


def _backup(before: Mapping[Path, bytes], after: Mapping[Path, bytes], root: Path) -> Path:
    base = Path(state_folder()) / "undo"
    base.mkdir(parents=True, exist_ok=True, mode=0o700)
    name = f"{time.time_ns():020d}-{os.getpid()}"
    made = base / f".{name}"
    made.mkdir(mode=0o700)
    try:
        saved: list[Saved] = []
        for number, (path, data) in enumerate(before.items()):
            (made / str(number)).write_bytes(data)
            saved.append(Saved(path=str(path), backup=str(number), after=hashlib.sha256(after[path]).hexdigest()))
        content = Record(generation=GENERATION, time=time.time(), folder=str(root.resolve()), files=tuple(saved))
        (made / "record.json").write_bytes(msgspec.json.encode(content))
        made.replace(base / name)
    except BaseException:
        shutil.rmtree(made, ignore_errors=True)
        raise
    _trim(base)
    return base / name


def _trim(base: Path) -> None:
    for old in sorted(path for path in base.iterdir() if not path.name.startswith("."))[:-MOST_RECORDS]:
        shutil.rmtree(old, ignore_errors=True)


def records(folder: Path) -> list[tuple[Path, Record]]:
    """Return the applied fixes of a project folder, newest first."""
    base = Path(state_folder()) / "undo"
    found: list[tuple[Path, Record]] = []
    for place in sorted(base.iterdir(), reverse=True) if base.is_dir() else ():
        try:
            record = msgspec.json.decode((place / "record.json").read_bytes(), type=Record)
        except (OSError, msgspec.MsgspecError):
            continue
        own = Path(record.folder)
        if record.generation == GENERATION and (folder == own or own in folder.parents):
            found.append((place, record))
    return found


def undo(folder: Path) -> list[str]:
    """Put back what the last fix here, or in a folder above, changed; return the files' names. All are put back, or none.

    Raises:
        NothingToUndo: no fix is on record for this folder.
        ChangedSinceRead: a file was changed after the fix; nothing is put back.
    """
    found = records(folder.resolve())
    if not found:
        raise NothingToUndo("nothing to undo here: no fix was applied in this folder")
    place, record = found[0]
    back: dict[Path, bytes] = {}
    for saved in record.files:
        path, kept = Path(saved.path), place / saved.backup
        try:
            data = kept.read_bytes()
        except OSError as error:
            raise NothingToUndo(f"the copy {kept} cannot be read ({error.strerror}): nothing was put back") from None
        if path.is_file() and path.read_bytes() == data:
            continue  # it is back already: an earlier call was cut off, or somebody did it by hand
        if not path.is_file() or digest(path) != saved.after:
            raise ChangedSinceRead(f"{saved.path} was changed after the fix: put it back by hand from {kept}")
        back[path] = data
    replace_files(back)
    shutil.rmtree(place, ignore_errors=True)
    return [saved.path for saved in record.files]
