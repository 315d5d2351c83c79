"""Replace files on the disk: all of them or none, each at once, with their links, owners and modes kept."""

from __future__ import annotations

import contextlib
import os
import shutil
import stat
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from jamkey.errors import UnreadableInput


def replace_files(new: Mapping[Path, bytes]) -> None:
    """Give every file its new content, or leave all as they are.

    What can fail for want of room fails before the first file changes: the new contents lie beside the old ones by then.

    Args:
        new: an existing file -> its new content.

    Raises:
        UnreadableInput: one of them cannot be written; none has changed.
    """
    before = {path: path.read_bytes() for path in new}
    for path in new:
        if not path.stat().st_mode & stat.S_IWUSR or not os.access(path, os.W_OK):
            raise UnreadableInput(f"{path.name} is read-only: make it writable, or change it by hand; nothing was changed")
    written: list[Path] = []
    try:
        with _laid_beside(new) as ready:
            for path, beside in ready.items():
                written.append(path)
                _put(path, new[path], beside)
    except BaseException as error:
        # an interrupt as well: either every file is the new one or none is
        for path in written:
            if path.read_bytes() != before[path]:
                _in_place(path, before[path])
        if not isinstance(error, OSError):
            raise
        raise UnreadableInput(f"{error.filename} cannot be written ({error.strerror}): nothing was changed") from None


@contextmanager
def _laid_beside(new: Mapping[Path, bytes]) -> Iterator[dict[Path, Path]]:
    """Write the new contents into files of their own in the same folders; what is left of these goes away again."""
    ready: dict[Path, Path] = {}
    try:
        for path, data in new.items():
            handle, name = tempfile.mkstemp(dir=path.parent, prefix=".jamkey-")
            ready[path] = Path(name)
            with os.fdopen(handle, "wb") as out:
                out.write(data)
                out.flush()
                os.fsync(out.fileno())
        yield ready
    finally:
        for beside in ready.values():
            beside.unlink(missing_ok=True)


def _put(path: Path, data: bytes, beside: Path) -> None:
    """Put one new content in place: by its name where that is all there is to it, else into the very same file."""
    there, ours = path.stat(), beside.stat()
    if there.st_nlink > 1 or (there.st_uid, there.st_gid) != (ours.st_uid, ours.st_gid):
        _in_place(path, data)
        return
    with contextlib.suppress(OSError):
        shutil.copystat(path, beside)  # mode and extended attributes
        os.utime(beside)
    beside.chmod(stat.S_IMODE(there.st_mode))
    beside.replace(path)


def _in_place(path: Path, data: bytes) -> None:
    with path.open("r+b") as out:
        out.write(data)
        out.truncate()
        out.flush()
        os.fsync(out.fileno())
