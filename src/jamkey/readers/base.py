"""What every reader offers, and the line cursor they share."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from jamkey.model import Jam


class Reader(Protocol):
    """Turns what one runtime prints into jams."""

    #: The runtime's name, as in `Jam.runtime`.
    name: str

    def score(self, text: str) -> float:
        """Return 0 to 1: 1 = certainly this runtime's text, 0 = nothing of it here. Linear in the text."""
        ...

    def read(self, text: str) -> list[Jam]:
        """Return the failures in the text in order, `first_line` and `last_line` set. Never raises."""
        ...


class Cursor:
    """A place in a list of lines; reading past the end gives empty lines."""

    def __init__(self, lines: Sequence[str], position: int = 0) -> None:
        self.lines = lines
        self.position = position
        #: Lines ahead that are read already, of a writer whose lines lie across another's.
        self.done: set[int] = set()

    @property
    def more(self) -> bool:
        """Whether a line is left."""
        return self.position < len(self.lines)

    def peek(self, ahead: int = 0) -> str:
        """Return the line `ahead` of the place without moving."""
        index = self.position + ahead
        return self.lines[index] if index < len(self.lines) else ""

    def take(self) -> str:
        """Return the line at the place and move on."""
        line = self.peek()
        self.position += 1
        return line
