"""A trace of Python's whose indentation was lost on its way."""

from __future__ import annotations

import re
from collections.abc import Sequence

from jamkey.readers.python_words import HEADER, NAMED, SYNTAX

_FRAME = re.compile(r'File "[^"]*", line \d+')
_MARKS = re.compile(r"[~^ ]+$")
#: Lines between the place of a syntax error and its summary.
_BETWEEN = 4


def set_in(text: str) -> str:
    """Return a text in which frames stand deeper than header and summary, and their lines deeper still."""
    rows = text.split("\n")
    inside = False
    for place, row in enumerate(rows):
        if row.startswith(HEADER):
            inside = True
        elif _FRAME.match(row) and (inside or _is_syntax(rows, place)):
            inside = True
            rows[place] = "  " + row
        elif inside and row and row[:1] not in (" ", "\t"):
            if NAMED.match(row) or (not rows[place - 1].startswith("  ") and not _MARKS.match(row)):
                inside = False
            else:
                rows[place] = "    " + row
    return "\n".join(rows)


def _is_syntax(rows: Sequence[str], place: int) -> bool:
    """Tell the place of a syntax error, which has no header: its summary stands some lines below."""
    return any(row.startswith(SYNTAX) for row in rows[place + 1 : place + 2 + _BETWEEN])
