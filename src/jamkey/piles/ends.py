"""How the run that wrote a log ended, by the log's last lines."""

from __future__ import annotations

import re
from itertools import pairwise
from statistics import median

from jamkey.model import Ended
from jamkey.piles.fold import Seen
from jamkey.piles.lines import is_log, stamp_of

#: Lines that a runtime, a shell or a scheduler may print behind the failure that ended a run.
_BEHIND = 3
#: What a logger says of a failure; any other line of its means that the run went on.
_TOLD = re.compile(rb"(?i)error|critical|fatal|fail|abort|exit|status|terminat|kill|cancel|stopp")
#: Silence before the last lines that is long: so many seconds at least, and so many times the usual one.
_LONG, _TIMES_USUAL = 600.0, 20.0


def ended(seen: Seen) -> Ended:
    """Return how a run ended."""
    rows = seen.tail.split(b"\n")
    if seen.last is not None and seen.size >= 0:
        _, end, name = seen.last
        behind = [row for row in seen.tail[max(len(seen.tail) - (seen.size - end), 0) :].split(b"\n") if row.strip()]
        went_on = any(is_log(row) and not _TOLD.search(row) for row in behind)
        if end >= seen.size - len(seen.tail) and len(behind) <= _BEHIND and not went_on:
            return "failed" if name[1] or name[2] else "cut off"
    times = [time for row in rows[1:] if (time := stamp_of(row)) is not None]
    gaps = [later - earlier for earlier, later in pairwise(times)]
    if len(gaps) >= 2 and max(gaps[-2:]) >= max(_LONG, _TIMES_USUAL * median(gaps)):
        return "hung"
    return (
        "cut off" if seen.tail and not seen.tail.endswith((b"\n", b"\r")) and times and stamp_of(rows[-1]) is None else "well"
    )
