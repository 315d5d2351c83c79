"""TEXT -> JAM: one file per runtime. A reader knows how its runtime lays a failure out, and nothing else."""

from __future__ import annotations

from jamkey.model import Jam
from jamkey.readers.base import Reader
from jamkey.shelf import Shelf
from jamkey.text import plain

#: Runtime -> reader; loaded when first asked for.
SHELF = Shelf(
    {
        "python": "jamkey.readers.python:READER",
        "javascript": "jamkey.readers.javascript:READER",
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


def read_all(text: str, *, only: str | None = None) -> list[Jam]:
    """Return every failure in `text`, in the order in which they stand there, without kinds or roots.

    Where two readers claim the same lines the one with the higher score keeps them.

    Args:
        text: what a program printed, other output around it allowed.
        only: the runtime, where it is known.
    """
    text = plain(text)
    claims: list[tuple[float, Jam]] = []
    for name in (only,) if only else SHELF.names():
        reader: Reader = SHELF.get(name)
        score = reader.score(text)
        if score > 0:
            claims += ((score, jam) for jam in reader.read(text))
    claims.sort(key=lambda claim: -claim[0])
    kept: list[Jam] = []
    taken: list[tuple[int, int]] = []
    for _, jam in claims:
        span = (jam.first_line or 0, jam.last_line or 0)
        if not any(span[0] <= last and first <= span[1] for first, last in taken):
            kept.append(jam)
            taken.append(span)
    kept.sort(key=lambda jam: jam.first_line or 0)
    told = [jam for jam in kept if jam.frames or jam.exception_type]
    # the shell's word on how a program ended adds nothing to what the program itself said
    return [jam for jam in kept if jam in told or not told]
