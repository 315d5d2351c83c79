"""Where in the project's data a value stands."""

from __future__ import annotations

from jamkey.follow.sources import Sources
from jamkey.model import Place

#: Data looked through per file, in characters.
_MOST = 4_000_000


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
