"""A pile of logs gathered: families diagnosed once, jobs with their ends."""

from __future__ import annotations

import datetime
import math
import os
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path

import msgspec

from jamkey.errors import UsageError
from jamkey.follow.frames import locate
from jamkey.follow.sources import Sources
from jamkey.model import Jam, Job, Kin, Pile
from jamkey.piles.ends import ended
from jamkey.piles.files import PIECE, TYPED, found, is_stream, pieces
from jamkey.piles.fold import HOLE, Family, Name, Part
from jamkey.piles.last_look import LastLook, Memory
from jamkey.piles.lines import stamp_of
from jamkey.piles.workers import Asked, Task, looked, tasks_of
from jamkey.pipeline import diagnose, read
from jamkey.secrets import masked, masked_jam
from jamkey.settings import Settings, load

#: Families diagnosed, the most frequent ones; the others are read and no more.
MOST_DIAGNOSED = 200
#: Logs that a family lists, and bytes of a log within which the line of a failure is counted.
_MOST_FILES, _COUNTED = 1000, 256 << 20
_HOUR = 3600
#: Bytes of all logs below which pieces are cut finer.
_SOON = 64 << 20


def gather(
    paths: Iterable[str | os.PathLike[str]],
    *,
    root: Path | None = None,
    workers: int = 0,
    on: str = "",
    since: str = "",
    places: bool = False,
    resume: bool = False,
    kept: bool = True,
    size: int = 0,
    progress: Callable[[int, int, int], None] | None = None,
) -> Pile:
    """Look through logs and return what they failed with.

    Args:
        paths: files, folders, patterns, `-` for standard input, addresses of remote stores.
        root: the project folder, whose files are one's own; the current one by default.
        workers: processes; 0 for as many as there are processors.
        on: the address of a Dask scheduler; empty for this machine.
        since: a time (ISO 8601) before which nothing counts, or `last`: only what came after the last look.
        places: keep the place and time of every single failure.
        resume: go on with a look that was interrupted.
        kept: remember this look, so that the next one can tell what is new.
        size: bytes of a piece; 0 for what suits.
        progress: called with (bytes done, bytes in all, failures) after each task.

    Raises:
        UnreadableInput: a log is not there or cannot be read.
        UsageError: `since` is no time, or what `on` needs is not there.
        KeyboardInterrupt: it was interrupted; `Interrupted` says what was found until then.
    """
    given = [os.fspath(path) for path in paths]
    root = root or Path.cwd()
    memory = Memory(given, (since, places, size))
    last = memory.last()
    names = found(given)
    after = _after(since)
    begun = last.files if since == "last" and last is not None else {}
    size = size or _piece(names, workers)
    tasks = tasks_of(pieces(names, size=size, begun=begun), size)
    asked = Asked(str(root), places, after)
    whole = Part()
    total = sum(task.bytes for task in tasks)
    rest: list[Task] = list(tasks)
    if resume:
        rest, parts = memory.begun(tasks)
        for part in parts:
            whole.add(part)
    elif kept:
        memory.forget_begun()
    done = total - sum(task.bytes for task in rest)
    try:
        for task, part in looked(rest, asked, workers=workers, on=on, meanwhile=_load):
            if kept:
                memory.note(task, part)
            whole.add(part)
            done += task.bytes
            if progress is not None:
                progress(done, total, whole.failures)
    except KeyboardInterrupt:
        raise Interrupted(told(whole, root, last), done, total) from None
    made = told(whole, root, last)
    if kept:
        memory.keep(list(whole.families), {file: seen.size for file, seen in whole.files.items() if seen.size >= 0})
    return made


def _load() -> None:
    """Load what a diagnosis needs, by one of a failure that is nobody's."""
    text = (
        "Traceback (most recent call last):\n  File \"hive.py\", line 1, in <module>\nNameError: name 'totl' is not defined\n"
    )
    diagnose(read(text, runtime="python")[0], Sources(texts={"hive.py": "total = 1\nprint(totl)\n"}))


class Interrupted(KeyboardInterrupt):
    """A look was interrupted; what was found until then is here.

    Args:
        pile: what was found.
        done: bytes that were looked at.
        total: bytes in all.
    """

    def __init__(self, pile: Pile, done: int, total: int) -> None:
        super().__init__()
        self.pile, self.done, self.total = pile, done, total


