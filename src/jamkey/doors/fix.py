"""`jamkey fix`: run, try keys on a copy, apply the chosen one, run again."""

from __future__ import annotations

import contextlib
import os
import shlex
import sys
from collections.abc import Callable
from pathlib import Path

import click
import msgspec
from rich.console import Console
from rich.progress import BarColumn, Progress, SpinnerColumn, TextColumn

from jamkey.doors.call import check_save, save_all, target_of
from jamkey.errors import CannotLaunch, JamkeyError, UsageError
from jamkey.follow.sources import Sources
from jamkey.journal.store import Journal
from jamkey.model import Jam, Key
from jamkey.observe.sandbox import can_hold
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.runs.fix_loop import Outcome, Round, best_key, main_jam, run_captured, tried
from jamkey.runs.fix_loop import fix as fix_loop
from jamkey.runs.journaled import ended_well, keep
from jamkey.runs.wrong_result import expected_text
from jamkey.secrets import masked
from jamkey.settings import Settings, duration, load
from jamkey.system import unwind_when_ended
from jamkey.text import visible
from jamkey.trials.scratch import sweep
from jamkey.views.links import link_form
from jamkey.views.outline import outline
from jamkey.views.terminal import console, reading, show


@click.command(context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False})
@click.option("-m", "module", metavar="MODULE", help="Run a module, as python -m does.")
@click.option("--python", metavar="PATH", default="", help="The interpreter for Python scripts.")
@click.option("--limit", metavar="TIME", default="", help="Stop each run after this long: 10s, 500ms, 2m.")
@click.option("--expect", metavar="TEXT|FILE", help="What it should print: a run that prints anything else is not mended yet.")
@click.option(
    "--near",
    metavar="NUMBER",
    type=click.FloatRange(min=0),
    help="With --expect: numbers agree that differ by no more than this, such as 1e-6, or by that part of the expected one.",
)
@click.option("--yes", is_flag=True, help="Apply the best key without asking.")
@click.option("--preview", is_flag=True, help="Change nothing: show the first failure with its keys tried.")
@click.option(
    "--save", metavar="FILE", multiple=True, help="Also write the reading: .json, .html, .md, .sarif, .jsonl or .txt."
)
@click.option(
    "--patience", metavar="TIME", help="Search keys for this long at most, such as 20s (10 s, or eight runs of the program)."
)
@click.option("--unguarded", is_flag=True, help="Run programs twice also where nothing keeps the second run in a copy.")
@click.option("--no-keep", is_flag=True, help="Do not keep what is read in the journal.")
@click.argument("words", nargs=-1, type=click.UNPROCESSED, metavar="SCRIPT [ARGS]... | -- COMMAND")
@click.pass_context
def fix(
    ctx: click.Context,
    module: str | None,
    python: str,
    limit: str,
    expect: str | None,
    near: float | None,
    yes: bool,
    preview: bool,
    save: tuple[str, ...],
    patience: str | None,
    unguarded: bool,
    no_keep: bool,
    words: tuple[str, ...],
) -> None:
    """Run a program, try typical fixes on a copy, apply the one you choose, run again, until it runs.

    Exit status 0 means that the program runs; 1 that a failure is left.
    """
    check_save(save)
    cwd = Path.cwd()
    settings = load(cwd)
    if no_keep:
        settings = msgspec.structs.replace(settings, keep=False)
    unwind_when_ended()
    sweep()
    target = target_of(_with_dashes(words), module, python, settings)
    seconds = duration(limit) if limit else settings.limit
    stdin = Typed.here()
    expected = expected_text(expect) if expect is not None else None
    out = console(stderr=True)
    if near is not None:
        if expect is None:
            raise UsageError("--near compares numbers with what --expect says: give both")
        settings = msgspec.structs.replace(settings, near=near)
    if patience is not None:
        settings = msgspec.structs.replace(settings, patience=duration(patience))
    settings = msgspec.structs.replace(settings, unguarded=unguarded or settings.unguarded or _allowed(out))
    try:
        if preview:
            ctx.exit(_preview(target, cwd, stdin, seconds, settings, save, out, expected=expected))
        ctx.exit(_loop(target, cwd, stdin, seconds, settings, save, out, yes=yes, expected=expected))
    except OSError as error:
        raise CannotLaunch(f"{target.executable} cannot be started: {error.strerror}") from None


