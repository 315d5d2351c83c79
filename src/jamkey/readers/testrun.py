"""Failures in the plain output of a test runner: a title between lines, the source with `>` and `E`, then the place.

For the Python reader. Frames stand outermost first, each ended by `file:line:`; the last one names the type as well.
"""

from __future__ import annotations

import re

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.text import whole

_TITLE = re.compile(r"_{2,} (\S.*\S|\S) _{2,}$")
_PLACE = re.compile(r"(\S.*?\.pyw?):(\d+): ?(?:in (\S+)|([A-Za-z_][\w.]*))?$")
_BETWEEN = re.compile(r"(?:_ )+_?$")
_DEF = re.compile(r"\s+(?:async )?def (\w+)\(")
#: Lines that one failure may take.
_LONGEST = 5000


def starts(cursor: Cursor) -> bool:
    """Tell whether a failure's title is at the cursor."""
    return bool(cursor.peek().startswith("__") and _TITLE.match(cursor.peek()))


def read(cursor: Cursor) -> Jam | None:
    """Read the failure whose title is at the cursor, or return None."""
    cursor.take()
    frames: list[Frame] = []
    said: list[str] = []
    source: str | None = None
    function: str | None = None
    for _ in range(_LONGEST):
        if not cursor.more:
            return None
        line = cursor.peek()
        if starts(cursor) or line.startswith("==="):
            return None
        cursor.take()
        if line.startswith(">"):
            source = line[1:].strip()
        elif line.startswith("E  ") or line == "E":
            said.append(line[1:].strip())
        elif (found := _DEF.match(line)) is not None:
            function = found[1]
        elif (place := _PLACE.match(line)) is not None:
            frames.append(Frame(file=place[1], line=whole(place[2]), function=place[3] or function, source=source))
            if place[4]:
                return _jam(place[4], said, frames)
            source, function = None, None
        elif _BETWEEN.match(line.strip()):
            function = None
    return None


def _jam(kind: str, said: list[str], frames: list[Frame]) -> Jam:
    first = said[0] if said else ""
    name, colon, rest = first.partition(": ")
    message = rest if colon and name.rpartition(".")[2] == kind.rpartition(".")[2] else first
    return Jam(runtime="python", exception_type=kind, message="" if message == kind else message, frames=tuple(frames))
