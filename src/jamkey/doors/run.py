"""`jamkey run`: what its help says; the calls themselves take the short way."""

from __future__ import annotations

import click

from jamkey.doors import quick
from jamkey.doors.run_call import Call
from jamkey.errors import UsageError


@click.command(context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False})
@click.option("-m", "module", metavar="MODULE", help="Run a module, as python -m does.")
@click.option("--python", metavar="PATH", help="The interpreter for Python scripts.")
@click.option("--limit", metavar="TIME", help="Stop it after this long: 10s, 500ms, 2m.")
@click.option(
    "--save", metavar="FILE", multiple=True, help="Also write the reading: .json, .html, .md, .sarif, .jsonl or .txt."
)
@click.option("--keep-trace", is_flag=True, help="Show the runtime's own trace as well.")
@click.option(
    "--again",
    is_flag=True,
    help="Run it again on a copy, watching how the values in question change and where a bad one was first held.",
)
@click.option("--doubts", is_flag=True, help="After a run that ended well, show what may have gone quietly wrong.")
@click.option(
    "--sure", metavar="EXPRESSION", multiple=True, help="Say what must hold at the end; find the line where it no longer does."
)
@click.option("--stay", is_flag=True, help="Keep a failed Python program alive and look around in it.")
@click.option("--open", "open_", is_flag=True, help="Open your editor at the place to change.")
@click.option("--no-keep", is_flag=True, help="Do not keep this reading in the journal.")
@click.option("--unguarded", is_flag=True, help="Let second runs happen also where nothing keeps them in a copy.")
@click.argument("words", nargs=-1, type=click.UNPROCESSED, metavar="SCRIPT [ARGS]... | -- COMMAND")
def run(
    module: str | None,
    python: str | None,
    limit: str | None,
    save: tuple[str, ...],
    keep_trace: bool,
    again: bool,
    doubts: bool,
    sure: tuple[str, ...],
    stay: bool,
    open_: bool,
    no_keep: bool,
    unguarded: bool,
    words: tuple[str, ...],
) -> None:
    """Run a program; when it jams, show the reading. The exit status is the program's own.

    Exit status 124 means that the limit was hit.
    """
    if not words and module is None:
        raise UsageError("a script is missing: give one, or -m MODULE, or -- COMMAND")
    if words and words[0].startswith("-") and words[0] != "-":
        raise UsageError(f"run has no option {words[0]}: see jamkey run --help")
    call = Call()
    call.python, call.limit, call.save, call.keep_trace = python or "", limit or "", list(save), keep_trace
    call.module, call.again, call.doubts, call.stay, call.open, call.no_keep = module, again, doubts, stay, open_, no_keep
    call.unguarded, call.sure = unguarded, list(sure)
    call.args = list(words if module is not None else words[1:])
    call.script = None if module is not None else words[0]
    quick.run(call)
