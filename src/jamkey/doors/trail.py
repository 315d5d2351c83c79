"""`jamkey trail`: the history of values through a run."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from jamkey.errors import CannotLaunch, NoSandbox, UsageError
from jamkey.follow.sources import Sources
from jamkey.observe.target import script_target
from jamkey.observe.typed import Typed
from jamkey.runs.read_run import project_of
from jamkey.runs.second_run import watched_run
from jamkey.settings import duration, load
from jamkey.views.json import written
from jamkey.views.terminal import console
from jamkey.views.trail import plot, show_trail


@click.command()
@click.option("--where", metavar="FUNCTION", multiple=True, help="Only inside this function.")
@click.option(
    "--until-bad",
    metavar="nan|none|type|EXPRESSION",
    default="",
    help="End where a name first turns so, and show the steps to that place.",
)
@click.option("--args", metavar="WORDS", default="", help="The script's own arguments, in one word.")
@click.option("--python", metavar="PATH", default="", help="The interpreter.")
@click.option("--limit", metavar="TIME", default="", help="Stop it after this long.")
@click.option("--unguarded", is_flag=True, help="Run it also where nothing keeps it in a copy.")
@click.option("--save", metavar="FILE", multiple=True, help="Also write it: .json, or .png for a plot of numbers.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.argument("script")
@click.argument("names", nargs=-1, required=True, metavar="NAME...")
def trail(
    where: tuple[str, ...],
    until_bad: str,
    args: str,
    python: str,
    limit: str,
    unguarded: bool,
    save: tuple[str, ...],
    as_json: bool,
    script: str,
    names: tuple[str, ...],
) -> None:
    """Show how names (or attributes such as self.kilos, or FUNCTION() for all names of it) change while a script runs.

    The script runs with its own input and output, on a copy: what it writes is thrown away.
    """
    import shlex

    for name in save:
        if not name.endswith((".json", ".png")):
            raise UsageError(f"--save {name}: the ending chooses the form: .json or .png")
    settings = load(Path.cwd())
    target = script_target(script, shlex.split(args), python=python or settings.python)
    if not target.is_recordable:
        raise UsageError(f"{script}: a trail follows Python scripts only")
    functions = [*where, *(name[:-2] for name in names if name.endswith("()"))]
    wanted = ["*" if name.endswith("()") else name for name in names]
    root = project_of(target, Path.cwd())
    sources = Sources(root)
    stdin = Typed.here()
    try:
        ended, changes, total = watched_run(
            target,
            root,
            wanted,
            functions=functions,
            stdin=stdin,
            limit=duration(limit) if limit else settings.limit,
            until=until_bad,
            unguarded=unguarded or settings.unguarded,
        )
    except OSError as error:
        raise CannotLaunch(f"{target.executable} cannot be started: {error.strerror}") from None
    except NoSandbox as error:
        raise CannotLaunch(f"{error}: --unguarded runs it all the same") from None
    if not as_json:
        sys.stdout.buffer.write(ended.stdout)
        sys.stdout.flush()
    sys.stderr.buffer.write(ended.stderr)
    sys.stderr.flush()
    text = written({"format": "jamkey/1", "changes": changes, "total": total})
    if as_json:
        click.echo(text, nl=False)
    else:
        show_trail(changes, total, sources, console(stderr=True), until=until_bad)
    for name in save:
        if name.endswith(".png"):
            plot(changes, Path(name))
        else:
            Path(name).write_text(text, encoding="utf-8")
    if not changes:
        raise click.exceptions.Exit(1)
