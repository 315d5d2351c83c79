"""One function over a piece of a log, which runs here, in another process, or on another machine."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from jamkey.follow.frames import locate
from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.model import Jam
from jamkey.piles.cut import AHEAD, BACK, Cut, Met
from jamkey.piles.files import Piece, chunks
from jamkey.piles.fold import Family, Name, Part, Seen
from jamkey.pipeline import read
from jamkey.readers.python_words import HEADER
from jamkey.settings import Settings, load
from jamkey.text import line_at

#: Bytes of a file's end that are kept to tell how it ended.
_TAIL = 2048
#: Shapes whose reading is remembered.
_MOST_SHAPES = 50_000
_HOUR = 3600.0
#: What varies in a message that no own line stands beside.
_VARYING = re.compile(r"'[^']*'|\"[^\"]*\"|`[^`]*`|\d+")
#: The rest of a line from the word on in which a byte is no text; a letter of an older encoding stands among letters.
_DAMAGED = re.compile(r" ?\S*(?<![^\W\d_])\ufffd(?![^\W\d_]).*")
#: Characters of a message that are compared.
_LONGEST_MESSAGE = 400


@dataclass
class Known:
    """What a shape is."""

    name: Name
    #: The message of the shape; its row, counted from the last, and where it begins there.
    message: str
    row: int | None
    column: int
    #: Its first and its last row.
    first: int
    last: int

    def message_in(self, found: Met) -> str:
        """Return the message as it stands in a text of the shape, its first line."""
        if found.message:
            return found.message[:_LONGEST_MESSAGE]
        if self.row is None:
            return self.message
        rows = found.text.rsplit(b"\n", -self.row)
        row = rows[max(len(rows) + self.row, 0)].decode("utf-8", "replace").rstrip("\r")
        return (_DAMAGED.sub("", row) if "\ufffd" in row else row)[self.column :][:_LONGEST_MESSAGE]


class _Failure(NamedTuple):
    """One failure of a family."""

    name: Name
    #: Offsets in the buffer of its first line and behind its last.
    start: int
    end: int
    text: bytes
    message: str
    host: str
    stamp: float | None


class Looker:
    """Looks through pieces of logs and remembers the shapes it has read.

    Args:
        root: the project folder, whose files are one's own.
        places: keep the place and time of every single failure.
        since: only failures logged at or after this time are counted, in seconds since 1970.
    """

    def __init__(self, root: Path | None, *, places: bool = False, since: float | None = None) -> None:
        self.sources = Sources(root, confined=True)
        self.settings = load(root) if root is not None else Settings()
        self.places = places
        self.since = since
        self._shapes: dict[tuple[str, bytes], list[Known]] = {}

    def look(self, piece: Piece) -> Part:
        """Return what a piece holds."""
        part = Part()
        seen = part.files.setdefault(piece.file, Seen())
        for chunk in chunks(piece, before=BACK, behind=AHEAD):
            seen.looked += chunk.stop - chunk.start
            cut = Cut(chunk.data, chunk.start, chunk.stop, year=piece.year)
            begun: set[int] = set()
            for found in cut:
                for one in self._failures(found):
                    if found.alone:
                        cut.read_to = max(cut.read_to, one.end)
                    if cut.owns(one.start) and (not found.rows or one.start not in begun):
                        self._count(part, seen, piece.file, chunk.base, one)
                    begun.add(one.start)
            if chunk.ends:
                seen.size = chunk.base + chunk.stop
                seen.tail = chunk.data[max(chunk.stop - _TAIL, 0) : chunk.stop]
        return part

    def _failures(self, found: Met) -> Iterator[_Failure]:
        """Yield the failures in what was cut out; of a block those that the marked line is of."""
        for known in self._known(found):
            start, end, text = found.start, found.end, found.text
            if found.rows:
                if not known.first <= found.marked <= known.last:
                    continue
                start, end = found.rows[known.first], found.rows[min(known.last + 1, len(found.rows) - 1)]
                text = b"\n".join(text.split(b"\n")[known.first : known.last + 1])
            yield _Failure(known.name, start, end, text, known.message_in(found), found.host, found.stamp)

    def _count(self, part: Part, seen: Seen, file: str, base: int, one: _Failure) -> None:
        stamp = one.stamp
        if self.since is not None and (stamp is None or stamp < self.since):
            return
        offset, end = base + one.start, base + one.end
        hour = int(stamp // _HOUR) if stamp is not None else 0
        message, length = one.message, len(one.message)
        family = part.families.get(one.name)
        if family is None:
            family = Family(0, file, offset, end, one.text, message, message, length, length)
            part.families[one.name] = family
        family.one(file, (offset, end), (one.text, message, one.host, stamp), hour)
        if self.places:
            family.places.setdefault(file, []).extend((offset, math.nan if stamp is None else stamp))
        seen.failures += 1
        place = (offset, end, one.name)
        if seen.last is None or place > seen.last:
            seen.last = place

    def _known(self, found: Met) -> list[Known]:
        """Return what failures a text of this shape holds; read once for each shape."""
        key = (found.runtime, found.shape)
        known = self._shapes.get(key)
        if known is None:
            if len(self._shapes) >= _MOST_SHAPES:
                self._shapes.clear()
            known = self._shapes[key] = self._read(found)
        return known

    def _read(self, found: Met) -> list[Known]:
        text = _DAMAGED.sub("", found.shape.replace(b"\0", b"").decode("utf-8", "replace").replace("\r", ""))
        jams = read(text, runtime=found.runtime or None)
        if found.runtime:
            jams = jams[:1]
        elif found.message is None:
            # a trace of Python's has a mark of its own
            jams = [
                jam for jam in jams if not traits_of(jam.runtime).headed or HEADER not in line_at(text, jam.first_line or 1)
            ]
        rows = text.split("\n")
        return [self._named(jam, locate(jam, self.sources, self.settings), rows) for jam in jams]

    def _named(self, jam: Jam, located: Jam, rows: Sequence[str]) -> Known:
        # as the trace has them, by their last names: the file may have changed since, and lie elsewhere on another machine
        printed = jam.frames if len(jam.frames) == len(located.frames) else located.frames
        own = [
            f"{frame.file.replace(chr(92), '/').rpartition('/')[2]}:{frame.line}:{frame.function or ''}"
            for frame, there in zip(printed, located.frames, strict=True)
            if there.owner == "yours"
        ]
        first = (jam.message or "").split("\n", 1)[0]
        rest = tuple(dict.fromkeys(own)) or (_VARYING.sub("0", first),)
        name = (jam.runtime, jam.exception_type or "", jam.kind or "", *rest)
        own_rows = range((jam.first_line or 1) - 1, min(jam.last_line or len(rows), len(rows)))
        row = next((index for index in reversed(own_rows) if first and first in rows[index]), None)
        column = rows[row].rindex(first) if row is not None else 0
        lines = ((jam.first_line or 1) - 1, (jam.last_line or len(rows)) - 1)
        return Known(name, first, row - len(rows) if row is not None else None, column, *lines)
