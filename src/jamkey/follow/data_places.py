"""Where in the project's data a value stands, and what its columns are called."""

from __future__ import annotations

from jamkey.follow.sources import Sources
from jamkey.late import pattern
from jamkey.model import Place

#: Data looked through per file, in characters.
_MOST = 4_000_000
_BETWEEN = pattern(r"[,;\t|{}\[\]]|\"\s*:")
#: Files of which cells are taken, and rows of each.
_FILES, _ROWS = 3, 12


def find_in_data(sources: Sources, text: str) -> Place | None:
    """Return the place of a value as a whole cell, field or word of a data file, or None.

    Whole cells (between separators) are preferred to words inside a line; the first such place is returned.
    """
    wanted = text.strip()
    if not wanted:
        return None
    loose: Place | None = None
    for name in sources.data_files():
        content = (sources.text(name) or "")[:_MOST]
        if wanted not in content:
            continue
        for number, row in enumerate(content.split("\n"), 1):
            at = row.find(wanted)
            while at >= 0:
                before = row[:at].rstrip()[-1:]
                after = row[at + len(wanted) :].lstrip()[:1]
                place = Place(file=name, line=number, column=at + 1, end_line=number, end_column=at + 1 + len(wanted))
                if before in ("", ",", ";", "\t", '"', "'", ":", "=", "|") and after in (
                    "",
                    ",",
                    ";",
                    "\t",
                    '"',
                    "'",
                    "\r",
                    "|",
                    "}",
                ):
                    return place
                if loose is None and not (row[at - 1 : at].isalnum() or row[at + len(wanted) : at + len(wanted) + 1].isalnum()):
                    loose = place
                at = row.find(wanted, at + 1)
    return loose


def header_of(sources: Sources, name: str) -> list[str]:
    """Return the column names in the first line of a table of text, as they stand there; none for other files."""
    found = sources.resolve(name)
    if found is None or not found.lower().endswith((".csv", ".tsv", ".txt", ".dat")):
        return []
    first = (sources.text(found) or "")[:20_000].split("\n", 1)[0].rstrip("\r").lstrip("\ufeff")
    sign = max(",;\t|", key=first.count)
    if not first.count(sign):
        return []
    return [cell[1:-1] if len(cell) > 1 and cell[0] == cell[-1] == '"' else cell for cell in first.split(sign)]


def cells_of_files(sources: Sources) -> list[str]:
    """Return the fields of the first rows of the project's data files, without their quotes."""
    found: list[str] = []
    for name in sources.data_files()[:_FILES]:
        rows = (sources.text(name) or "")[:20_000].split("\n")[:_ROWS]
        found += [cell.strip().strip("\"'") for row in rows for cell in _BETWEEN.split(row)]
    return list(dict.fromkeys(cell for cell in found if cell))
