"""Write a key to the disk, so that it can be taken back."""

from __future__ import annotations

import difflib
import hashlib
import os
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import msgspec

from jamkey.errors import ChangedSinceRead, NothingToUndo, UnreadableInput
from jamkey.folders import state_folder
from jamkey.follow.cell_module import readable, rewritten
from jamkey.model import Edit, Struct
from jamkey.observe import system
from jamkey.text import decode
from jamkey.trials.bench import encoding_of

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

    Either all files are written or none. Each is written beside itself first, then put in place at once.

    Args:
        edits: files relative to `root`.
        root: the project folder.
        hashes: file -> hash at the time it was read.

    Raises:
        ChangedSinceRead: a file is no longer the one that was read.
        UnreadableInput: a file is outside the project or cannot be written.
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
    new: dict[str, bytes] = {}
    diffs: list[str] = []
    for file in dict.fromkeys(edit.file for edit in edits):
        path = _inside(root, file)
        data = path.read_bytes()
        if hashlib.sha256(data).hexdigest() != hashes.get(file):
            raise ChangedSinceRead(f"{file} has changed since it was read: run again; nothing was written")
        text = decode(data)
        changed = rewritten(text, [edit for edit in edits if edit.file == file])
        new[file] = changed.encode(encoding_of(data))
        diffs.append(diff(text, changed, file))
    record = _backup(new, root)
    written: list[str] = []
    try:
        for file, data in new.items():
            _write(root / file, data)
            written.append(file)
    except BaseException as error:
        # an interrupt as well: either every file is the new one or none is
        for file in written:
            _write(root / file, (record / file.replace("/", "__")).read_bytes())
        if not isinstance(error, OSError):
            raise
        raise UnreadableInput(f"{error.filename} cannot be written ({error.strerror}): nothing was changed") from None
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


def _write(path: Path, data: bytes) -> None:
    """Replace a file at once, its mode kept."""
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=".jamkey-")
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        Path(name).chmod(path.stat().st_mode & 0o7777)
        Path(name).replace(path.resolve())
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def _backup(new: dict[str, bytes], root: Path) -> Path:
    base = Path(state_folder()) / "undo"
    record = base / f"{time.time_ns():020d}-{os.getpid()}"
    record.mkdir(parents=True, mode=0o700)
    saved: list[Saved] = []
    for file, data in new.items():
        name = file.replace("/", "__")
        (record / name).write_bytes((root / file).read_bytes())
        saved.append(Saved(path=str((root / file).resolve()), backup=name, after=hashlib.sha256(data).hexdigest()))
    content = Record(generation=GENERATION, time=time.time(), folder=str(root.resolve()), files=tuple(saved))
    (record / "record.json").write_bytes(msgspec.json.encode(content))
    _trim(base)
    return record


def _trim(base: Path) -> None:
    for old in sorted(base.iterdir())[:-MOST_RECORDS]:
        for item in old.iterdir():
            item.unlink()
        old.rmdir()


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
        if record.generation == GENERATION and (folder == own or own in folder.parents or folder in own.parents):
            found.append((place, record))
    return found


def undo(folder: Path) -> list[str]:
    """Put back what the last fix in this folder changed; return the files' names.

    Raises:
        NothingToUndo: no fix is on record for this folder.
        ChangedSinceRead: a file was changed after the fix; nothing is put back.
    """
    found = records(folder.resolve())
    if not found:
        raise NothingToUndo("nothing to undo here: no fix was applied in this folder")
    place, record = found[0]
    for saved in record.files:
        path = Path(saved.path)
        if not path.is_file() or digest(path) != saved.after:
            raise ChangedSinceRead(f"{saved.path} was changed after the fix: put it back by hand from {place / saved.backup}")
    for saved in record.files:
        _write(Path(saved.path), (place / saved.backup).read_bytes())
    for item in place.iterdir():
        item.unlink()
    place.rmdir()
    return [saved.path for saved in record.files]
