"""Families over time, as a picture."""

from __future__ import annotations

import datetime
from pathlib import Path

from jamkey.model import Kin, Pile
from jamkey.text import shorten
from jamkey.views.figures import figure
from jamkey.views.pile import headline, place, summary
from jamkey.views.tally import tidy

#: Families that get a row of their own; the others share one.
_MOST = 10
#: Columns of time at most.
_COLUMNS = 96
_HOUR = datetime.timedelta(hours=1)


def plot(pile: Pile, path: Path) -> None:
    """Draw when the members of each family came (PNG): a row a family, most frequent first, a column a span of hours.

    Args:
        pile: with at least one family.
        path: where to write.

    Raises:
        UsageError: matplotlib is missing.
        OSError: the file cannot be written.
    """
    rows = list(pile.families[:_MOST])
    rest = pile.families[_MOST:]
    names = [_name(kin) for kin in rows]
    counts = [_hours([kin]) for kin in rows]
    totals = [kin.count for kin in rows]
    if rest:
        names.append(f"{len(rest)} more families")
        counts.append(_hours(rest))
        totals.append(sum(kin.count for kin in rest))
    hours = sorted({hour for row in counts for hour in row})
    drawing = figure(10.6, 1.7 + 0.56 * len(names))
    from matplotlib.dates import AutoDateLocator, ConciseDateFormatter, date2num

    axes = drawing.subplots()
    if hours:
        step = max((hours[-1] - hours[0]) // _HOUR // _COLUMNS + 1, 1)
        start = hours[0]
        columns = (hours[-1] - start) // _HOUR // step + 1
        width = date2num(start + step * _HOUR) - date2num(start)
        for number, row in enumerate(counts):
            heights = [0] * columns
            for hour, count in row.items():
                heights[(hour - start) // _HOUR // step] += count
            top = max(heights) or 1
            base = len(names) - 1 - number
            lefts = [date2num(start + column * step * _HOUR) for column in range(columns)]
            colour = "#3b6ea8" if number < len(rows) else "#9aa0a6"
            axes.bar(
                lefts, [0.78 * height / top for height in heights], width, bottom=base, align="edge", color=colour, linewidth=0
            )
            axes.axhline(base, color="#e0dccf", linewidth=0.8, zorder=0)
        axes.set_xlim(date2num(start), date2num(start + columns * step * _HOUR))
        locator = AutoDateLocator(minticks=3, maxticks=9)
        axes.xaxis.set_major_locator(locator)
        axes.xaxis.set_major_formatter(ConciseDateFormatter(locator))
        span = f"{step} hours" if step > 1 else "one hour"
        axes.set_xlabel(f"when, by the logs; a column is {span}, each row on its own scale")
    else:
        axes.set_xticks([])
        axes.annotate("the logs name no times", (0.5, 0.5), xycoords="axes fraction", ha="center", color="#777777")
    axes.set_yticks([len(names) - 1 - number + 0.3 for number in range(len(names))], names, fontsize=9)
    axes.set_ylim(-0.1, len(names))
    for number, total in enumerate(totals):
        axes.annotate(
            f"{total:,}",
            (1, len(names) - 1 - number + 0.3),
            xycoords=axes.get_yaxis_transform(),
            xytext=(6, 0),
            textcoords="offset points",
            va="center",
            fontsize=9,
        )
    tidy(axes)
    axes.spines["left"].set_visible(False)
    drawing.suptitle(summary(pile), fontsize=11)
    drawing.savefig(path, dpi=120)


def _name(kin: Kin) -> str:
    own = place(kin)
    return f"{shorten(headline(kin), 46)}\n{own}".rstrip("\n").replace("$", r"\$")


def _hours(kins: list[Kin] | tuple[Kin, ...]) -> dict[datetime.datetime, int]:
    found: dict[datetime.datetime, int] = {}
    for kin in kins:
        for hour, count in kin.hours.items():
            moment = datetime.datetime.fromisoformat(hour)
            found[moment] = found.get(moment, 0) + count
    return found
