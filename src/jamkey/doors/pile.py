"""`jamkey pile`: which of very many runs failed, and why."""

from __future__ import annotations

import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

import click
from rich.text import Text

from jamkey.errors import UnreadableInput, UsageError
from jamkey.follow.sources import Sources
from jamkey.model import Kin, Pile
from jamkey.piles.gathered import Interrupted, gather, only
from jamkey.piles.growing import grown, lengths
from jamkey.text import visible
from jamkey.views.json import written
from jamkey.views.pile import BY, headline, markdown, place, show_pile, size, table_text
from jamkey.views.terminal import console

if TYPE_CHECKING:
    from rich.progress import Progress

_ENDINGS = (".html", ".md", ".json", ".csv", ".png", ".jsonl")
#: Exit status after Ctrl-C.
_INTERRUPTED = 130


@click.command()
@click.option("--by", type=click.Choice(BY), default="family", show_default=True, help="What is counted.")
@click.option("--only", "wanted", metavar="WHAT", multiple=True, help="Only this kind, type, own file, or words of a message.")
@click.option("--fresh", is_flag=True, help="Only what the last look at this pile did not know.")
@click.option(
    "--since", metavar="WHEN", default="", help="Only after a time (2031-04-04T06:30), or `last`: after the last look."
)
@click.option(
    "--show",
    "chosen",
    metavar="N",
    type=click.IntRange(min=0),
    default=1,
    help="Also show the reading of family N; 0 for none.",
)
@click.option(
    "--root", type=click.Path(file_okay=False, path_type=Path), help="The project folder; the current one by default."
)
@click.option(
    "--workers", metavar="N", type=click.IntRange(min=0), default=0, help="Processes; as many as processors by default."
)
@click.option("--on", metavar="ADDRESS", default="", help="Let the workers of this Dask scheduler do it.")
@click.option("--resume", is_flag=True, help="Go on with a look that was interrupted.")
@click.option("--follow", is_flag=True, help="Go on as the logs grow, and show each new family once.")
@click.option("--save", metavar="FILE", multiple=True, help="Also write it: .html, .md, .json, .csv, .png or .jsonl.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.option("--no-keep", is_flag=True, help="Do not remember this look.")
@click.argument("paths", nargs=-1, metavar="[PATH]...")
def pile(
    by: str,
    wanted: tuple[str, ...],
    fresh: bool,
    since: str,
    chosen: int,
    root: Path | None,
    workers: int,
    on: str,
    resume: bool,
    follow: bool,
    save: tuple[str, ...],
    as_json: bool,
    no_keep: bool,
    paths: tuple[str, ...],
) -> None:
    """Gather the failures in very many logs into families: how often, since when, in which of your lines.

    PATH is a log, a folder, a pattern, or - for standard input; also .gz, .bz2, .xz and .zst, and addresses of remote stores.
    """
    for name in save:
        if not name.endswith(_ENDINGS):
            raise UsageError(f"--save {name}: the ending chooses the form: {', '.join(_ENDINGS)}")
    folder = root or Path.cwd()
    if not folder.is_dir():
        raise UsageError(f"--root {folder} is not a folder")
    given = paths or ("-",)
    if follow and (as_json or "-" in given or on):
        raise UsageError("--follow shows what comes in files of this machine: leave out --json, --on and standard input")
    if given == ("-",) and sys.stdin.isatty():
        raise UsageError("name logs, folders or patterns, or hand a text in by a pipe")
    status, sizes = 0, lengths(given) if follow else {}
    with _Progress() as progress:
        try:
            found = gather(
                given, root=folder, workers=workers, on=on, since=since, resume=resume, kept=not no_keep, progress=progress.told
            )
        except Interrupted as interrupted:
            found, status = interrupted.pile, _INTERRUPTED
            share = f"{size(interrupted.done)} of {size(interrupted.total)}"
            more = "" if no_keep else "; --resume goes on from here"
            click.echo(f"jamkey: interrupted after {share}: this is what was found until then{more}", err=True)
    found = only(found, wanted, fresh=fresh)
    sources = Sources(folder, confined=True)
    if as_json:
        click.echo(written(found), nl=False)
    else:
        if chosen > 1 and chosen > len(found.families):
            raise UsageError(f"--show {chosen}: there are {len(found.families)} families")
        show_pile(found, console(), by=by, chosen=chosen, sources=sources)
    for name in save:
        _save(found, name, sources)
    if status:
        raise click.exceptions.Exit(status)
    if follow:
        _follow(given, folder, wanted, found, sizes)


def _save(found: Pile, name: str, sources: Sources) -> None:
    if name.endswith(".png") and not found.families:
        raise UsageError(f"--save {name}: there is nothing to draw")
    try:
        if name.endswith(".png"):
            from jamkey.views.pile_plot import plot

            plot(found, Path(name))
        else:
            Path(name).write_text(_text(found, name, sources), encoding="utf-8", newline="")
    except OSError as error:
        raise UnreadableInput(f"{name} cannot be written: {error.strerror}") from None


def _text(found: Pile, name: str, sources: Sources) -> str:
    if name.endswith(".html"):
        from jamkey.views.pile_page import render

        return render(found, sources)
    if name.endswith(".jsonl"):
        from jamkey.views.log_events import render as events

        return events([kin.jam for kin in found.families], sources)
    return written(found) if name.endswith(".json") else table_text(found) if name.endswith(".csv") else markdown(found)


def _follow(paths: tuple[str, ...], folder: Path, wanted: tuple[str, ...], found: Pile, sizes: dict[str, int]) -> None:
    """Show each new family once, and the counts, until Ctrl-C."""
    out = console()
    out.print("\nwaiting for more; Ctrl-C ends", style="dim")
    try:
        for now, new in grown(paths, folder, found, sizes):
            for kin in new:
                if only(Pile(bytes=0, failures=0, families=(kin,)), wanted).families:
                    out.print(_line(kin))
            out.print(f"{now.failures:,} failures, {len(now.families):,} families", style="dim")
    except KeyboardInterrupt:
        out.print()


def _line(kin: Kin) -> Text:
    when = f"  {kin.last[:19].replace('T', ' ')}" if kin.last else ""
    return Text.assemble(("new", "bold green"), f"{when}  ", (visible(place(kin)), "cyan"), "  ", (headline(kin), "red"))


class _Progress:
    """A bar with bytes, failures and the time left, on a terminal only."""

    def __init__(self) -> None:
        self._shown = 0.0
        self._bar: Progress | None = None
        if sys.stderr.isatty():
            from rich.progress import BarColumn, DownloadColumn, Progress, TextColumn, TimeRemainingColumn

            told = TextColumn("{task.fields[failures]:,} failures")
            columns = (told, BarColumn(), DownloadColumn(), TimeRemainingColumn())
            self._bar = Progress(*columns, console=console(stderr=True), transient=True)
            self._task = self._bar.add_task("", total=None, failures=0)

    def __enter__(self) -> _Progress:
        if self._bar is not None:
            self._bar.start()
        return self

    def __exit__(self, *error: object) -> None:
        if self._bar is not None:
            self._bar.stop()

    def told(self, done: int, total: int, failures: int) -> None:
        """Take in how far it is."""
        if self._bar is not None and (done >= total or time.monotonic() - self._shown > 0.1):
            self._shown = time.monotonic()
            self._bar.update(self._task, completed=done, total=total, failures=failures)
