"""What one keeps running into: counts over the journal's rows. Pure."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from statistics import median

import msgspec

from jamkey.errors import UsageError
from jamkey.journal.kept import Reading
from jamkey.model import FORMAT, Struct

#: An hour: longer than this between a failure and the run that worked is not time spent on it, in seconds.
LONGEST_WAIT = 3600.0


class Share(Struct, frozen=True, kw_only=True):
    """One row of a tally."""

    #: A kind, type, file, or the Monday a week begins with (ISO 8601).
    name: str
    #: How often it was read.
    count: int
    #: Failures after which the program ran at last; several readings in a row of one program are one.
    ended: int = 0
    #: Median time from the first of them to the run that worked; null while none did.
    seconds: float | None = None


class Advice(Struct, frozen=True, kw_only=True):
    """What would have avoided failures."""

    text: str
    kind: str
    count: int
    #: Sum of the times until it ran, each at most an hour.
    seconds: float


class Tally(Struct, frozen=True, kw_only=True):
    """What one keeps running into."""

    format: str = FORMAT
    #: kind, type, file or week.
    by: str
    total: int
    #: ISO dates of the first and last reading; null for none.
    first: str | None = None
    last: str | None = None
    shares: tuple[Share, ...] = ()
    advice: tuple[Advice, ...] = ()


def _week(reading: Reading) -> str:
    day = datetime.date.fromtimestamp(reading.time)
    return (day - datetime.timedelta(days=day.weekday())).isoformat()


#: What a tally can be made by.
GROUPS: dict[str, Callable[[Reading], str]] = {
    "kind": lambda reading: reading.kind or "unknown",
    "type": lambda reading: reading.type or "(none)",
    "file": lambda reading: reading.file or "(none)",
    "week": _week,
}


def shares_of(counts: Mapping[str, int], *, in_order: bool = False) -> list[Share]:
    """Return counts as shares, the most frequent first.

    Args:
        counts: name -> how often.
        in_order: by name instead, as for days and weeks.
    """
    ranked = sorted(counts.items()) if in_order else sorted(counts.items(), key=lambda item: (-item[1], item[0]))
    return [Share(name=name, count=count) for name, count in ranked]


def tally_of(readings: Sequence[Reading], *, by: str = "kind") -> Tally:
    """Return the tally of a journal's rows; the most frequent first, weeks in their order.

    Args:
        readings: oldest first.
        by: kind, type, file or week.

    Raises:
        UsageError: it cannot be made by that.
    """
    group = GROUPS.get(by)
    if group is None:
        raise UsageError(f"--by {by}: a tally is made by {', '.join(GROUPS)}")
    counts = Counter(map(group, readings))
    waits = _waits(readings, group)
    if by == "week":
        counts.update(dict.fromkeys(_weeks(sorted(counts)), 0))
    shares = [
        msgspec.structs.replace(
            share,
            ended=len(waits.get(share.name, ())),
            seconds=round(median(waits[share.name]), 1) if share.name in waits else None,
        )
        for share in shares_of(counts, in_order=by == "week")
    ]
    days = [datetime.date.fromtimestamp(readings[place].time).isoformat() for place in (0, -1) if readings]
    return Tally(
        by=by,
        total=len(readings),
        first=days[0] if days else None,
        last=days[-1] if days else None,
        shares=tuple(shares),
        advice=_advice(readings),
    )


def _weeks(found: Sequence[str]) -> list[str]:
    """Fill in the weeks without a failure."""
    if not found:
        return []
    day, last = (datetime.date.fromisoformat(found[index]) for index in (0, -1))
    weeks: list[str] = []
    while day <= last:
        weeks.append(day.isoformat())
        day += datetime.timedelta(days=7)
    return weeks


def _waits(readings: Iterable[Reading], group: Callable[[Reading], str]) -> dict[str, list[float]]:
    """Return group -> seconds from the first failure of a program to its run that worked."""
    first: dict[tuple[str, str, str, float], float] = {}
    for reading in readings:
        if reading.ended is not None:
            key = (group(reading), reading.folder, reading.target, reading.ended)
            first[key] = min(first.get(key, reading.time), reading.time)
    found: dict[str, list[float]] = {}
    for (name, _, _, ended), time in first.items():
        found.setdefault(name, []).append(max(ended - time, 0.0))
    return found


def _advice(readings: Sequence[Reading]) -> tuple[Advice, ...]:
    """Return the advice that would have avoided most, first; that of single failures is left out where others repeat."""
    counts: Counter[tuple[str, str]] = Counter((reading.advice, reading.kind or "") for reading in readings if reading.advice)
    waits = _waits([reading for reading in readings if reading.advice], lambda reading: reading.advice or "")
    found = [
        Advice(
            text=text, kind=kind, count=count, seconds=round(sum(min(wait, LONGEST_WAIT) for wait in waits.get(text, ())), 1)
        )
        for (text, kind), count in counts.items()
    ]
    found.sort(key=lambda advice: (-advice.count, -advice.seconds, advice.text))
    return tuple(found[:10])
