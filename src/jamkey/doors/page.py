"""`jamkey page`: the last reading as a page."""

from __future__ import annotations

import webbrowser
from pathlib import Path

import click

from jamkey.doors.call import check_save, save_all
from jamkey.errors import UsageError
from jamkey.runs.journaled import last_reading, sources_of
from jamkey.views.page import MADE_BY

#: Where it is written when nobody says.
USUAL = "jam.html"


@click.command()
@click.option(
    "--save", metavar="FILE", multiple=True, help=f"Where to write it; {USUAL} by default. Other endings choose other forms."
)
@click.option("--open", "open_", is_flag=True, help="Show it in the browser.")
@click.argument("number", type=int, required=False)
def page(save: tuple[str, ...], open_: bool, number: int | None) -> None:
    """Write the last reading as a page: one HTML file that holds everything it needs.

    NUMBER chooses an earlier reading, as `jamkey tally --list` numbers them.
    """
    check_save(save)
    kept = last_reading(number)
    if not save:
        there = Path(USUAL)
        if there.exists() and MADE_BY not in there.read_text(encoding="utf-8", errors="replace")[:2000]:
            raise UsageError(f"{USUAL} is there already and no page of ours: name another file with --save")
        save = (USUAL,)
    save_all(save, kept.jams, sources_of(kept))
    for name in save:
        click.echo(f"{name}: reading {kept.number}, {kept.jams[-1].headline[:80]}", err=True)
    pages = [name for name in save if name.endswith(".html")]
    if open_:
        if not pages:
            raise UsageError("--open shows a page: save one with the ending .html")
        webbrowser.open(Path(pages[0]).resolve().as_uri())
