"""`jamkey demo`: the tour on the apiary."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

import click
from rich.console import Console
from rich.text import Text

from jamkey.checks.engine import check_text
from jamkey.errors import CannotLaunch, UsageError
from jamkey.follow.sources import Sources
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import best_key, main_jam, run_captured, tried
from jamkey.runs.fix_loop import fix as fix_loop
from jamkey.settings import Settings
from jamkey.tables.find import cells
from jamkey.text import decode, visible
from jamkey.views.findings import show_findings
from jamkey.views.outline import outline
from jamkey.views.table import show_cells
from jamkey.views.terminal import console, reading

#: Script -> what the tour says before it runs.
STOPS = {
    "1_weekly_gain.py": "A name is misspelt. The reading names your line, the values there, and the name that was meant.",
    "2_best_hive.py": "The line that fails is right. The value went missing two calls away, in another file: that is the root.",
    "3_honey_yield.py": "The code is right, and one cell of the data is not. The reading names the file, the "
    "line and the cell.",
    "4_feeding.py": "The parser gives up on one line, and the mistake is on the line before.",
    "5_frost_nights.py": "A loop that goes one step too far: the failing line shows it, the loop's head is to change.",
    "6_hive_alarm.js": "The same for JavaScript on Node: other words, the same kind of failure.",
}
LAST = "7_harvest.py"
#: The tour is to be short: each search ends after so many seconds, where `jamkey fix` takes ten by default.
TOUR = Settings(patience=1.0)
#: A script that raises nothing, and what it should print.
QUIET, RIGHT = "8_jar_share.py", "north   0.31\nwillow  0.24\nbrook   0.45\n"
TABLE = "inspections.csv"


@click.command()
@click.option("--folder", type=click.Path(file_okay=False, path_type=Path), help="Copy the apiary here and keep it.")
@click.option("--bare", is_flag=True, help="No tour: only copy the apiary, into the folder that is named.")
@click.option("--short", is_flag=True, help="Only the last stop: fix a script with four failures in a row.")
def demo(folder: Path | None, bare: bool, short: bool) -> None:
    """Take the tour: broken scripts read and mended, a wrong result followed, a script and a table looked through, all on
    copies."""
    out = console()
    if folder is not None:
        if folder.exists() and any(folder.iterdir()):
            raise UsageError(f"{folder} is not empty: name a new folder for the apiary")
        laid = lay_out(folder)
        if not bare:
            tour(laid, out, short=short)
        return
    if bare:
        raise UsageError("--bare copies the apiary into a folder: name one with --folder")
    with tempfile.TemporaryDirectory(prefix="apiary-") as made:
        tour(lay_out(Path(made)), out, short=short)


def lay_out(folder: Path) -> Path:
    """Copy the apiary into a folder and return it."""
    folder = folder.resolve()  # it becomes the working folder of what runs there
    source = Path(__file__).resolve().parent.parent / "demo" / "apiary"
    shutil.copytree(source, folder, dirs_exist_ok=True, ignore=shutil.ignore_patterns("__pycache__"))
    return folder


def tour(folder: Path, out: Console, *, short: bool = False) -> None:
    """Read each script, then fix the last one to the end."""
    out.print(Text("The apiary is a small project: hive weights, honey yields, and scripts that do not run.", style="bold"))
    out.print(Text("Everything happens in a copy; your files are not touched.", style="dim"))
    for number, (name, text) in enumerate({} if short else STOPS.items(), 1):
        _stop(folder, out, number, name, text)
    _fix(folder, out, 1 if short else len(STOPS) + 1)
    if not short:
        _quiet(folder, out, len(STOPS) + 2)
        _beforehand(folder, out, len(STOPS) + 3)
        _cells(folder, out, len(STOPS) + 4)


def _heading(out: Console, number: int, command: str, text: str) -> None:
    out.print()
    out.rule(Text(f" {number}  $ {command} ", style="bold"), align="left", style="dim")
    out.print(Text(text))
    out.print()


def _stop(folder: Path, out: Console, number: int, name: str, text: str) -> None:
    _heading(out, number, f"jamkey fix --preview {name}", text)
    try:
        target = script_target(str(folder / name), [])
    except CannotLaunch as error:
        out.print(Text(f"left out: {error}", style="yellow"))
        return
    outcome = run_captured(target, folder)
    jam = main_jam(outcome)
    if jam is None:
        out.print("It ran, which this script should not.", style="bold red")
        return
    jam = tried(outcome, target, jam, settings=TOUR)
    out.print(reading(outline(jam, Sources(folder)), "jam", out))


def _quiet(folder: Path, out: Console, number: int) -> None:
    _heading(
        out,
        number,
        f"jamkey fix --preview --expect right.txt {QUIET}",
        "Nothing is raised here, and the shares are wrong. With the expected output a trial can judge a key.",
    )
    target = script_target(str(folder / QUIET), [])
    outcome = run_captured(target, folder, expected=RIGHT)
    jam = main_jam(outcome)
    if jam is None:
        out.print("It printed what it should, which this script should not.", style="bold red")
        return
    out.print(reading(outline(tried(outcome, target, jam, settings=TOUR), Sources(folder)), "jam", out))


def _beforehand(folder: Path, out: Console, number: int) -> None:
    _heading(out, number, "jamkey check .", "What could have been seen before running: some slips show in the source.")
    names = sorted(path.name for path in folder.glob("*.py"))
    findings = [finding for name in names for finding in check_text(decode((folder / name).read_bytes()), name, folder=folder)]
    show_findings(findings, lambda name: decode((folder / name).read_bytes()), out)


def _cells(folder: Path, out: Console, number: int) -> None:
    _heading(
        out,
        number,
        f"jamkey cells {TABLE}",
        "The same for data: each cell that does not fit its column, and what was probably meant.",
    )
    show_cells(cells(folder / TABLE), out)


def _fix(folder: Path, out: Console, number: int) -> None:
    _heading(
        out,
        number,
        f"jamkey fix --yes {LAST}",
        "Four failures in a row. Each round: run, try the keys on a copy, turn the best one, run again.",
    )
    target = script_target(str(folder / LAST), [])
    for count, done in enumerate(fix_loop(target, folder, choose=best_key, settings=TOUR), 1):
        jam = done.jam
        if jam is None:
            out.print(Text(f"   run {count}: it runs.", style="bold green"))
            out.print(Text(visible(done.outcome.ended.stdout.decode("utf-8", "replace").rstrip())))
            return
        where = f" at line {jam.snag_frame.line}" if jam.snag_frame else ""
        out.print(Text.assemble(f"   run {count}: ", (visible(jam.headline), "bold red"), where))
        if done.applied is None:
            out.print(Text("   no key is good enough: this one is left to you", style="yellow"))
            return
        out.print(Text.assemble("          turned: ", (visible(done.applied.title), "bold")))
        for line in done.diff.splitlines():
            if line.startswith(("+", "-")) and not line.startswith(("+++", "---")):
                out.print(Text("            " + visible(line), style="green" if line[0] == "+" else "red"))
