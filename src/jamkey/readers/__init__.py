"""TEXT -> JAM: one file per runtime. A reader knows how its runtime lays a failure out, and nothing else."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from jamkey.model import Jam
from jamkey.readers.base import Reader
from jamkey.readers.pasted import mended, unwrapped
from jamkey.shelf import Shelf
from jamkey.text import plain, without_prompts

#: Runtime -> reader; loaded when first asked for.
SHELF = Shelf(
    {
        "python": "jamkey.readers.python:READER",
        "javascript": "jamkey.readers.javascript:READER",
        "typescript": "jamkey.readers.typescript:READER",
        "java": "jamkey.readers.java:READER",
        "c": "jamkey.readers.c:READER",
        "r": "jamkey.readers.r:READER",
        "octave": "jamkey.readers.octave:READER",
        "lua": "jamkey.readers.lua:READER",
        "supercollider": "jamkey.readers.supercollider:READER",
        "julia": "jamkey.readers.julia:READER",
        "stata": "jamkey.readers.stata:READER",
        "basic": "jamkey.readers.basic:READER",
        "swift": "jamkey.readers.swift:READER",
    },
    group="jamkey.readers",
)


#: Characters of a line that most readers look at.
LONGEST_LINE = 4000


def read_all(text: str, *, only: str | None = None) -> list[Jam]:
    """Return every failure in `text`, in the order in which they stand there, without kinds or roots.

    Where two readers claim the same lines the one with the higher score keeps them.

    Args:
        text: what a program printed, other output around it allowed.
        only: the runtime, where it is known.
    """
    text, rows = mended(plain(text))
    found = _found(text, only)
    joined = unwrapped(text)
    if joined is not None and _better(other := _found(joined.text, only), found):
        places = joined.rows or range(text.count("\n") + 1)
        found, rows = other, [rows[place] for place in places] if rows is not None else places
    return found if rows is None else [_placed(jam, rows) for jam in found]


def _better(other: Sequence[Jam], found: Sequence[Jam]) -> bool:
    """Tell whether a reading of joined lines says more - places, types - and has no failure more."""
    says, said = (
        sum(frame.line is not None for jam in jams for frame in jam.frames)
        + sum(jam.exception_type is not None for jam in jams)
        for jams in (other, found)
    )
    return says > said and (not found or len(other) <= len(found))


def _found(text: str, only: str | None) -> list[Jam]:
    text = without_prompts(text)
    events: list[Jam] = []
    if '"exception' in text:
        from jamkey.readers.log_events import unpack

        events, text = unpack(text, lambda trace: read_all(trace, only=only) if '"exception' not in trace else [])
    short = text
    claims: list[tuple[float, str, Jam]] = []
    for name in (only,) if only else SHELF.names():
        reader: Reader = SHELF.get(name)
        score = reader.score(text)
        if score > 0:
            if name not in ("python", "javascript") and short is text and len(text) > LONGEST_LINE:
                # a message may be of any length in those two; elsewhere a longer line is data
                short = "\n".join(line[:LONGEST_LINE] for line in text.split("\n"))
            claims += ((score, name, jam) for jam in reader.read(short if name not in ("python", "javascript") else text))
    claims.sort(key=lambda claim: -claim[0])
    kept: list[Jam] = []
    kept += events
    # line -> the reader that has it; failures of one reader may lie across one another, as two writers' lines do
    taken = {jam.first_line or 0: "" for jam in events}
    for _, name, jam in claims:
        lines = range(jam.first_line or 0, (jam.last_line or 0) + 1)
        if all(taken.get(line, name) == name for line in lines):
            kept.append(jam)
            taken.update(dict.fromkeys(lines, name))
    kept.sort(key=lambda jam: jam.first_line or 0)
    told = any(jam.frames or jam.exception_type for jam in kept)
    # the shell's word on how a program ended adds nothing to what the program itself said
    return [jam for jam in kept if not told or jam.frames or jam.exception_type]


def _placed(jam: Jam, rows: Sequence[int]) -> Jam:
    """Return a jam with its lines as they were counted before the text was mended."""
    first, last = (
        None if line is None or not rows else rows[min(line, len(rows)) - 1] + 1 for line in (jam.first_line, jam.last_line)
    )
    return msgspec.structs.replace(jam, first_line=first, last_line=last)
