"""The first line in which what was printed is not what should have been."""

from __future__ import annotations

import os
import re
from typing import NamedTuple

from jamkey.text import shorten

#: Characters of a line shown beside another, and before what differs.
_WIDE, _BEFORE = 54, 24
_NUMBER = re.compile(r"([-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?)")


class Difference(NamedTuple):
    """Where two outputs part.

    Attributes:
        line: its number, from 1.
        printed: the line as it was printed; None where there is none.
        wanted: the line as it should be; None where there should be none.
    """

    line: int
    printed: str | None
    wanted: str | None

    def told(self) -> str:
        """Return it in words, in one line."""
        if self.printed is None:
            return f"it printed {self.line - 1} lines; line {self.line} should be `{shorten(self.wanted or '', 70)}`"
        if self.wanted is None:
            return f"line {self.line} of what it printed, `{shorten(self.printed, 70)}`, is one too many"
        return (
            f"line {self.line} of what it printed is `{shorten(self.printed, 70)}` and should be `{shorten(self.wanted, 70)}`"
        )

    def beside(self) -> list[str]:
        """Return both lines, one under the other, and signs under what differs; empty where only one is there."""
        if self.printed is None or self.wanted is None:
            return []
        ours, theirs = self.printed.expandtabs(4), self.wanted.expandtabs(4)
        begin = len(os.path.commonprefix([ours, theirs]))
        end = len(os.path.commonprefix([ours[begin:][::-1], theirs[begin:][::-1]]))
        signs = max(max(len(ours), len(theirs)) - begin - end, 1)
        start = max(begin - _BEFORE, 0)  # of a long line what stands around the difference
        ours, theirs = ("…" * (start > 0) + shorten(row[start:], _WIDE) for row in (ours, theirs))
        begin += (start > 0) - start
        return [f"printed  {ours}", f"wanted   {theirs}", " " * (9 + begin) + "^" * min(signs, max(_WIDE - begin, 1))]


def rows(text: str) -> list[str]:
    """Return the lines of a text, without blanks at their ends and empty ones at the end."""
    found = [row.rstrip() for row in text.replace("\r\n", "\n").split("\n")]
    while found and not found[-1]:
        found.pop()
    return found


def first_difference(printed: str, wanted: str, near: float = 0.0) -> Difference | None:
    """Compare two outputs; None when they agree.

    Args:
        printed: what came.
        wanted: what should come.
        near: numbers that differ by no more than this agree, absolutely or in parts of the wanted one.
    """
    ours, theirs = rows(printed), rows(wanted)
    for number in range(max(len(ours), len(theirs))):
        one = ours[number] if number < len(ours) else None
        other = theirs[number] if number < len(theirs) else None
        if one != other and not (near and one is not None and other is not None and _agree(one, other, near)):
            return Difference(number + 1, one, other)
    return None


def _agree(one: str, other: str, near: float) -> bool:
    """Tell whether two lines are the same but for numbers that are near each other, and for the blanks between words."""
    ours, theirs = (_NUMBER.split(" ".join(row.split())) for row in (one, other))
    if len(ours) != len(theirs) or [piece.split() for piece in ours[::2]] != [piece.split() for piece in theirs[::2]]:
        return False
    pairs = zip(map(float, ours[1::2]), map(float, theirs[1::2]), strict=True)
    return all(abs(number - wanted) <= max(near, near * abs(wanted)) for number, wanted in pairs)
