"""The text that the parser refused, with the place where it gave up."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from jamkey.languages.base import Language, Span
from jamkey.languages.scan import Scan, scan
from jamkey.model import Edit


class Suggestion(msgspec.Struct, frozen=True):
    """One small edit that may mend the grammar."""

    id: str
    title: str
    reason: str
    edits: tuple[Edit, ...]
    #: Where the mistake began.
    line: int
    #: How many of the same sort come before it.
    rank: int = 0


class Page:
    """A refused text.

    Attributes:
        line: where the parser gave up, 1-based.
        column: 1-based, 0 when not told.
    """

    def __init__(self, file: str, text: str, line: int, column: int, message: str, language: Language) -> None:
        self.file = file
        self.text = text
        self.rows = text.split("\n")
        self.line = min(max(line, 1), len(self.rows))
        self.column = column
        self.message = message
        self.language = language
        self.scan: Scan = scan(text, language.style)

    @property
    def is_python(self) -> bool:
        """Return whether blocks are made by indentation here."""
        return self.language.name == "python"

    def row(self, line: int) -> str:
        """Return a line's text, empty outside."""
        return self.rows[line - 1].rstrip("\r") if 1 <= line <= len(self.rows) else ""

    def indent(self, line: int) -> str:
        """Return a line's indentation."""
        row = self.row(line)
        return row[: len(row) - len(row.lstrip())]

    def width(self, line: int) -> int:
        """Return the width of a line's indentation, tabs to multiples of 8 as Python counts them."""
        return len(self.indent(line).expandtabs(8))

    def above(self, line: int) -> int:
        """Return the nearest line above that holds something, 0 for none."""
        number = line - 1
        while number > 0 and not self.row(number).strip():
            number -= 1
        return number

    def below(self, line: int) -> int:
        """Return the nearest line below that holds something, 0 for none."""
        number = line + 1
        while number <= len(self.rows) and not self.row(number).strip():
            number += 1
        return number if number <= len(self.rows) else 0

    def near(self) -> Iterator[int]:
        """Yield the line where the parser gave up, then the two lines above that hold something."""
        yield self.line
        above = self.above(self.line)
        if above:
            yield above
            higher = self.above(above)
            if higher:
                yield higher

    def code_end(self, line: int) -> int:
        """Return the 1-based column behind the line's last character that is not comment or space."""
        row = self.row(line)
        quote = ""
        end = 0
        position = 0
        comments = self.language.style.line_comments
        while position < len(row):
            character = row[position]
            if quote:
                if character == "\\":
                    position += 1
                elif character == quote:
                    quote = ""
            elif character in "\"'":
                quote = character
            elif any(row.startswith(mark, position) for mark in comments):
                break
            if not character.isspace():
                end = position + 1
            position += 1
        return min(end, len(row)) + 1

    def edit(self, line: int, column: int, end_column: int, new_text: str) -> Edit:
        """Replace a stretch within one line."""
        return Edit(file=self.file, line=line, column=column, end_line=line, end_column=end_column, new_text=new_text)

    def put(self, line: int, column: int, text: str) -> Edit:
        """Insert text within a line."""
        return self.edit(line, column, column, text)

    def line_below(self, line: int, text: str) -> Edit:
        """Insert a whole line below a line."""
        column = len(self.row(line)) + 1
        return self.put(line, column, "\n" + text)

    def whole(self, line: int) -> Span:
        """Return the span of a line."""
        return Span(line, 1, line, len(self.row(line)) + 1)