def _allowed(out: Console) -> bool:
    """Where nothing holds a second run in its folders, ask before anything is run twice."""
    if can_hold():
        return False
    out.print(
        "This system offers nothing that keeps a trial from changing your files, the network or other programs: keys can "
        "only be tried by running your program again as it is."
    )
    if not sys.stdin.isatty():
        out.print("They stay untried; --unguarded, or unguarded = true in the settings, tries them.", style="dim")
        return False
    return click.confirm("Try them all the same?", default=False, err=True)


def _with_dashes(words: tuple[str, ...]) -> tuple[str, ...]:
    """Click takes a leading `--` away; put it back when it stood on the command line before the words."""
    if not words:
        return words
    before = sys.argv[: len(sys.argv) - len(words)]
    return ("--", *words) if before and before[-1] == "--" else words


class _Trials:
    """The progress of the trials, on standard error; nothing when that is no terminal."""

    def __init__(self, out: Console) -> None:
        self.progress = Progress(
            SpinnerColumn(),
            TextColumn("trying keys on a copy"),
            BarColumn(bar_width=20),
            TextColumn("{task.description}"),
            console=out,
            transient=True,
            disable=not out.is_terminal,
        )
        self.task = self.progress.add_task("", total=None)
        self._tried = 0

    def none_helps(self, jam: Jam) -> str:
        """Return in words that no key helps; nothing where one does, or may. The next failure is counted anew."""
        tried, self._tried = self._tried, 0
        keys = [key for key in jam.keys if key.edits]
        if any(key.trial.outcome in ("runs", "moved", "untried") for key in keys):
            return ""
        if tried:
            return f"No key of mine helps: I tried {tried} edits on a copy, and have none to offer. It is for you to mend."
        return "No key fits: this one is for you to mend."

    def __call__(self, done: int, total: int, key: Key) -> None:
        self._tried += 1
        title = visible(key.title)[:50]
        self.progress.update(self.task, completed=done, total=total, description=f"{done} of {total}: {title}")


def _preview(
    target: Target,
    cwd: Path,
    stdin: Typed,
    limit: float,
    settings: Settings,
    save: tuple[str, ...],
    out: Console,
    *,
    expected: str | None = None,
) -> int:
    outcome = run_captured(target, cwd, stdin=stdin, limit=limit, settings=settings, expected=expected)
    jams = list(outcome.jams)
    if not jams:
        save_all(save, jams, Sources(outcome.root))
        return _nothing_to_read(outcome, out)
    trials = _Trials(out)
    with trials.progress:
        jams[-1] = tried(outcome, target, jams[-1], settings=settings, progress=trials)
    _keep(jams, outcome, target, settings)
    shown = console()
    show(jams, Sources(outcome.root), shown, link=settings.link)
    if words := trials.none_helps(jams[-1]):
        shown.print(f"\n{words}", style="bold")
    save_all(save, jams, Sources(outcome.root))
    return 1


def _keep(jams: list[Jam], outcome: Outcome, target: Target, settings: Settings) -> int:
    """Keep a reading; return its number, 0 when it could not be kept."""
    sources = Sources(outcome.root)
    sources.printed = outcome.ended.stderr.decode("utf-8", "replace")
    try:
        return keep(jams, sources, settings, door="fix", target=target, command=shlex.join(target.argv[1:]))
    except JamkeyError as error:
        click.echo(f"jamkey: this reading is not kept: {error}", err=True)
        return 0


def _nothing_to_read(outcome: Outcome, out: Console) -> int:
    if outcome.status == 0:
        out.print("It runs: there is nothing to fix.")
        return 0
    sys.stderr.buffer.write(outcome.ended.stderr)
    out.print(f"It ended with exit status {outcome.status} and left no trace that can be read.")
    return 1


