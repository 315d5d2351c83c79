"""`jamkey read`: the failures in saved text or standard input."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

import click

from jamkey.doors.call import check_save, save_all
from jamkey.doors.editor import open_place
from jamkey.errors import JamkeyError, UsageError
from jamkey.follow.sources import Sources
from jamkey.journal.kept import MOST_PRINTED
from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose, read_notebook
from jamkey.runs.journaled import keep
from jamkey.secrets import masked_jam
from jamkey.settings import load
from jamkey.text import decode, read_text
from jamkey.views import json as json_view
from jamkey.views.terminal import console, show

#: Failures of one text that go to the journal; a log may hold thousands.
MOST_KEPT = 20
#: A text of more bytes is read as a pile is: each shape once.
_LARGE = 1_000_000


@click.command()
@click.option(
    "--root", type=click.Path(file_okay=False, path_type=Path), help="The project folder; the current one by default."
)
@click.option(
    "--save", metavar="FILE", multiple=True, help="Also write the reading: .json, .html, .md, .sarif, .jsonl or .txt."
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.option("--open", "open_", is_flag=True, help="Open your editor at the place to change.")
@click.option("--no-keep", is_flag=True, help="Do not keep this reading in the journal.")
@click.argument("files", nargs=-1, metavar="[FILE]...")
def read(root: Path | None, save: tuple[str, ...], as_json: bool, open_: bool, no_keep: bool, files: tuple[str, ...]) -> None:
    """Read the failures in saved text, logs, notebooks, or standard input (no FILE, or -)."""
    check_save(save)
    folder = root or Path.cwd()
    if not folder.is_dir():
        raise UsageError(f"--root {folder} is not a folder")
    settings = load(folder)
    jams: list[Jam] = []
    printed: list[str] = []
    for name in files or ("-",):
        if name == "-":
            if sys.stdin.isatty():
                click.echo("jamkey: paste the text of the failure, then press Ctrl-D", err=True)
            data = sys.stdin.buffer.read()
            if len(data) > _LARGE and (found := _of_much(data, folder)):
                jams += found
                continue
            text = decode(data, name="standard input")
            name = "standard input"
        elif _is_large(name) and (found := _of_log(name, folder)):
            jams += found
            continue
        else:
            text = read_text(Path(name))
        if name.endswith(".ipynb"):
            jams += read_notebook(
                text, name=Sources(folder).relative(str(Path(name).resolve())), root=folder, settings=settings
            )
            continue
        jams += read_and_diagnose(text, root=folder, settings=settings, name=name, confined=True)
        printed.append(text[:MOST_PRINTED])
    sources = Sources(folder, confined=True)
    sources.printed = "\n".join(printed)
    if as_json:
        click.echo(json_view.render([masked_jam(jam) for jam in jams], sources), nl=False)
    else:
        show(jams, sources, console(), link=settings.link)
    save_all(save, jams, sources)
    if not no_keep:
        try:
            keep(jams[-MOST_KEPT:], sources, settings, door="read")
        except JamkeyError as error:
            click.echo(f"jamkey: this reading is not kept: {error}", err=True)
    if open_:
        open_place(jams[-1], sources, settings)


def _is_large(name: str) -> bool:
    return not name.endswith(".ipynb") and os.path.isfile(name) and os.path.getsize(name) > _LARGE


def _of_log(name: str, folder: Path) -> list[Jam]:
    """Return the failures of a large text, those of one family as one, in the order in which they stand there; none are met
    where only the program's own last words tell that it failed.
    """
    from jamkey.piles.gathered import gather

    families = gather([name], root=folder, kept=False).families
    return sorted((kin.jam for kin in families), key=lambda jam: jam.first_line or 0)


def _of_much(data: bytes, folder: Path) -> list[Jam]:
    """The same for standard input."""
    with tempfile.TemporaryDirectory(prefix="jamkey-") as place:
        log = os.path.join(place, "typed.log")
        Path(log).write_bytes(data)
        return _of_log(log, folder)
