"""A pile as one self-contained HTML file: a table to sort and filter, times drawn, readings unfolded; no request leaves it."""

from __future__ import annotations

import datetime
from collections import Counter
from pathlib import Path

import msgspec

from jamkey.follow.sources import Sources
from jamkey.model import Job, Kin, Pile
from jamkey.views.cell import render_cell
from jamkey.views.outline import visible
from jamkey.views.page import MADE_BY, room
from jamkey.views.pile import ENDS, headline, place, spoken, summary

#: Columns of a drawing of times, and its size in pixels.
_COLUMNS, _WIDE, _HIGH = 48, 192, 26
#: Families and jobs on a page, and families whose reading is unfolded there.
_MOST, _MOST_READ, _MOST_JOBS = 2000, 100, 2000
_HOUR = datetime.timedelta(hours=1)


class Row(msgspec.Struct):
    """One family as the template sees it."""

    number: int
    kin: Kin
    headline: str
    place: str
    #: Where the one that is read stands, and other logs of the family.
    log: str
    others: list[str]
    first: str
    last: str
    #: (left, top, width, height) of each bar.
    bars: list[tuple[float, float, float, float]]
    drawn: str
    reading: str


def render(pile: Pile, sources: Sources) -> str:
    """Return the page of a pile."""
    hours = [datetime.datetime.fromisoformat(hour) for kin in pile.families for hour in kin.hours]
    span = (min(hours), max(hours)) if hours else None
    rows = [
        Row(
            number=number,
            kin=kin,
            headline=headline(kin),
            place=visible(place(kin)),
            log=visible(kin.file),
            others=[visible(file) for file in kin.files[:6] if file != kin.file],
            first=spoken(kin.first),
            last=spoken(kin.last),
            bars=_bars(kin, span),
            drawn=f"{kin.count:,} failures, {spoken(kin.first)} to {spoken(kin.last)}"
            if kin.first
            else f"{kin.count:,} failures",
            reading=_reading(kin, sources, styled=number == 1) if number <= _MOST_READ else "",
        )
        for number, kin in enumerate(pile.families[:_MOST], 1)
    ]
    counts: Counter[str] = Counter(job.ended for job in pile.jobs)
    template = (Path(__file__).parent / "templates" / "pile.html").read_text(encoding="utf-8")
    return str(
        room()
        .from_string(template)
        .render(
            summary=summary(pile),
            rows=rows,
            left=max(len(pile.families) - _MOST, 0),
            ends=[(words, counts[how]) for how, words in ENDS.items() if counts[how]],
            jobs=[_job(job) for job in pile.jobs if job.ended != "well"][:_MOST_JOBS],
            span=tuple(f"{hour:%Y-%m-%d %H:%M}" for hour in span) if span else None,
            wide=_WIDE,
            high=_HIGH,
            some_known=any(not kin.fresh for kin in pile.families),
            made_by=MADE_BY,
        )
    )


def _reading(kin: Kin, sources: Sources, *, styled: bool) -> str:
    """Return a reading as markup; its style stands once on the page."""
    text = render_cell(kin.jam, sources)
    before, _, rest = text.partition("<style>")
    return text if styled else before + rest.partition("</style>")[2]


def _job(job: Job) -> tuple[str, str, str]:
    return job.ended, visible(job.file), str(job.family + 1) if job.family is not None else ""


def _bars(kin: Kin, span: tuple[datetime.datetime, datetime.datetime] | None) -> list[tuple[float, float, float, float]]:
    """Return the bars of a family's times, all families on the same span."""
    if span is None:
        return []
    hours = (span[1] - span[0]) // _HOUR + 1
    step = -(-hours // _COLUMNS)
    wide = _WIDE / -(-hours // step)
    heights: Counter[int] = Counter()
    for hour, count in kin.hours.items():
        heights[(datetime.datetime.fromisoformat(hour) - span[0]) // _HOUR // step] += count
    top = max(heights.values(), default=1)
    made = []
    for column, count in sorted(heights.items()):
        high = max(round((_HIGH - 2) * count / top, 1), 1.5)
        made.append((round(column * wide, 1), round(_HIGH - high, 1), round(max(wide - 0.7, 1), 1), high))
    return made
