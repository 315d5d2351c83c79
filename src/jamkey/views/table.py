"""A table's columns and odd cells in the terminal."""

from __future__ import annotations

import datetime

from rich.console import Console
from rich.table import Table
from rich.text import Text

from jamkey.model import CellReport
from jamkey.text import visible

_MOST = 40
_DAY = datetime.datetime(2026, 3, 31, 9, 30)


def show_cells(report: CellReport, out: Console) -> None:
    """Print the columns, then the cells that do not fit, then the line that reads the table."""
    out.print(Text(f"{report.rows:,} rows, {len(report.columns)} columns", style="bold"))
    grid = Table.grid(padding=(0, 2, 0, 0))
    for heading in ("column", "mostly", "fit", "missing", "odd"):
        grid.add_column(heading, justify="right" if heading in ("fit", "missing", "odd") else "left")
    grid.add_row(*(Text(heading, style="dim") for heading in ("column", "mostly", "fit", "missing", "odd")))
    for column in report.columns:
        # a date shows the order better than its notation does
        sort = f"date, as {_DAY.strftime(column.form)}" if column.form else column.sort
        grid.add_row(
            Text(visible(column.name), style="bold"),
            Text(sort),
            f"{column.fit:,}",
            f"{column.missing:,}" if column.missing else "",
            Text(f"{column.odd:,}" if column.odd else "", style="bold red"),
        )
    out.print(grid)
    if not report.cells:
        out.print(Text("every cell fits its column", style="bold green"))
        return
    out.print()
    cells = Table.grid(padding=(0, 2, 0, 0))
    cells.add_row(*(Text(heading, style="dim") for heading in ("cell", "line", "column", "value", "why", "meant")))
    for cell in report.cells[:_MOST]:
        meant = "" if cell.meant is None else "(missing)" if not cell.meant else cell.meant
        cells.add_row(
            Text(cell.address, style="bold blue"),
            str(cell.line or ""),
            visible(cell.column),
            Text(cell.value, style="red"),
            cell.why,
            Text(meant, style="green"),
        )
    out.print(cells)
    if report.odd > _MOST:
        out.print(Text(f"and {report.odd - min(len(report.cells), _MOST):,} more", style="dim"))
    if report.reading:
        out.print()
        out.print(Text.assemble(("read it with  ", "bold blue"), report.reading))
