"""`jamkey tally`: what one keeps running into."""

from __future__ import annotations

import os
import time
from pathlib import Path

import click

from jamkey.errors import UnreadableInput, UsageError
from jamkey.folders import state_folder
from jamkey.journal.kept import Reading
from jamkey.journal.statistics import GROUPS, tally_of
from jamkey.journal.store import Journal
from jamkey.views.json import written
from jamkey.views.tally import plot, show_readings, show_tally, table_text
from jamkey.views.terminal import console

_DAY = 86_400.0


@click.command()
@click.option("--by", type=click.Choice(list(GROUPS)), default="kind", show_default=True, help="What is counted.")
@click.option("--days", type=float, default=0.0, metavar="N", help="Only the last N days.")
@click.option("--here", is_flag=True, help="Only readings of this folder and those below it.")
@click.option(
    "--list", "as_list", is_flag=True, help="The newest readings, one a line, with the numbers that page and look take."
)
@click.option("--save", metavar="FILE", multiple=True, help="Also write it: .json, .csv, or .png for a plot.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.option("--forget", is_flag=True, help="Drop every reading that is kept.")
def tally(by: str, days: float, here: bool, as_list: bool, save: tuple[str, ...], as_json: bool, forget: bool) -> None:
    """Count what you keep running into, and how long it took until the program ran.

    Every reading is kept on this machine only; `keep = false` in the settings, or --no-keep, keeps none.
    """
    for name in save:
        if not name.endswith((".json", ".csv", ".png")):
            raise UsageError(f"--save {name}: the ending chooses the form: .json, .csv or .png")
    if forget:
        with Journal() as journal:
            count = journal.forget()
        click.echo(f"{count} reading{'s' if count != 1 else ''} dropped", err=True)
        return
    readings = _readings(days, here)
    found = tally_of(readings, by=by)
    text = written(found)
    if as_json:
        click.echo(text, nl=False)
    elif as_list:
        show_readings(readings, console())
    else:
        show_tally(found, console())
    for name in save:
        try:
            if name.endswith(".png"):
                if not found.shares:
                    raise UsageError(f"--save {name}: there is nothing to draw yet")
                plot(found, Path(name))
            else:
                Path(name).write_text(text if name.endswith(".json") else table_text(found), encoding="utf-8", newline="")
        except OSError as error:
            raise UnreadableInput(f"{name} cannot be written: {error.strerror}") from None


def _readings(days: float, here: bool) -> list[Reading]:
    if not os.path.isdir(state_folder()):
        return []
    with Journal() as journal:
        return journal.readings(since=time.time() - days * _DAY if days > 0 else 0.0, folder=os.getcwd() if here else None)