def _piece(names: Sequence[str], workers: int) -> int:
    """Return the size of a piece: what is soon done is cut finer, so that every process has some of it."""
    total = sum(os.path.getsize(name) for name in names if name != TYPED and "://" not in name)
    return PIECE if total > _SOON else max(total // (4 * (workers or os.cpu_count() or 1)), 1 << 20)


def _after(since: str) -> float | None:
    if not since or since == "last":
        return None
    text = since if len(since) > 10 else f"{since} 00:00:00"
    time = stamp_of((text if text.count(":") > 1 else f"{text}:00").encode())
    if time is None:
        raise UsageError(f"--since {since}: give a time such as 2031-04-04T06:30, a day, or `last`")
    return time


def told(part: Part, root: Path, last: LastLook | None = None) -> Pile:
    """Return a part as a pile: its families diagnosed once each, its jobs with their ends.

    Args:
        part: of the whole pile.
        root: the project folder.
        last: the last look at it, which tells what is new.
    """
    settings = load(root)
    sources = Sources(root, confined=True)
    for file in part.files:
        if file != TYPED and "://" not in file:
            sources.ignore(file)
    known = set(last.families) if last is not None else set()
    ranked = sorted(part.families.items(), key=lambda item: (-item[1].count, item[1].file, item[1].offset, item[0]))
    kins = [
        _kin(name, family, sources, settings, fresh=name not in known, whole=place < MOST_DIAGNOSED)
        for place, (name, family) in enumerate(ranked)
    ]
    numbers = {name: place for place, (name, _) in enumerate(ranked)}
    jobs = tuple(
        Job(
            file=file,
            ended=(how := ended(seen)),
            failures=seen.failures,
            family=numbers.get(seen.last[2]) if how != "well" and seen.last is not None else None,
        )
        for file, seen in sorted(part.files.items())
        if seen.size >= 0  # of the others the end was not seen
    )
    occurrences = tuple(
        (place, file, int(offset), None if math.isnan(time) else time)
        for place, (_, family) in enumerate(ranked)
        for file, flat in sorted(family.places.items())
        for offset, time in zip(flat[::2], flat[1::2], strict=True)
    )
    return Pile(bytes=part.looked, failures=part.failures, families=tuple(kins), jobs=jobs, occurrences=occurrences)


def _kin(name: Name, family: Family, sources: Sources, settings: Settings, *, fresh: bool, whole: bool) -> Kin:
    jam = _jam(name, family)
    jam = diagnose(jam, sources, settings) if whole else locate(jam, sources, settings)
    lines = lines_at(family.file, family.offset, family.end) if whole else None
    if lines is not None:
        jam = msgspec.structs.replace(jam, first_line=lines[0], last_line=lines[1])
    files = sorted(family.files, key=lambda file: (-family.files[file], file))
    message = family.message
    if message == HOLE:  # they have no word in common: two versions of one runtime, mostly
        message = f"{(jam.message or '').partition(chr(10))[0]} {HOLE}"
    return Kin(
        exception_type=jam.exception_type,
        message=masked(message),
        kind=jam.kind,
        count=family.count,
        first=iso(family.first),
        last=iso(family.last),
        files=tuple(files[:_MOST_FILES]),
        file_count=len(files),
        hosts=tuple(sorted(family.hosts, key=lambda host: (-family.hosts[host], host))[:_MOST_FILES]),
        fresh=fresh,
        hours={iso(hour * _HOUR) or "": family.hours[hour] for hour in sorted(family.hours)},
        file=family.file,
        line=lines[0] if lines is not None else None,
        jam=masked_jam(jam),
    )


def _jam(name: Name, family: Family) -> Jam:
    """Read the one that stands for its family."""
    text = family.text.replace(b"\0", b"").decode("utf-8", "replace")
    jams = read(text, runtime=name[0]) or read(text)
    fitting = (jam for jam in jams if ((jam.exception_type or ""), (jam.kind or "")) == name[1:3])
    jam = next(fitting, jams[0] if jams else Jam(runtime=name[0], exception_type=name[1] or None, kind=name[2] or None))
    return msgspec.structs.replace(jam, count=family.count)


def iso(time: float | None) -> str | None:
    """Return a logger's time as text."""
    if time is None:
        return None
    moment = datetime.datetime.fromtimestamp(time, datetime.UTC).replace(tzinfo=None)
    return moment.isoformat(timespec="seconds" if moment.microsecond == 0 else "milliseconds")


def lines_at(file: str, offset: int, end: int) -> tuple[int, int] | None:
    """Return the lines (1-based) at two offsets of a log, the second behind a line's end; None where counting costs much."""
    if offset > _COUNTED or "://" in file or file == TYPED:
        return None
    try:
        if is_stream(file):
            return None
        count, left = 1, offset
        with open(file, "rb") as log:
            while left > 0 and (data := log.read(min(left, 1 << 20))):
                count += data.count(b"\n")
                left -= len(data)
            own = log.read(max(end - offset, 1))
    except OSError:
        return None
    return count, count + own.rstrip(b"\n").count(b"\n")


def only(pile: Pile, wanted: Sequence[str], *, fresh: bool = False) -> Pile:
    """Return a pile without the families that are not asked for; counts and jobs stay.

    Args:
        pile: gathered.
        wanted: a kind, a type, an own file, or words of a message; one of them is enough. None for all.
        fresh: only those that the last look did not know.
    """

    def fits(kin: Kin) -> bool:
        frame = kin.jam.snag_frame
        file = frame.file.rpartition("/")[2] if frame is not None else ""
        exact = {kin.kind, kin.exception_type, (kin.exception_type or "").rpartition(".")[2], file, frame.file if frame else ""}
        return not wanted or any(word in exact or word in kin.message for word in wanted)

    chosen = [place for place, kin in enumerate(pile.families) if fits(kin) and (kin.fresh or not fresh)]
    numbers = {old: new for new, old in enumerate(chosen)}
    return msgspec.structs.replace(
        pile,
        families=tuple(pile.families[place] for place in chosen),
        jobs=tuple(
            msgspec.structs.replace(job, family=numbers.get(job.family)) if job.family is not None else job for job in pile.jobs
        ),
        occurrences=tuple((numbers[row[0]], *row[1:]) for row in pile.occurrences if row[0] in numbers),
    )
