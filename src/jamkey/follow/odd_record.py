"""Does a record agree with the others of its file: the cell against its column, its count of fields against theirs."""

from __future__ import annotations

import csv
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from jamkey.follow.sources import Sources
from jamkey.tables.sorts import sort_of

#: Records looked at, around the one in question too.
_MOST = 2000
_SIGNS = ",;\t|"


class Agreement(NamedTuple):
    """How a record stands to the others.

    Attributes:
        sort: `alone` (no other cell of its column is odd), `alike` (others are odd in the same way), `gap` (a word or
            sign for a missing value), `fits` (it is what its column holds), `form` (its count of fields differs),
            `header` (it names the columns), or `unknown` (no table, or too few records).
        others: records it was held against.
        column: name of the column, as the first line says it; empty where none is known.
        holds: what the column holds: `number`, `date`, `text`.
    """

    sort: str
    others: int = 0
    column: str = ""
    holds: str = ""

    def told(self, shown: str) -> str:
        """Return in words how a value stands to its column."""
        of = f" of `{self.column}`" if self.column else " of its column"
        return {
            "alone": f"{shown} stands here, where the other {self.others} records{of} hold a {self.holds}",
            "alike": f"{shown} stands here; more records{of} are not written as a {self.holds}",
            "gap": f"{shown} stands here for a missing value",
            "fits": f"{shown} stands here, and the other records{of} hold a {self.holds} too",
            "form": "this line has not as many fields as the others",
            "header": f"{shown} stands in the line that names the columns",
        }.get(self.sort, f"the data holds {shown} here")


class Records:
    """The records of a text table, each of which can be held against the others.

    Args:
        text: of the file; so many lines as `_MOST` are looked at.
    """

    def __init__(self, text: str) -> None:
        self.rows = [row.rstrip("\r") for row in text.split("\n")]
        self.numbers = [number for number, row in enumerate(self.rows[:_MOST], 1) if row.strip()]
        own = [self.rows[number - 1] for number in self.numbers]
        #: The sign between fields; None where the lines are no table.
        self.sign = separator(own) if len(own) >= 3 else None
        self.cells = {
            number: cells_of(row, self.sign) for number, row in zip(self.numbers, own, strict=True) if self.sign is not None
        }
        self.width = Counter(map(len, self.cells.values())).most_common(1)[0][0] if self.cells else 0
        #: The first line's cells where it has as many as the others; they name the columns where the columns hold no text.
        self.first = self.cells.get(self.numbers[0], []) if self.numbers else []
        self.columns = [
            Counter(_sort(cells[place]) for number, cells in self._full() if number != self.numbers[0])
            for place in range(self.width)
        ]

    def _full(self) -> list[tuple[int, list[str]]]:
        return [(number, cells) for number, cells in self.cells.items() if len(cells) == self.width]

    def agreement(self, line: int, column: int) -> Agreement:
        """Return how the field of a record at a column (in characters, 1-based) stands to the others of its column."""
        if self.sign is None or not 0 < line <= len(self.rows) or not self.width:
            return Agreement("unknown")
        own = self.rows[line - 1]
        others = len(self.numbers) - (line in self.cells)
        if len(cells_of(own, self.sign)) != self.width:
            return Agreement("form", others)
        return self.of_cell(line, min(_place(own, self.sign, column), self.width - 1))

    def of_cell(self, line: int, place: int) -> Agreement:
        """Return how a record's field, counted from 0, stands to the others of its column."""
        mine = _sort(cells_of(self.rows[line - 1], self.sign or "")[place])
        first = line == self.numbers[0]
        sorts = self.columns[place].copy()
        if line in self.cells and not first:
            sorts[mine] -= 1
        header = self.first[place].strip() if not first and len(self.first) == self.width else ""
        header = header if _sort(header) == "text" else ""
        if len(self.first) == self.width and not first and not header:
            sorts[_sort(self.first[place])] += 1
        known = sum(sorts.values())
        sorts = Counter({sort: count for sort, count in sorts.items() if count > 0 and sort not in ("missing", "gap")})
        if not sorts or known < 2:
            return Agreement("unknown")
        holds, count = sorts.most_common(1)[0]
        if first and mine == "text" != holds:
            return Agreement("header", known, "", holds)
        if mine in ("missing", "gap"):
            return Agreement("gap", known, header, holds)
        if mine == holds:
            return Agreement("fits", known, header, holds)
        return Agreement("alike" if sum(sorts.values()) > count else "alone", known, header, holds)

    def odd(self) -> Iterator[tuple[int, int, Agreement]]:
        """Yield (line, column, how it stands) of the records that do not agree with the others."""
        for number, cells in self.cells.items():
            if len(cells) != self.width:
                yield number, 1, Agreement("form", len(self.numbers) - 1)
                continue
            for place in range(self.width):
                found = self.of_cell(number, place)
                if found.sort in ("alone", "gap"):
                    before = self.rows[number - 1].find(cells[place].strip())
                    yield number, max(before, 0) + 1, found
                    break


def agreement(sources: Sources, file: str, line: int, column: int) -> Agreement:
    """Hold a record of a text table against the others.

    Args:
        sources: that hold the file.
        file: name of a data file.
        line: of the record, 1-based.
        column: where the value stands in it, in characters, 1-based.
    """
    text = sources.text(file)
    return Records(text).agreement(line, column) if text is not None else Agreement("unknown")


def separator(rows: list[str]) -> str | None:
    """Return the sign that most rows have equally often; a blank when they fall into as many words."""
    best: tuple[float, str] | None = None
    for sign in (*_SIGNS, " "):
        counts = Counter(len(row.split()) - 1 if sign == " " else row.count(sign) for row in rows[:60])
        often, share = counts.most_common(1)[0]
        if often and share >= 0.6 * min(len(rows), 60):
            found = (share / min(len(rows), 60) - 0.2 * (sign == " "), sign)
            best = max(best, found) if best else found
    return best[1] if best else None


def cells_of(row: str, sign: str) -> list[str]:
    """Return the fields of a row."""
    if sign == " ":
        return row.split()
    try:
        return next(csv.reader([row], delimiter=sign), [])
    except csv.Error:
        return row.split(sign)


def _place(row: str, sign: str, column: int) -> int:
    """Return which cell a character of a row stands in."""
    before = row[: max(column - 1, 0)]
    if sign == " ":
        return len((before + "x").split()) - 1
    return len(cells_of(before + "x" + ('"' if before.count('"') % 2 else ""), sign)) - 1


def _sort(cell: str) -> str:
    cell = cell.strip()
    if cell and not any(sign.isalnum() for sign in cell):
        return "gap"
    found = sort_of(cell)
    return "date" if found.startswith("date:") else found
