"""Does a record agree with the others of its file: the cell against its column, its count of fields against theirs."""

from __future__ import annotations

import csv
from collections import Counter
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


def agreement(sources: Sources, file: str, line: int, column: int) -> Agreement:
    """Hold a record of a text table against the others.

    Args:
        sources: that hold the file.
        file: name of a data file.
        line: of the record, 1-based.
        column: where the value stands in it, in characters, 1-based.
    """
    text = sources.text(file)
    if text is None or not line > 0:
        return Agreement("unknown")
    rows = text.split("\n")
    if line > len(rows):
        return Agreement("unknown")
    own = rows[line - 1].rstrip("\r")
    rest = [(number, row.rstrip("\r")) for number, row in enumerate(rows[:_MOST], 1) if row.strip() and number != line]
    sign = _separator([row for _, row in rest]) if len(rest) >= 2 else None
    if sign is None:
        return Agreement("unknown")
    table = [_cells(row, sign) for _, row in rest]
    width = Counter(len(cells) for cells in table).most_common(1)[0][0]
    if len(_cells(own, sign)) != width or not width:
        return Agreement("form", len(rest))
    place = min(_place(own, sign, column), width - 1)
    records = [cells[place].strip() for cells in table if len(cells) == width and place < len(cells)]
    header = records[0] if rest[0][0] < line and _sort(records[0]) == "text" else ""
    records = records[1:] if header else records
    sorts = Counter(_sort(cell) for cell in records)
    sorts.pop("missing", None)
    sorts.pop("gap", None)
    if not sorts or len(records) < 2:
        return Agreement("unknown")
    holds, count = sorts.most_common(1)[0]
    mine = _sort(_cells(own, sign)[place].strip())
    odd = sum(sorts.values()) - count
    if line < rest[0][0] and _sort(_cells(own, sign)[place].strip()) == "text" != holds:
        return Agreement("header", len(records), "", holds)
    if mine in ("missing", "gap"):
        return Agreement("gap", len(records), header, holds)
    if mine == holds:
        return Agreement("fits", len(records), header, holds)
    return Agreement("alike" if odd else "alone", len(records), header, holds)


def _separator(rows: list[str]) -> str | None:
    """Return the sign that most rows have equally often; a blank when they fall into as many words."""
    best: tuple[float, str] | None = None
    for sign in (*_SIGNS, " "):
        counts = Counter(len(row.split()) - 1 if sign == " " else row.count(sign) for row in rows[:60])
        often, share = counts.most_common(1)[0]
        if often and share >= 0.6 * min(len(rows), 60):
            found = (share / min(len(rows), 60) - 0.2 * (sign == " "), sign)
            best = max(best, found) if best else found
    return best[1] if best else None


def _cells(row: str, sign: str) -> list[str]:
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
    return len(_cells(before + "x" + ('"' if before.count('"') % 2 else ""), sign)) - 1


def _sort(cell: str) -> str:
    if cell and not any(sign.isalnum() for sign in cell):
        return "gap"
    found = sort_of(cell)
    return "date" if found.startswith("date:") else found
