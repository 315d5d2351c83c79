"""`jamkey cells`: data cells that a conversion would choke on."""

from __future__ import annotations

from pathlib import Path

import click

from jamkey.errors import UsageError
from jamkey.tables.clean import cleaned_copy
from jamkey.tables.find import cells as find_cells
from jamkey.views.json import written
from jamkey.views.table import show_cells
from jamkey.views.terminal import console


@click.command()
@click.option("--expect", metavar="NAME:SORT", multiple=True, help="What a column should be: number, date, boolean or text.")
@click.option("--sheet", metavar="NAME", help="The sheet of a workbook; its first by default.")
@click.option("--save", metavar="FILE", help="Write a copy with the cells mended where that is safe: .csv or .tsv.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.argument("file")
def cells(expect: tuple[str, ...], sheet: str | None, save: str | None, as_json: bool, file: str) -> None:
    """Show what each column of a table (csv, tsv, xlsx, json lines) mostly is, and each cell that does not fit.

    Exit status 1 means that some cell does not fit.
    """
    wanted: dict[str, str] = {}
    for word in expect:
        name, colon, sort = word.rpartition(":")
        if not colon:
            raise UsageError(f"--expect {word}: write NAME:SORT, such as weight:number")
        wanted[name] = sort
    if save is not None and Path(save).resolve() == Path(file).resolve():
        raise UsageError(f"--save {save}: a table is never changed in place: give another name")
    report = find_cells(file, expect=wanted, sheet=sheet)
    if as_json:
        click.echo(written(report), nl=False)
    else:
        show_cells(report, console())
    if save is not None:
        count = cleaned_copy(Path(file), Path(save), report)
        click.echo(f"{save}: a copy with {count} cell{'s' if count != 1 else ''} mended", err=True)
    if report.odd:
        raise click.exceptions.Exit(1)
