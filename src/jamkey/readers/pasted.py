"""What mails, chats and word processors do to a trace on its way, undone: quoting, broken lines, other quotes, lost blanks."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from jamkey.text import plain

#: Characters of a text that is looked at for this: nobody pastes more.
_MOST = 400_000
#: Lines one after another that are quoted, for a mail; a prompt stands before fewer, or has three signs.
_RUN, _LEVELS = 3, 6
_QUOTED = re.compile(r" ?>(?!>>)(?: ?)")
#: Characters of a line in a mail.
_NARROW, _WIDE = 60, 80
_PYTHON_HEADER = "Traceback (most recent call last):"
#: Quotes as word processors make them, in places where a runtime prints plain ones.
_CURLED = ("File “", "File ”", "File „", "thread “", "in file “", "(”", "“<")
_PLAIN_QUOTES = str.maketrans("“”„‟‘’‚‛", "\"\"\"\"''''")
_FRAME = re.compile(r'File "[^"]*", line \d+')
_SYNTAX = re.compile(r"(?:Syntax|Indentation|Tab)Error: ")
_MARKS = re.compile(r"[~^ ]+$")
_ENDS = re.compile(r"[A-Za-z_][\w.]*(?:Error|Exception|Warning|Interrupt|Exit|Iteration)\b(?:: |$)|[a-z_]+\.[\w.]+: ")
#: Of runtimes that print a call a line.
_CALL = re.compile(r"^(?=at [^\n]*[:(][^\n]*\)?$)", re.MULTILINE)
#: Lines that stop within what their runtime prints as one, and what the rest of them begins with.
_BROKEN = (
    (re.compile(r'\s*File(?: "[^"]*(?:",(?: line(?: \d+,(?: in)?)?)?)?)?$'), re.compile(r"\S")),
    (re.compile(r"\s+at$|\s*at (?:async |new )?[^\s()]+(?: \[as)?$"), re.compile(r"[^\s()]*\(|\[as|<")),
    (re.compile(r"\s*at \S+ \([^)]*$"), re.compile(r"\S.*\)")),
    (re.compile(r"\s*(?:Error in|Calls:)$|Calls: .*->$"), re.compile(r"\S")),
    (re.compile(r'Exception in(?: thread(?: "[^"]*"?)?)?$'), re.compile(r"\S")),
    (re.compile(r"\s*(?:@(?: [A-Z]\w*)?|\[\d+\])$|\s*\[\d+\] .*@(?: \w+)?$"), re.compile(r"\S")),
    (re.compile(r"\s*#\d+(?: 0x[0-9a-fA-F]+(?: in(?: [^\s/]+)?)?)?$"), re.compile(r"\S")),
)


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
        text = text.translate(_PLAIN_QUOTES)
    rows: list[int] | None = None
    if text.count("\n\n") >= _RUN:
        text, rows = _closed_up(text)
    text, joined = _rejoined(text)
    if joined is not None:
        rows = [rows[place] for place in joined] if rows is not None else joined
    if text.startswith('File "') or '\nFile "' in text:
        text = _set_in(text)
    if "\nat " in text:
        text = _CALL.sub("    ", text)
    return Mended(text, rows)


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
        if len(others) >= _RUN and not any(row.strip() for row in others[: len(rows) // 2]):
            kept = range(first, len(rows), 2)
            return "\n".join(rows[place] for place in kept), list(kept)
    return text, None


def _rejoined(text: str) -> tuple[str, list[int] | None]:
    """Join lines that were broken within what a runtime prints as one."""
    rows = text.split("\n")
    made: list[str] = []
    places: list[int] = []
    for place, row in enumerate(rows):
        if made and place == places[-1] + (made[-1].count("\0") + 1) and _goes_on(made[-1].replace("\0", " "), row):
            made[-1] += "\0" + row.strip()
            continue
        made.append(row)
        places.append(place)
    if len(made) == len(rows):
        return text, None
    return "\n".join(row.replace("\0", " ") for row in made), places


def unwrapped(text: str) -> Mended | None:
    """Return a text with the lines joined that a mail may have broken at its width; None where there are none.

    A line was broken where the next word did not fit any more. Other lines look like that too: whether the text reads
    better for it is to be judged by reading it.
    """
    rows = text.split("\n")
    width = max(map(len, rows))
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


def _goes_on(row: str, following: str) -> bool:
    return any(ends.match(row) and begins.match(following.strip()) for ends, begins in _BROKEN)


def _is_syntax(rows: Sequence[str], place: int) -> bool:
    """Tell the place of a syntax error, which has no header: its summary stands some lines below."""
    return any(_SYNTAX.match(row) for row in rows[place + 1 : place + 5])


def _set_in(text: str) -> str:
    """Give the lines of a trace of Python's their indentation back."""
    rows = text.split("\n")
    inside = False
    for place, row in enumerate(rows):
        if row.startswith(_PYTHON_HEADER):
            inside = True
        elif _FRAME.match(row) and (inside or _is_syntax(rows, place)):
            inside = True
            rows[place] = "  " + row
        elif inside and row and row[:1] not in (" ", "\t"):
            above = rows[place - 1]
            if _ENDS.match(row) or (not above.startswith("  ") and not _MARKS.match(row)):
                inside = False
            else:
                rows[place] = "    " + row
    return "\n".join(rows)