def _loop(
    target: Target,
    cwd: Path,
    stdin: Typed,
    limit: float,
    settings: Settings,
    save: tuple[str, ...],
    out: Console,
    *,
    yes: bool,
    expected: str | None = None,
) -> int:
    chooser = _chooser(out, cwd, yes=yes, link=settings.link)
    trials = _Trials(out)
    rounds: list[Round] = []
    number = 0

    def met(outcome: Outcome, jam: Jam) -> None:
        nonlocal number
        number = _keep([*outcome.jams[:-1], jam], outcome, target, settings)

    for done in fix_loop(
        target,
        cwd,
        choose=chooser(trials),
        stdin=stdin,
        limit=limit,
        settings=settings,
        progress=trials,
        expected=expected,
        met=met,
    ):
        rounds.append(done)
        if done.applied is not None and number:
            with contextlib.suppress(JamkeyError), Journal() as journal:
                journal.turned(number, masked(done.applied.title))
        if done.jam is None and done.outcome.status == 0:
            ended_well(target)
        if done.applied is not None:
            out.print(f"applied: {visible(done.applied.title)}", style="bold green")
            out.print()
    return _summary(rounds, save, out)


def _chooser(out: Console, cwd: Path, *, yes: bool, link: str) -> Callable[[_Trials], Callable[[Jam], Key | None]]:
    """Return what shows a jam and picks a key: asked for, or the best one with --yes."""

    form = link_form(link, os.environ) if out.is_terminal else ""

    def with_trials(trials: _Trials) -> Callable[[Jam], Key | None]:
        count = 0

        def choose(jam: Jam) -> Key | None:
            nonlocal count
            count += 1
            trials.progress.stop()
            out.print(reading(outline(jam, Sources(cwd)), f"jam {count}", out, form=form))
            out.print()
            if words := trials.none_helps(jam):
                out.print(words, style="bold")
            if yes:
                return best_key(jam)
            return _ask(jam, out) if any(key.edits for key in jam.keys) else None

        return choose

    return with_trials


def _ask(jam: Jam, out: Console) -> Key | None:
    shown = [str(number) for number, key in enumerate(jam.keys[:4], 1) if key.edits]
    if not sys.stdin.isatty():
        out.print("Nothing was changed: standard input is no terminal, so there is nobody to ask. Use --yes, or --preview.")
        return None
    while True:
        answer = click.prompt(f"Turn which key? ({', '.join(shown)}, or n for none)", default=shown[0], err=True)
        if answer.strip().lower() in ("n", "no", "none", "q"):
            return None
        if answer.strip() in shown:
            return jam.keys[int(answer.strip()) - 1]


def _summary(rounds: list[Round], save: tuple[str, ...], out: Console) -> int:
    last = rounds[-1]
    applied = [done for done in rounds if done.applied is not None]
    jams = [done.jam for done in rounds if done.jam is not None]
    save_all(save, jams, Sources(last.outcome.root))
    if applied:
        number = len(applied)
        out.print(f"{number} key{'s' if number > 1 else ''} turned:", style="bold")
        for line in applied[-1].summary.splitlines():
            heading = line.startswith(("+++", "---"))
            style = "dim" if heading else "green" if line.startswith("+") else "red" if line.startswith("-") else "dim"
            out.print("  " + visible(line), style=style)
        out.print("  jamkey undo takes the last one back, and again the one before.", style="dim")
    jam = main_jam(last.outcome)
    if jam is None and last.outcome.status == 0:
        if applied:
            printed = last.outcome.ended.stdout
            out.print("It runs now. It printed:" if printed else "It runs now.", style="bold green")
            sys.stdout.buffer.write(printed)
            sys.stdout.flush()
        else:
            _nothing_to_read(last.outcome, out)
        return 0
    if jam is None:
        return _nothing_to_read(last.outcome, out)
    if last.applied is None:
        out.print(f"Left: {visible(jam.headline)}", style="bold red")
    return 1
