"""Lines of a log: what stands before them, whose they are, when they were written."""

from __future__ import annotations

import datetime
import functools
import re
from collections.abc import Callable
from typing import NamedTuple

import msgspec

#: What begins a line of a log and never one of a trace.
LOG_LINE = re.compile(
    rb"\d{4}-\d\d-\d\d[T ]|\d\d/\d\d/\d{2,4} |\d\d:\d\d(?::\d\d)?[ .,\]]|\[\d|\[[A-Z]+\]|[{<]|"
    rb"(?:DEBUG|INFO|WARNING|WARN|ERROR|CRITICAL)\b[^:]|(?:DEBUG|INFO|WARNING|WARN|CRITICAL):|"
    rb"[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d |Exception ignored |Task exception was never|future: <|\S{1,60} +\| "
)
_CONTAINER = re.compile(rb"(\S{10,40}) (stdout|stderr) [FP] ")
_JOURNAL = re.compile(
    rb"((?:[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d)|(?:\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d[\d.]*(?:Z|[+-]\d\d:?\d\d)))"
    rb" ([\w.-]{1,64}) ([\w./@-]{1,64}(?:\[\d+\])?): "
)
_WRITER = re.compile(rb"(\S{1,60}) +\| ")
_STAMP = re.compile(rb"(\d{4})-(\d\d)-(\d\d)[T ](\d\d):(\d\d):(\d\d)(?:[.,](\d{1,9}))?(Z| ?[+-]\d\d:?\d\d)?")
_SYSLOG_STAMP = re.compile(rb"([A-Z][a-z]{2}) ([ \d]\d) (\d\d):(\d\d):(\d\d)")
_MONTHS = {name: number for number, name in enumerate(b"Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split(), 1)}
#: A time in a pattern that was escaped.
_TIMES_IN = re.compile(rb"(?:\d{4}\\-\d\d\\-\d\d(?:T|\\ ))?\d\d:\d\d:\d\d(?:(?:\\\.|,)\d+)?Z?")
#: Where records of JSON keep their time, text and machine.
_TIMES = ("timestamp", "@timestamp", "time", "ts", "asctime", "__REALTIME_TIMESTAMP", "timeUnixNano", "observedTimeUnixNano")
_HOSTS = ("host", "hostname", "host.name", "_HOSTNAME")


class Strand(NamedTuple):
    """The lines of one writer among others."""

    #: The line's own text, or None where it is somebody else's.
    body: Callable[[bytes], bytes | None]
    host: str = ""
    #: Lines of others in a row that may lie between.
    foreign: int = 200


def is_log(line: bytes) -> bool:
    """Tell a line of a log from one of a trace."""
    return LOG_LINE.match(line) is not None


def _plain_body(line: bytes) -> bytes | None:
    return None if LOG_LINE.match(line) is not None else line


PLAIN = Strand(_plain_body, foreign=60)


def strand_of(line: bytes, following: bytes, before: bytes) -> tuple[Strand, bytes]:
    """Return whose line it is, and its own text.

    Args:
        line: where a mark stands.
        following: the line behind it.
        before: what stands before the mark on its line.
    """
    if not before.strip() and line[:1] != b"{":
        return PLAIN, line
    wrapped = _wrapped(line)
    if wrapped is not None:
        return wrapped
    if before[:1] == b"{" or following.startswith((b"  ", b"\t")):
        return PLAIN, line[len(before) :]  # the logger's own line, and the trace below it stands bare
    # the same words before each line; a time among them goes on
    words = re.compile(_TIMES_IN.sub(lambda match: rb"[\\d.,:TZ+ -]{%d,40}" % (len(match[0]) // 2), re.escape(before)))
    bare = before.rstrip()

    def body(other: bytes) -> bytes | None:
        match = words.match(other)
        return other[match.end() :] if match is not None else b"" if other == bare else None

    return Strand(body), line[len(before) :]


def _wrapped(line: bytes) -> tuple[Strand, bytes] | None:
    """Return the strand of what a container, a journal or a supervisor puts before each line."""
    if (match := _CONTAINER.match(line)) is not None:
        return Strand(_behind(_CONTAINER, 2, match[2])), line[match.end() :]
    if (match := _JOURNAL.match(line)) is not None:
        own = match[2] + b" " + match[3]

        def body(other: bytes) -> bytes | None:
            found = _JOURNAL.match(other)
            return other[found.end() :] if found is not None and found[2] + b" " + found[3] == own else None

        return Strand(body, match[2].decode("utf-8", "replace")), line[match.end() :]
    if (match := _WRITER.match(line)) is not None:
        return Strand(_behind(_WRITER, 1, match[1])), line[match.end() :]
    record = in_record(line)
    if record is None:
        return None
    writer, text, host = record

    def of_record(other: bytes) -> bytes | None:
        found = in_record(other)
        return found[1] if found is not None and found[0] == writer else None

    return Strand(of_record, host), text


def _behind(pattern: re.Pattern[bytes], group: int, wanted: bytes) -> Callable[[bytes], bytes | None]:
    def body(line: bytes) -> bytes | None:
        match = pattern.match(line)
        return line[match.end() :] if match is not None and match[group] == wanted else None

    return body


def in_record(line: bytes) -> tuple[str, bytes, str] | None:
    """Return (writer, line of text, machine) of a record that wraps one line: a container's, or one of the journal."""
    if not line.startswith(b"{") or (b'"log"' not in line and b'"MESSAGE"' not in line):
        return None
    record = decoded(line)
    if record is None:
        return None
    text = record.get("log", record.get("MESSAGE"))
    if not isinstance(text, str) or "\n" in text.rstrip("\n"):
        return None
    host = host_of(record)
    return f"{record.get('stream')} {host} {record.get('_PID')}", text.rstrip("\r\n").encode("utf-8", "replace"), host


def decoded(line: bytes) -> dict[str, object] | None:
    """Return a record of JSON, or None."""
    try:
        record = msgspec.json.decode(line)
    except (msgspec.DecodeError, RecursionError):
        return None
    return record if isinstance(record, dict) else None


def host_of(record: dict[str, object]) -> str:
    """Return the machine that a record names."""
    found = next((record[name] for name in _HOSTS if isinstance(record.get(name), (str, dict))), "")
    return str(found.get("name", "")) if isinstance(found, dict) else str(found)


def stamp_of(line: bytes, year: int = 1970) -> float | None:
    """Return when a line was written, by its logger: seconds since 1970, a time without a zone taken as it stands.

    Args:
        line: of a log.
        year: for stamps that name none.
    """
    match = _STAMP.search(line, 0, 120)
    if match is not None:
        day = _day(match[1], match[2], match[3])
        if day is None:
            return None
        time = day + 3600 * int(match[4]) + 60 * int(match[5]) + int(match[6])
        zone = match[8]
        if zone is not None and zone != b"Z":
            zone = zone.strip()
            minutes = int(zone[1:3]) * 60 + int(zone[-2:])
            time += -60 * minutes if zone[:1] == b"+" else 60 * minutes
        return time + (float(b"0." + match[7]) if match[7] else 0.0)
    match = _SYSLOG_STAMP.match(line)
    if match is not None and match[1] in _MONTHS:
        try:
            day, hour, minute, second = map(int, match.group(2, 3, 4, 5))
            moment = datetime.datetime(year, _MONTHS[match[1]], day, hour, minute, second, tzinfo=datetime.UTC)
            return moment.timestamp()
        except ValueError:
            return None
    if line[:1] == b"{" and (record := decoded(line)) is not None:
        return record_time(record)
    return None


@functools.lru_cache(maxsize=1024)
def _day(year: bytes, month: bytes, day: bytes) -> float | None:
    """Return when a day begins; None for one that is not in the calendar."""
    try:
        return datetime.datetime(int(year), int(month), int(day), tzinfo=datetime.UTC).timestamp()
    except ValueError:
        return None


def record_time(record: dict[str, object]) -> float | None:
    """Return the time of a record: text, or seconds, milliseconds, microseconds or nanoseconds since 1970."""
    for name in _TIMES:
        value = record.get(name)
        if isinstance(value, str) and not value.replace(".", "", 1).isdigit():
            found = stamp_of(value.encode("utf-8", "replace"))
            if found is not None:
                return found
        elif isinstance(value, (str, int, float)) and not isinstance(value, bool):
            number = float(value)
            while number > 1e11:  # a year above 5000: smaller units
                number /= 1000.0
            return number
    return None
