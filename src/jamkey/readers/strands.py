"""Traces whose lines do not stand together in a log: every line prefixed, several writers at once, other lines between.

A container's runtime puts time, stream and a sign before each line (the CRI form of logs), a supervisor the worker's name; one
writer's lines are then a strand of their own. Where nothing is put before them, lines of the log may still fall between.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import msgspec

from jamkey.model import Jam
from jamkey.readers.base import Cursor

#: time, stream, whole or part of a line
_CONTAINER = re.compile(r"\S{10,40} (stdout|stderr) [FP] ")
#: How the sentences begin that join the traces of a chain.
_SENTENCES = ("The above exception", "During handling of")
_HEADER = "Traceback ("
#: Lines of a strand, and foreign lines in a row, that are looked through.
_MOST, _FOREIGN = 1000, 200
#: Foreign lines between those of a trace that bears no prefix.
_BETWEEN = 60


def read(cursor: Cursor, before: str, chain: Callable[[Cursor], Jam | None]) -> Jam | None:
    """Read the trace whose header is at the cursor behind a prefix; `last_line` is set, the cursor behind the header.

    A header that an earlier strand has read already (of a chain) is passed over.

    Args:
        cursor: at the header.
        before: what stands before it on its line.
        chain: reads a whole chain.
    """
    start = cursor.position
    if start in cursor.done:
        cursor.position = start + 1
        return None
    numbers = _strand(cursor.lines, start, before)
    inner = Cursor([_body(cursor.lines[number], before) for number in numbers])
    jam = chain(inner)
    used = numbers[: inner.position]
    together = bool(used) and used[-1] - start + 1 == len(used)
    cursor.position = used[-1] + 1 if together else start + 1
    cursor.done.update(used)
    if jam is None:
        return None
    return msgspec.structs.replace(jam, last_line=used[-1] + 1) if used else jam


def _strand(lines: Sequence[str], start: int, before: str) -> list[int]:
    """Return the places of the lines that the writer of a header wrote from there on."""
    container = _CONTAINER.match(before)
    stream = container[1] if container is not None else ""
    margin = before.rstrip()
    found, foreign = [start], 0
    open_end, last = True, ""
    for number in range(start + 1, min(start + 5 * _MOST, len(lines))):
        row = lines[number]
        match = _CONTAINER.match(row) if stream else None
        if (match is not None and match[1] == stream) if stream else row.startswith(margin):
            body = _body(row, before)
            if _HEADER in body and not last.strip().startswith(_SENTENCES):
                break  # this writer's next failure
            if (
                foreign
                and not open_end
                and body.strip()
                and "Traceback" not in body
                and not body.startswith((" ", *_SENTENCES))
            ):
                break  # the summary has come, and what this writer says much later is something else
            found.append(number)
            open_end, foreign = body.startswith(" ") or not body.strip(), 0
            last = body if body.strip() else last
            if len(found) >= _MOST:
                break
        else:
            foreign += 1
            if foreign > _FOREIGN:
                break
    return found


def _body(row: str, before: str) -> str:
    match = _CONTAINER.match(row) if _CONTAINER.match(before) else None
    if match is not None:
        return row[match.end() :]
    return row[len(before) :] if row.startswith(before) else row[len(before.rstrip()) :].lstrip()


def read_between(
    cursor: Cursor, start: int, is_log: Callable[[str], object], chain: Callable[[Cursor], Jam | None]
) -> Jam | None:
    """Read the trace at `start` without the lines of the log between its own; None when it is cut off all the same.

    Args:
        cursor: stands where the trace seemed to end; is moved behind it when more is found.
        start: place of the header.
        is_log: tells a line of the log.
        chain: reads a whole chain.
    """
    numbers, foreign, last = [start], 0, ""
    for number in range(start + 1, min(start + _MOST, len(cursor.lines))):
        row = cursor.lines[number]
        if is_log(row):
            foreign += 1
            if foreign > _BETWEEN:
                break
        elif _HEADER in row and not last.startswith(_SENTENCES):
            break  # the next failure
        else:
            numbers.append(number)
            last = row.strip() or last
    inner = Cursor([cursor.lines[number] for number in numbers])
    jam = chain(inner)
    if jam is None or jam.exception_type is None or not inner.position:
        return None
    cursor.position = numbers[inner.position - 1] + 1
    return jam
