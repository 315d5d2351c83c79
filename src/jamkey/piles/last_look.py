"""What is kept of a pile between two looks: its families, how far each log was read, and what an interrupted look has."""

from __future__ import annotations

import os
import time
import zlib
from collections.abc import Iterator, Sequence
from contextlib import suppress
from pathlib import Path

import msgspec

from jamkey.folders import state_folder
from jamkey.model import Struct
from jamkey.piles.files import Piece
from jamkey.piles.fold import Family, Name, Part, Seen
from jamkey.piles.workers import Task


class LastLook(Struct, frozen=True, kw_only=True):
    """The last whole look at a pile."""

    #: Seconds since 1970.
    time: float
    families: tuple[Name, ...] = ()
    #: Log -> bytes of it that were there.
    files: dict[str, int] = {}


class _Done(Struct, frozen=True, kw_only=True):
    """A task that was looked at, and what it holds; the logs' times tell whether that still holds."""

    pieces: tuple[Piece, ...]
    times: tuple[int, ...]
    families: list[tuple[Name, Family]]
    files: dict[str, Seen]


class Memory:
    """The memory of one pile, told apart by the paths that were named.

    Args:
        paths: as they were given.
        asked: what was looked for; an interrupted look for something else is not gone on with.
    """

    def __init__(self, paths: Sequence[str], asked: tuple[object, ...] = ()) -> None:
        named = [path if "://" in path else os.path.abspath(path) for path in paths]
        folder = Path(state_folder()) / "piles"
        mark = zlib.crc32("\0".join(sorted(named)).encode("utf-8", "surrogateescape"))
        self._last = folder / f"{mark:08x}.json"
        self._begun = folder / f"{mark:08x}-{zlib.crc32(repr(asked).encode()):08x}.part"

    def last(self) -> LastLook | None:
        """Return the last whole look, or None; a damaged one is none."""
        with suppress(OSError, msgspec.MsgspecError):
            return msgspec.json.decode(self._last.read_bytes(), type=LastLook)
        return None

    def keep(self, names: Sequence[Name], files: dict[str, int]) -> None:
        """Keep a whole look; where nothing can be written nothing is kept."""
        before = self.last()
        known = dict.fromkeys((*(before.families if before is not None else ()), *names))
        made = LastLook(time=time.time(), families=tuple(known), files={**(before.files if before else {}), **files})
        with suppress(OSError):
            self._last.parent.mkdir(parents=True, exist_ok=True)
            new = self._last.with_suffix(f".{os.getpid()}")
            new.write_bytes(msgspec.json.encode(made))
            new.replace(self._last)
        self.forget_begun()

    def forget_begun(self) -> None:
        """Drop what an interrupted look had."""
        with suppress(OSError):
            self._begun.unlink()

    def note(self, task: Task, part: Part) -> None:
        """Keep what a task held, so that an interrupted look can go on."""
        done = _Done(pieces=task.pieces, times=_times(task.pieces), families=list(part.families.items()), files=part.files)
        data = msgspec.msgpack.encode(done)
        with suppress(OSError):
            self._begun.parent.mkdir(parents=True, exist_ok=True)
            with open(self._begun, "ab") as out:
                out.write(len(data).to_bytes(8, "little") + data)

    def begun(self, tasks: Sequence[Task]) -> tuple[list[Task], list[Part]]:
        """Return the tasks that an interrupted look has not done, and what it has of the others."""
        wanted = {task.pieces: task for task in tasks}
        parts: list[Part] = []
        for done in self._records():
            if done.pieces in wanted and done.times == _times(done.pieces):
                del wanted[done.pieces]
                parts.append(Part(dict(done.families), done.files))
        return list(wanted.values()), parts

    def _records(self) -> Iterator[_Done]:
        with suppress(OSError, msgspec.MsgspecError), open(self._begun, "rb") as file:
            while len(head := file.read(8)) == 8:
                yield msgspec.msgpack.decode(file.read(int.from_bytes(head, "little")), type=_Done)


def _times(pieces: Sequence[Piece]) -> tuple[int, ...]:
    times = []
    for piece in pieces:
        try:
            times.append(os.stat(piece.file).st_mtime_ns)
        except OSError:
            times.append(0)
    return tuple(times)
