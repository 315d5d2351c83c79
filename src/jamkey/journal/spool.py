"""Readings laid down as small files, for the next one who opens the journal to take in.

A run that failed must end soon after its reading is shown; opening the database would cost it more than everything else
that is written. Each file is written beside itself and put in place at once, so there is never half a one.
"""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Iterator
from pathlib import Path

import msgspec

from jamkey.journal.kept import DAYS, Kept, Reading

#: Files beyond which whoever lays one down takes them in.
MOST_LAID = 40
#: Seconds after which a file that somebody took and did not finish is taken again.
_GIVEN_UP = 60.0


class Laid(msgspec.Struct, frozen=True, kw_only=True):
    """One reading, or the word that a target runs again."""

    readings: tuple[Reading, ...] = ()
    kept: Kept | None = None
    days: float = DAYS
    #: The target that runs, with its folder and the time; empty for a reading.
    folder: str = ""
    target: str = ""
    time: float = 0.0


def lay_down(state: Path, laid: Laid) -> int:
    """Write a file for the journal; return how many wait there now.

    Raises:
        OSError: it cannot be written.
    """
    folder = state / "spool"
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    name = f"{time.time_ns():020d}-{os.getpid()}"
    handle = os.open(folder / f"{name}.new", os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    try:
        os.write(handle, msgspec.json.encode(laid))
    finally:
        os.close(handle)
    os.replace(folder / f"{name}.new", folder / f"{name}.json")
    return len(os.listdir(folder))


def laid_down(state: Path) -> Iterator[Laid]:
    """Yield what waits for the journal, oldest first, and remove each once it is taken in."""
    folder = state / "spool"
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        return
    for name in names:
        path = folder / name
        taken = folder / f"{name.partition('.')[0]}.taken"
        try:
            if name.endswith(".taken"):
                if time.time() - path.stat().st_mtime < _GIVEN_UP:
                    continue
            elif name.endswith(".json"):
                os.rename(path, taken)
                os.utime(taken)
            else:
                if time.time() - path.stat().st_mtime > _GIVEN_UP:
                    path.unlink()  # its writer was killed
                continue
            laid = msgspec.json.decode(taken.read_bytes(), type=Laid)
        except OSError:
            continue  # another process took it
        except msgspec.MsgspecError:
            taken.unlink(missing_ok=True)
            continue
        yield laid
        with contextlib.suppress(OSError):
            taken.unlink()
