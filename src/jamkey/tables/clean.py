"""A copy of a text table with its odd cells mended where that is safe."""

from __future__ import annotations

import csv
from pathlib import Path

from jamkey.errors import UnreadableInput, UsageError
from jamkey.model import CellReport
from jamkey.tables.find import form_of


def cleaned_copy(source: Path, target: Path, report: CellReport) -> int:
    """Write the copy and return how many cells differ.

    Args:
        source: a .csv or .tsv file.
        target: where to write; another file.
        report: of that source.

    Raises:
        UsageError: the source is no text table.
        UnreadableInput: the copy cannot be written.
    """
    if source.suffix.lower() not in (".csv", ".tsv", ".txt"):
        raise UsageError(f"{source}: a copy is made of text tables only (.csv, .tsv)")
    encoding, separator, _ = form_of(source)
    names = {column.name: place for place, column in enumerate(report.columns)}
    meant = {
        (cell.line, names[cell.column]): cell.meant for cell in report.cells if cell.meant is not None and cell.column in names
    }
    changed = 0
    try:
        with open(source, encoding=encoding, newline="") as taken, open(target, "w", encoding="utf-8", newline="") as given:
            reader, writer = csv.reader(taken, delimiter=separator), csv.writer(given, delimiter=separator)
            line = 1
            for row in reader:
                for place in range(len(row)):
                    new = meant.get((line, place))
                    if new is not None and row[place] != new:
                        row[place] = new
                        changed += 1
                writer.writerow(row)
                line = reader.line_num + 1
    except OSError as error:
        raise UnreadableInput(f"{target} cannot be written: {error.strerror}") from None
    return changed
