"""What mails, chats and word processors do to a trace on its way, undone: quoting, broken lines, other quotes."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from jamkey.late import pattern
from jamkey.text import plain, plain_quotes

#: Characters of a text that is looked at for this: nobody pastes more.
_MOST = 400_000
#: Lines one after another that are quoted, for a mail; a prompt stands before fewer, or has three signs.
_RUN, _LEVELS = 3, 6
_QUOTED = pattern(r" ?>(?!>>)(?: ?)")
#: Characters of a line in a mail.
_NARROW, _WIDE = 60, 80
#: Quotes as word processors make them, in places where a runtime prints plain ones.
_CURLED = ("File “", "thread “")
#: How a trace begins in a console that spaces its frames out, and how newer ones name a frame's place there.
_SPACED = "Traceback (most recent call last):\n\n  File "
_COLON_PLACE = pattern(r"  File ([^\"\n]+?):(\d+)(?: in (.*))?$")
#: What shows a trace of Python's that a framework, a debugger or a service has laid out.
LAID_OUT = ("Exception Type: ", "Exception has occurred: ", "\nTraceback:\n", "[ERROR] ")
#: Of runtimes that print a call a line.
_CALL = pattern(r"^(?=at [^\n]*[:(][^\n]*\)?$)", re.MULTILINE)


class Mended(NamedTuple):
    """A text as it was printed, as far as that can be told."""

    text: str
    #: Place of each line (from 0) in what was given; None where they are the same.
    rows: Sequence[int] | None


def mended(text: str) -> Mended:
    """Return a text without what was done to it on its way; linear in it.

    Args:
        text: as pasted, with LF as line ends.
    """
    if len(text) > _MOST:
        return Mended(text, None)
    if text.startswith((">", " >")) or "\n>" in text or "\n >" in text:
        text = _unquoted(text)
    if any(sign in text for sign in _CURLED):
        text = plain_quotes(text)
    rows: list[int] | None = None
    if text.count("\n\n") >= _RUN:
        text, rows = _closed_up(text)
    if rows is None and _SPACED in text:
        text, rows = _without_gaps(text)
    if rows is None and any(sign in text for sign in LAID_OUT):
        from jamkey.readers.reports import put_back

        text, rows = put_back(text)
    if "\nat " in text:
        text = _CALL.sub("    ", text)
    return Mended(text, rows)


def _without_gaps(text: str) -> tuple[str, list[int] | None]:
    """Take out the empty lines that a console puts between the frames of a trace; its frames are then as Python words them."""
    kept: list[str] = []
    rows: list[int] = []
    inside = False
    lines = text.split("\n")
    for number, line in enumerate(lines):
        if not line.strip() and inside:
            continue
        if line.startswith("Traceback (most recent") and not "".join(lines[number + 1 : number + 2]).strip():
            inside = True
        elif inside and not line.startswith(" "):
            inside = False
        if inside and (placed := _COLON_PLACE.match(line)) is not None:
            line = f'  File "{placed[1]}", line {placed[2]}, in {placed[3] or "<module>"}'
        kept.append(line)
        rows.append(number)
    return "\n".join(kept), rows


def as_printed(text: str) -> str:
    """Return a text without colours and quoting, line for line what was given."""
    made = mended(plain(text))
    return made.text if made.rows is None else plain(text)


def _unquoted(text: str) -> str:
    rows = text.split("\n")
    for _ in range(_LEVELS):
        start, changed = 0, False
        while start < len(rows):
            end = start
            while end < len(rows) and _QUOTED.match(rows[end]):
                end += 1
            if end - start >= _RUN:
                rows[start:end] = [row[match.end() :] for row in rows[start:end] if (match := _QUOTED.match(row))]
                changed = True
            start = max(end, start + 1)
        if not changed:
            break
    return "\n".join(rows)


def _closed_up(text: str) -> tuple[str, list[int] | None]:
    """Take out a blank line behind every line, where there is one behind every line."""
    rows = text.split("\n")
    for first in (0, 1):
        others = rows[1 - first :: 2]
        if len(others) >= _RUN and not any(row.strip() for row in others):
            kept = range(first, len(rows), 2)
            return "\n".join(rows[place] for place in kept), list(kept)
    return text, None


def unwrapped(text: str) -> Mended | None:
    """Return a text with the lines joined that a mail may have broken at its width; None where there are none.

    A line was broken where the next word did not fit any more. Other lines look like that too: whether the text reads
    better for it is to be judged by reading it.
    """
    rows = text.split("\n")
    width = max((len(row) for row in rows if " " in row.strip()), default=0)  # one long word is not broken
    if len(text) > _MOST or not _NARROW <= width <= _WIDE:
        return None
    made: list[str] = []
    places: list[int] = []
    short = 0
    for place, row in enumerate(rows):
        word = row.split(" ", 1)[0]
        if (
            made
            and word
            and rows[place - 1].strip()
            and len(rows[place - 1]) + 1 + len(word) > width
            and row[:1] not in (" ", "\t")
        ):
            made[-1] += " " + row
            short += 1
            continue
        made.append(row)
        places.append(place)
    return Mended("\n".join(made), places) if short else None
