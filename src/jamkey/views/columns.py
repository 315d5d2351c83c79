"""Cells side by side: narrow columns of one line each, and what stands right of them in as many lines as it takes.

A reading needs no more of a table, and the whole module for tables would be loaded between a crash and what is told of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, NamedTuple

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment


class Narrow(NamedTuple):
    """A column of one line: what is too long for it is cut."""

    #: In cells of the terminal.
    width: int
    style: str = ""
    justify: Literal["left", "right"] = "left"


class Columns:
    """Rows of narrow cells and a last one that takes the room that is left; shown by printing it on a console."""

    def __init__(self, *narrow: Narrow, gap: int = 2, indent: int = 0) -> None:
        """Hold no row yet.

        Args:
            narrow: the columns but the last.
            gap: blanks between two columns.
            indent: blanks before the first.
        """
        self.narrow, self.gap, self.indent = narrow, " " * gap, " " * indent
        self.rows: list[tuple[RenderableType, ...]] = []

    def add_row(self, *cells: RenderableType) -> None:
        """Add a row; the last cell may be anything that can be printed."""
        self.rows.append(cells)

    def add_blank(self) -> None:
        """Add an empty line."""
        self.rows.append(())

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> Iterator[Segment]:
        """Yield what the console prints."""
        taken = len(self.indent) + sum(column.width + len(self.gap) for column in self.narrow)
        rest = options.update(width=max(options.max_width - taken, 1), height=None)
        for row in self.rows:
            if not row:
                yield Segment.line()
                continue
            *cells, last = row
            begin = [Segment(self.indent)]
            for column, cell in zip(self.narrow, cells, strict=True):
                room = options.update(
                    width=column.width, height=None, justify=column.justify, no_wrap=True, overflow="ellipsis"
                )
                lines = console.render_lines(cell, room, style=console.get_style(column.style) if column.style else None)
                begin += [*lines[0], Segment(self.gap)]
            for line in console.render_lines(last, rest, pad=False):
                yield from begin
                yield from line
                yield Segment.line()
                begin = [Segment(" " * taken)]
