"""Traces of Python's as frameworks, debuggers and log services lay them out, put back into the interpreter's own layout.

They hold the same frames and words: with the type and the message on lines of their own, the message above the frames, or the
innermost frame first.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from jamkey.readers.python_words import HEADER, NAMED

#: What an exception of any name is told by, behind its frames.
_LAST = re.compile(r"[A-Za-z_][\w.]*(?:: .*)?$")
_FILE = re.compile(r'\s*File "[^"\n]*", line \d+')
_TYPE, _VALUE = re.compile(r"Exception Type: ([\w.]+)(?: at .*)?$"), re.compile(r"Exception Value: ?(.*)$")
_OCCURRED = re.compile(r"\s*Exception has occurred: ([\w.]+)")
_SERVICE = "[ERROR] "
_ABOVE = re.compile(r"(?:\[ERROR\] )?((?:[A-Za-z_]\w*\.)*[A-Za-z_]\w*(?:: .*)?)$")
#: Lines looked at for a message beside the frames.
_NEAR = 6


def put_back(text: str) -> tuple[str, list[int]]:
    """Return a text with its traces in the interpreter's layout, and of each line the place of the one it was (from 0).

    Args:
        text: as printed, with LF as line ends.
    """
    rows = list(enumerate(text.split("\n")))
    made: list[tuple[int, str]] = []
    place = 0
    while place < len(rows):
        if _begins(rows, place):
            place = _block(rows, place, made)
        else:
            made.append(rows[place])
            place += 1
    return "\n".join(row for _, row in made), [number for number, _ in made]


def _begins(rows: Sequence[tuple[int, str]], place: int) -> bool:
    """Tell the line above the first frame of a trace whose words may stand elsewhere."""
    row = rows[place][1]
    first = _FILE.match(rows[place + 1][1]) if place + 1 < len(rows) else None
    return first is not None and (row.endswith((HEADER, "Traceback:")) or _occurred(rows, place) is not None)


def _occurred(rows: Sequence[tuple[int, str]], place: int) -> str | None:
    """Return the words of a debugger that told them above the frames, the last of their lines at a place."""
    for above in range(place, max(place - _NEAR, -1), -1):
        if found := _OCCURRED.match(rows[above][1]):
            message = "\n".join(row.strip() for _, row in rows[above + 1 : place + 1])
            return f"{found[1]}: {message}" if message else found[1]
        if not rows[above][1].strip():
            return None
    return None


def _block(rows: Sequence[tuple[int, str]], place: int, made: list[tuple[int, str]]) -> int:
    """Write one trace with its words behind its frames; return the place behind it."""
    number, head = rows[place]
    debugger = _occurred(rows, place)
    if debugger is not None:
        while made and not _OCCURRED.match(made[-1][1]):
            made.pop()
        made.pop()
    made.append((number, head if head.endswith(HEADER) else HEADER))
    end = place + 1
    margin = len(rows[end][1]) - len(rows[end][1].lstrip())
    frames: list[list[tuple[int, str]]] = []
    while end < len(rows) and (_FILE.match(rows[end][1]) or (frames and _within(rows[end][1], margin))):
        if _FILE.match(rows[end][1]):
            frames.append([])
        frames[-1].append(rows[end])
        end += 1
    if debugger is not None and _innermost_first(frames):
        frames.reverse()
    made += [row for frame in frames for row in frame]
    if end < len(rows) and (NAMED.match(rows[end][1].strip()) or (head.endswith(HEADER) and _LAST.match(rows[end][1]))):
        return end  # as the interpreter has it
    return _words(rows, place, end, debugger, made)


def _within(row: str, margin: int) -> bool:
    return bool(row.strip()) and len(row) - len(row.lstrip()) > margin


def _words(rows: Sequence[tuple[int, str]], place: int, end: int, debugger: str | None, made: list[tuple[int, str]]) -> int:
    """Write what was raised behind the frames, from where it is told; return the place behind it."""
    kind = None
    for below in range(end, min(end + _NEAR, len(rows))):
        if found := _TYPE.match(rows[below][1].strip()):
            kind = found[1]
        elif kind is not None and (found := _VALUE.match(rows[below][1].strip())):
            made.append((rows[below][0], f"{kind}: {found[1]}"))
            return below + 1
        elif rows[below][1].strip():
            break
    if debugger is not None:
        made += [(rows[place][0], debugger), (rows[place][0], "")]
        return end
    above = next((row for row in reversed(rows[max(place - 2, 0) : place]) if row[1].strip()), None)
    # above the interpreter's own header stands another failure, unless a service put its word before this one's
    service = above is not None and above[1].startswith(_SERVICE)
    found = _ABOVE.match(above[1].strip()) if above is not None and (service or not rows[place][1].endswith(HEADER)) else None
    if found is not None and above is not None and NAMED.match(found[1]):
        made += [(above[0], found[1]), (above[0], "")]
    return end


def _innermost_first(frames: Sequence[Sequence[tuple[int, str]]]) -> bool:
    """Tell frames of which each calls the one before it, the module's own code last."""
    names = [frame[0][1].rpartition(", in ")[2].strip() for frame in frames]
    if len(names) < 2 or names[-1] != "<module>" or names[0] == "<module>":
        return False
    calls = zip(names, frames[1:], strict=False)
    # a loop or a function without a name is called by none
    return all(name[:1] == "<" or any(name.rpartition(".")[2] in row for _, row in frame[1:]) for name, frame in calls)
