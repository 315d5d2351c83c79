"""A trail as a table in the terminal, and as a small plot of its numbers."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from rich.console import Console
from rich.table import Table
from rich.text import Text

from jamkey.errors import UnreadableInput, UsageError
from jamkey.follow.sources import Sources
from jamkey.model import Change
from jamkey.text import line_at, shorten, visible
from jamkey.views.figures import figure

_MOST = 60


def show_trail(changes: Sequence[Change], total: int, sources: Sources, out: Console, *, until: str = "") -> None:
    """Print each change: when, where, in which function, from what to what.

    Args:
        changes: in order.
        total: how many there were, of which these are the last.
        sources: for the lines that made them.
        out: where to.
        until: what the run was to end at.
    """
    if not changes:
        out.print(Text("none of these names was given a value in the project's own files: check their spelling", style="bold"))
        return
    out.print()
    grid = Table.grid(padding=(0, 2, 0, 0))
    grid.add_row(*(Text(heading, style="dim") for heading in ("time", "line", "function", "name", "old", "new", "")))
    shown = list(changes[-_MOST:])
    for place, change in enumerate(shown):
        last = until and place == len(shown) - 1
        row = shorten(line_at(sources.text(change.file) or "", change.line).strip(), 44)
        grid.add_row(
            f"{change.seconds:.4f}",
            Text(f"{change.file}:{change.line}", style="bold blue"),
            visible(change.function),
            Text(visible(change.name), style="bold"),
            Text(shorten(visible(change.old or ""), 24), style="dim"),
            Text(shorten(visible(change.new), 30), style="bold red" if last else "green"),
            Text(visible(row), style="dim"),
        )
    out.print(grid)
    if total > len(shown):
        out.print(Text(f"the last {len(shown)} of {total} changes", style="dim"))
    if until:
        last_one = shown[-1]
        out.print(
            Text(
                f"`{visible(last_one.name)}` became {visible(last_one.new)} on line {last_one.line} of "
                f"{visible(last_one.file)}",
                style="bold red",
            )
        )


def plot(changes: Sequence[Change], path: Path) -> None:
    """Write the numbers among the changes as a plot, one line for each name.

    Raises:
        UsageError: no change is a number, or matplotlib is missing.
        UnreadableInput: the file cannot be written.
    """
    series: dict[str, list[tuple[int, float]]] = {}
    for step, change in enumerate(changes, 1):
        try:
            series.setdefault(change.name, []).append((step, float(change.new)))
        except ValueError:
            continue
    series = {name: points for name, points in series.items() if points}
    if not series:
        raise UsageError("--save .png: none of the values is a number")
    drawing = figure(8, 1.2 + 2.0 * len(series))
    from matplotlib.ticker import MaxNLocator

    axes = drawing.subplots(len(series), 1, sharex=True, squeeze=False)[:, 0]
    for axis, (name, points) in zip(axes, series.items(), strict=True):
        steps, values = zip(*points, strict=True)
        axis.step(
            steps, values, where="post", color="#2b6cb0", linewidth=1.5, marker="o", markersize=3 if len(points) < 80 else 0
        )
        gone = [
            (step, next((v for s, v in reversed(points[:place]) if v == v), 0.0))
            for place, (step, value) in enumerate(points)
            if value != value
        ]
        if gone:
            axis.plot(
                *zip(*gone, strict=True),
                linestyle="none",
                marker="x",
                markersize=9,
                markeredgewidth=2,
                color="#c53030",
                label="NaN",
            )
            axis.legend(frameon=False, loc="lower right", bbox_to_anchor=(1, 0.98), borderpad=0)
        axis.set_ylabel(name)
        axis.spines[["top", "right"]].set_visible(False)
        axis.grid(axis="y", color="#dddddd", linewidth=0.6)
        axis.xaxis.set_major_locator(MaxNLocator(integer=True))
    axes[-1].set_xlabel("change")
    where = sorted({change.file for change in changes})
    drawing.suptitle(f"How {', '.join(series)} changed in {', '.join(where[:2])}", fontsize=11)
    try:
        drawing.savefig(path, dpi=110)
    except OSError as error:
        raise UnreadableInput(f"{path} cannot be written: {error.strerror}") from None
