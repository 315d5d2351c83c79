"""A tally as table, CSV and plot."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from rich.console import Console
from rich.table import Table
from rich.text import Text

from jamkey.journal.kept import Reading
from jamkey.journal.statistics import Share, Tally
from jamkey.text import shorten, visible
from jamkey.views.figures import figure

#: Signs of the longest bar.
BAR = 24
#: Rows of the table and of the plot.
_MOST = 15


def spoken(seconds: float | None) -> str:
    """Return a time as people say it."""
    if seconds is None:
        return ""
    if seconds < 90:
        return f"{seconds:.0f} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h" if seconds < 172_800 else f"{seconds / 86_400:.0f} days"


def bar(count: int, top: int, width: int = BAR) -> Text:
    """Return a bar; the longest stands for `top`."""
    return Text("█" * max(round(width * count / max(top, 1)), 1 if count else 0), style="bright_blue")


def show_tally(tally: Tally, out: Console) -> None:
    """Print a tally: bars, counts, and how long it took until the program ran."""
    if not tally.total:
        out.print("No reading is kept yet.")
        return
    many = "reading" if tally.total == 1 else "readings"
    out.print(Text(f"{tally.total:,} {many}, {tally.first} to {tally.last}", style="bold"))
    out.print()
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim")
    table.add_column("week of" if tally.by == "week" else tally.by, no_wrap=True, max_width=36, overflow="ellipsis")
    table.add_column("", no_wrap=True)
    table.add_column("times", justify="right")
    table.add_column("until it ran", justify="right")
    top = max((share.count for share in tally.shares), default=1)
    shown = tally.shares[-_MOST:] if tally.by == "week" else tally.shares[:_MOST]
    for share in shown:
        table.add_row(Text(visible(share.name)), bar(share.count, top), f"{share.count:,}", spoken(share.seconds))
    out.print(table)
    if len(tally.shares) > len(shown):
        out.print(Text(f"and {len(tally.shares) - len(shown)} more", style="dim"))
    if tally.advice:
        out.print()
        out.print(Text("What would have avoided most", style="bold"))
        rows = Table.grid(padding=(0, 2, 0, 0))
        rows.add_column(justify="right", style="bold", no_wrap=True)
        rows.add_column()
        for advice in tally.advice[:3]:
            time = f", {spoken(advice.seconds)} until it ran" if advice.seconds >= 1 else ""
            rows.add_row(f"{advice.count:,}", Text.assemble(visible(advice.text), (f"  ({advice.kind}{time})", "dim")))
        out.print(rows)


def show_readings(readings: Sequence[Reading], out: Console) -> None:
    """Print the newest readings, the last one last, with the numbers that `page` and `look` take."""
    from datetime import datetime

    for reading in readings[-20:]:
        if reading.ended is not None:
            ended = f"ran after {spoken(reading.ended - reading.time)}" + (
                f" with: {shorten(reading.turned, 60)}" if reading.turned else ""
            )
        else:
            ended = "open" if reading.target else "read"
        when = datetime.fromtimestamp(reading.time).strftime("%Y-%m-%d %H:%M")
        place = visible(f"{shorten(reading.file, 26)}:{reading.line}" if reading.file else reading.runtime)
        line = Text()
        line.append(f"{reading.number:>5}  ", style="bold")
        line.append(f"{when}  {place:<24}  ")
        line.append(visible((reading.headline or "").split("\n")[0]))
        out.print(line, no_wrap=True, overflow="ellipsis")
        out.print(
            Text(" " * 25 + visible(ended), style="green" if reading.ended is not None else "dim"),
            no_wrap=True,
            overflow="ellipsis",
        )


def table_text(tally: Tally) -> str:
    """Return the tally as CSV (RFC 4180, one row a share)."""
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow([tally.by, "count", "ended", "median_seconds_until_it_ran"])
    for share in tally.shares:
        writer.writerow([visible(share.name), share.count, share.ended, "" if share.seconds is None else share.seconds])
    return buffer.getvalue()


def plot(tally: Tally, path: Path) -> None:
    """Draw the tally (PNG): bars sorted by count and the time until it ran beside them; weeks as columns.

    Args:
        tally: with at least one reading.
        path: where to write.

    Raises:
        UsageError: matplotlib is missing.
        OSError: the file cannot be written.
    """
    shares = list(tally.shares[-26:] if tally.by == "week" else reversed(tally.shares[:_MOST]))
    if tally.by == "week":
        drawing = figure(9, 4.2)
        axes = drawing.subplots()
        axes.bar([share.name for share in shares], [share.count for share in shares], color="#3b6ea8", width=0.8)
        axes.set_xlabel("week, by its Monday")
        axes.set_ylabel("readings")
        step = max(len(shares) // 8, 1)
        axes.set_xticks(
            range(0, len(shares), step),
            [share.name for share in shares[::step]],
            rotation=0 if len(shares) <= 8 else 30,
            ha="center" if len(shares) <= 8 else "right",
        )
        tidy(axes)
    else:
        drawing = figure(10, 1.6 + 0.36 * len(shares))
        axes, times = drawing.subplots(1, 2, sharey=True, width_ratios=(3, 2))
        names = [visible(shorten(share.name, 34)) for share in shares]
        axes.barh(names, [share.count for share in shares], color="#3b6ea8", height=0.62)
        for place, share in enumerate(shares):
            axes.annotate(
                f"{share.count}", (share.count, place), xytext=(4, 0), textcoords="offset points", va="center", fontsize=9
            )
        axes.set_xlabel("readings")
        axes.set_ylabel(tally.by)
        _times(times, shares)
        tidy(axes)
        tidy(times)
    drawing.suptitle(f"What you keep running into, {tally.first} to {tally.last}", fontsize=12)
    drawing.savefig(path, dpi=120)


def _times(axes: object, shares: Sequence[Share]) -> None:
    """Draw how long it took until the program ran; in minutes, on a scale of tens as it spans from seconds to hours."""
    from matplotlib.axes import Axes
    from matplotlib.ticker import FuncFormatter

    assert isinstance(axes, Axes)
    points = [(max((share.seconds or 0) / 60, 0.05), place) for place, share in enumerate(shares) if share.seconds is not None]
    axes.set_xlabel("median time until it ran")
    if not points:
        axes.set_xticks([])
        axes.annotate("none has run yet", (0.5, 0.5), xycoords="axes fraction", ha="center", va="center", color="#777777")
        return
    axes.plot([time for time, _ in points], [place for _, place in points], "o", color="#b0651d", markersize=7)
    for time, place in points:
        axes.annotate(spoken(time * 60), (time, place), xytext=(8, 0), textcoords="offset points", va="center", fontsize=9)
    axes.set_xscale("log")
    axes.set_xlim(min(time for time, _ in points) / 1.6, max(time for time, _ in points) * 2.6)
    axes.grid(axis="y", color="#e6e2d8", linewidth=0.8)
    axes.set_axisbelow(True)
    axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: spoken(value * 60)))
    axes.xaxis.set_minor_formatter(FuncFormatter(lambda value, _: ""))
    axes.tick_params(which="minor", length=0)


def tidy(axes: object) -> None:
    """Take away the lines around a plot that tell nothing, and count in whole numbers."""
    from matplotlib.axes import Axes
    from matplotlib.ticker import MaxNLocator

    assert isinstance(axes, Axes)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    if axes.get_xscale() == "linear" and axes.get_xlabel() == "readings":
        axes.xaxis.set_major_locator(MaxNLocator(integer=True))
    if axes.get_ylabel() == "readings":
        axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    axes.tick_params(length=0)
