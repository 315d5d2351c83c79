"""`jamkey read`: the failures in saved text or standard input."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from jamkey.doors.common import check_save, save_all
from jamkey.errors import UsageError
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose, read_notebook
from jamkey.settings import load
from jamkey.text import decode, read_text
from jamkey.views import json as json_view
from jamkey.views.terminal import console, show


@click.command()
@click.option(
    "--root", type=click.Path(file_okay=False, path_type=Path), help="The project folder; the current one by default."
)
@click.option("--save", metavar="FILE", multiple=True, help="Also write the reading: .json, .html, .md or .txt.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.argument("files", nargs=-1, metavar="[FILE]...")
def read(root: Path | None, save: tuple[str, ...], as_json: bool, files: tuple[str, ...]) -> None:
    """Read the failures in saved text, logs, notebooks, or standard input (no FILE, or -)."""
    check_save(save)
    folder = root or Path.cwd()
    if not folder.is_dir():
        raise UsageError(f"--root {folder} is not a folder")
    settings = load(folder)
    jams: list[Jam] = []
    for name in files or ("-",):
        if name == "-":
            if sys.stdin.isatty():
                click.echo("jamkey: paste the text of the failure, then press Ctrl-D", err=True)
            text = decode(sys.stdin.buffer.read(), name="standard input")
            name = "standard input"
        else:
            text = read_text(Path(name))
        if name.endswith(".ipynb"):
            jams += read_notebook(text, name=Sources(folder).relative(str(Path(name).resolve())), root=folder, settings=settings)
            continue
        jams += read_and_diagnose(text, root=folder, settings=settings, name=name)
    sources = Sources(folder)
    if as_json:
        click.echo(json_view.render(jams, sources), nl=False)
    else:
        show(jams, sources, console())
    save_all(save, jams, sources)
