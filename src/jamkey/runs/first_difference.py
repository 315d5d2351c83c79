"""The first line in which what was printed is not what should have been."""

from __future__ import annotations

from typing import NamedTuple

from jamkey.text import shorten


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


def rows(text: str) -> list[str]:
    """Return the lines of a text, without blanks at their ends and empty ones at the end."""
    found = [row.rstrip() for row in text.replace("\r\n", "\n").split("\n")]
    while found and not found[-1]:
        found.pop()
    return found


def first_difference(printed: str, wanted: str) -> Difference | None:
    """Compare two outputs; None when they agree."""
    ours, theirs = rows(printed), rows(wanted)
    for number in range(max(len(ours), len(theirs))):
        one = ours[number] if number < len(ours) else None
        other = theirs[number] if number < len(theirs) else None
        if one != other:
            return Difference(number + 1, one, other)
    return None
