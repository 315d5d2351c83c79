"""Cells side by side: narrow columns of one line each, and what stands right of them in as many lines as it takes.

A reading needs no more of a table, and the whole module for tables would be loaded between a crash and what is told of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, NamedTuple

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment
from rich.text import Text


class Narrow(NamedTuple):
    """A column of one line: what is too long for it is cut."""

    #: In cells of the terminal.
    width: int
    style: str = ""
    justify: Literal["left", "right"] = "left"
    #: Whether what is too long is cut where it begins, as of a path its end tells more.
    keeps_end: bool = False


#: Cells that the last column has at least, and one that gives way to it keeps.
_LAST, _KEPT = 24, 12


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

    def _fitted(self, room: int) -> list[Narrow]:
        """Return the narrow columns, the widest of them narrower where the last one had too little room."""
        fitted = list(self.narrow)
        lacking = _LAST - (room - len(self.indent) - sum(column.width + len(self.gap) for column in fitted))
        while fitted and lacking > 0 and (widest := max(fitted, key=lambda column: column.width)).width > _KEPT:
            less = min(lacking, widest.width - _KEPT)
            fitted[fitted.index(widest)] = widest._replace(width=widest.width - less)
            lacking -= less
        return fitted

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> Iterator[Segment]:
        """Yield what the console prints."""
        narrow = self._fitted(options.max_width)
        taken = len(self.indent) + sum(column.width + len(self.gap) for column in narrow)
        rest = options.update(width=max(options.max_width - taken, 1), height=None)
        for row in self.rows:
            if not row:
                yield Segment.line()
                continue
            *cells, last = row
            begin = [Segment(self.indent)]
            for column, cell in zip(narrow, cells, strict=True):
                room = options.update(
                    width=column.width, height=None, justify=column.justify, no_wrap=True, overflow="ellipsis"
                )
                if column.keeps_end and isinstance(cell, Text) and cell.cell_len > column.width:
                    cell = Text("…", style=cell.style).append_text(cell[len(cell) - column.width + 1 :])
                lines = console.render_lines(cell, room, style=console.get_style(column.style) if column.style else None)
                begin += [*lines[0], Segment(self.gap)]
            for line in console.render_lines(last, rest, pad=False):
                yield from begin
                yield from line
                yield Segment.line()
                begin = [Segment(" " * taken)]
