"""One reading as it is kept: the jams, the texts they speak of, and how the program was started."""

from __future__ import annotations

import msgspec

from jamkey.model import Jam

#: Characters of one source text, and of all of a reading.
MOST_TEXT, MOST_TEXTS = 200_000, 1_000_000
#: Days that a reading is kept; a project's settings may say otherwise.
DAYS = 365.0
#: Characters of what was printed.
MOST_PRINTED = 100_000


class Kept(msgspec.Struct, frozen=True, kw_only=True):
    """What `page`, `look`, editors and colleagues are shown later."""

    jams: tuple[Jam, ...]
    #: File -> text at the time of the failure, secrets masked.
    texts: dict[str, str] = {}
    #: Notebook -> place of a cell -> its source.
    cells: dict[str, dict[int, str]] = {}
    #: The project folder.
    folder: str = ""
    #: As typed behind the command's name.
    command: str = ""
    #: What the program printed around its failure, bounded.
    printed: str = ""
    #: Seconds since 1970.
    time: float = 0.0
    #: Its number in the journal; 0 when it is not there.
    number: int = 0


class Reading(msgspec.Struct, frozen=True, kw_only=True):
    """One row of the journal."""

    number: int = 0
    #: Seconds since 1970.
    time: float
    folder: str
    #: What was run, with its arguments; empty for a text that was read.
    target: str
    #: The command or call it came through.
    door: str
    runtime: str
    kind: str | None = None
    type: str | None = None
    headline: str | None = None
    file: str | None = None
    line: int | None = None
    root_file: str | None = None
    root_line: int | None = None
    #: What would have avoided it.
    advice: str | None = None
    #: Seconds since 1970 of the run that worked; None while there was none.
    ended: float | None = None
    #: Title of the key that was turned.
    turned: str | None = None


def packed(kept: Kept) -> bytes:
    """Return a reading's bytes."""
    import zlib

    return zlib.compress(msgspec.json.encode(kept), 6)


def unpacked(data: bytes) -> Kept:
    """Return the reading of its bytes.

    Raises:
        ValueError: damaged, or of another generation.
    """
    import zlib

    try:
        return msgspec.json.decode(zlib.decompress(data), type=Kept)
    except (zlib.error, msgspec.MsgspecError) as error:
        raise ValueError(str(error)) from None
