"""From a mark to the failure it belongs to: its lines, taken out of all that was written between them.

Where a failure begins, and which lines are its own, is told by the lines near by alone, so that the same failures are met
however a log is cut into pieces. Nothing is read here; a failure's `shape` is what its reading can depend on.
"""

from __future__ import annotations

import bisect
import mmap
import re
from collections.abc import Iterator
from typing import NamedTuple

import msgspec

from jamkey.piles.lines import PLAIN, Strand, decoded, host_of, in_record, is_log, record_time, stamp_of, strand_of
from jamkey.piles.marks import BLOCK, EVENT, TRACE, WORD, finder, meant
from jamkey.readers.log_events import LANGUAGE, NAMES, events

#: Bytes and lines of one failure at most; bytes behind a piece that it may reach into, and before it.
LONGEST, MOST_LINES = 400_000, 5000
AHEAD, BACK = 512 * 1024, 64 * 1024
#: Lines looked back through for a stamp, or for the sentence that joins two traces.
_STAMP_BACK, _CHAIN_BACK = 50, 80
#: Of the lines above a mark: all, those that are not set in, those of others in a row.
_ROWS_ABOVE, _LOOSE_ABOVE, _FOREIGN_ABOVE = 300, 20, 20
#: Lines that are remembered with what was asked of them.
_MOST_ROWS = 20_000
#: Of the lines below: those that are not set in, and those of them in a row that bear no mark.
_LOOSE_BELOW, _ALONE = 60, 20
#: Bytes behind a piece within which a mark of a failure stands that begins in it.
_MARKED_BEHIND = 16_384
_HEADER = b"Traceback (most recent call last)"
_SENTENCES = (b"The above exception was the direct cause", b"During handling of the above exception")
#: What the sentences share, and bytes before a header within which they are sought.
_SHARED, _CHAIN_BYTES = b"above exception", 8192
#: A trace as it mostly stands: header, set-in lines, the summary.
_USUAL = re.compile(rb"Traceback \(most recent call last\):\r?\n((?:[ \t][^\n]*\n){1,5000})([^\s][^\n]*)")
#: What shows that a record's text holds a trace.
_SIGNS = ("Traceback (", "\n    at ", "\tat ")
_FRAME_LINE = re.compile(rb'\s*(?:File "[^"]*", line \d+|(?:Cell|Input) In ?\[\d+\])')
_NUMBER = re.compile(rb"0x[0-9a-fA-F]+|(?<!Errno )(?<![A-Za-z_\d])\d+(?![A-Za-z_\d])")
#: Numbers among the words of a message; those of one figure, and those that name a place or a code, stay.
_AMONG_WORDS = re.compile(
    rb"0x[0-9a-fA-F]+|(?<= )(?<!line )(?<!rror )(?<!umn )(?<!char )(?<!atus )(?<!code )(?<!errno )(?<!ignal )\d\d+(?=[ ,.;]|$)",
    re.MULTILINE,
)
#: A line set in below another, in colours or not; a kernel points at the line it was at.
_SET_IN = re.compile(rb"(?:\x1b\[[\d;]{0,20}m)*(?:[ \t]|-+> ?(?:\x1b\[[\d;]{0,20}m)*\d)")
#: In a line that reads like a log's and is a runtime's own.
_WHOLE = (b"ncaught ", b":CONSOLE:")


class Met(NamedTuple):
    """One failure in a buffer."""

    #: Offset of its first line, and behind its last.
    start: int
    end: int
    #: Its own lines, as its runtime printed them.
    text: bytes
    #: The same without the numbers that tell nothing of what it is.
    shape: bytes
    #: Whose it must be; empty for any.
    runtime: str
    #: Seconds since 1970 by the logger, and the machine it names.
    stamp: float | None
    host: str
    #: Its message, where a record names it.
    message: str | None = None
    #: Of a block: where each of its lines begins, and behind the last; the failure is the one that the marked line is of.
    rows: tuple[int, ...] = ()
    marked: int = 0
    #: Whether nobody else's lines lie between those of the block.
    alone: bool = False


class _Marked:
    """Where the marks of blocks stand."""

    def __init__(self, places: list[int]) -> None:
        self.places = places

    def first_in(self, start: int, stop: int) -> int | None:
        """Return the first mark between two offsets, or None."""
        place = bisect.bisect_left(self.places, start)
        return self.places[place] if place < len(self.places) and self.places[place] < stop else None


class _Row(NamedTuple):
    """A line, and what is asked of it."""

    start: int
    #: Where the next one begins.
    following: int
    text: bytes
    #: Whether a logger wrote it; whether it is set in below another; whether a block's mark stands in it.
    logged: bool
    set_in: bool
    marked: bool
    #: Without the numbers that tell nothing of what it is.
    shape: bytes


class _Rows:
    """The lines around marks, each looked at once: the surroundings of marks that stand close lie across one another."""

    def __init__(self, data: bytes, marked: _Marked) -> None:
        self.data, self.marked = data, marked
        self._known: dict[int, _Row] = {}
        self._above: dict[int, int] = {}

    def at(self, start: int) -> _Row:
        """Return the line that begins at an offset."""
        row = self._known.get(start)
        if row is None:
            if len(self._known) >= _MOST_ROWS:
                self._known.clear()
                self._above.clear()
            end = self.data.find(b"\n", start)
            end = len(self.data) if end < 0 else end
            text = self.data[start : min(end, start + LONGEST)].rstrip(b"\r")
            row = self._known[start] = self.told(start, end + 1, text)
        return row

    def told(self, start: int, following: int, text: bytes) -> _Row:
        """Return a line with what is asked of it, its text being what a strand has of it."""
        marked = self.marked.first_in(start, following) is not None
        return _Row(start, following, text, is_log(text), _SET_IN.match(text) is not None, marked, _shaped(text))

    def above(self, start: int) -> int | None:
        """Return where the line before the one at an offset begins; None at the beginning."""
        if start <= 1:
            return None
        found = self._above.get(start)
        if found is None:
            found = self._above[start] = self.data.rfind(b"\n", 0, start - 1) + 1
        return found


def _shaped(text: bytes) -> bytes:
    return text if text[:1] in (b" ", b"\t") else _AMONG_WORDS.sub(b"0", text)


class Cut:
    """The failures in a part of a log.

    Args:
        data: of a log, beginning with a line end, with some of what stands before and behind.
        start: of the part looked at.
        stop: of the part looked at.
        year: for stamps that name none.
    """

    def __init__(self, data: bytes | mmap.mmap, start: int, stop: int, *, year: int = 1970) -> None:
        self.data, self.start, self.stop, self.year = data, start, stop, year
        #: Marks of blocks before this offset are passed over: the failure they are of was read.
        self.read_to = -1

    def owns(self, begin: int) -> bool:
        """Tell whether a failure that begins there is one of this part."""
        return self.start <= begin < self.stop

    def __iter__(self) -> Iterator[Met]:
        """Yield them in order of their marks; of a block only its reading tells where the failure begins."""
        return _cut(self)


def _cut(part: Cut) -> Iterator[Met]:
    data, start, stop, year = part.data, part.start, part.stop, part.year
    marks = finder()(data, 0)  # those before the part tell where a block that reaches into it begins
    if not marks or marks[-1][0] < start:
        return
    if not isinstance(data, bytes):
        data = data[:]
    resolved = [mark for at, way in marks if (mark := meant(data, at) if way == WORD else (at, way)) is not None]
    resolved = [(at, _way(data, at) if way == TRACE else way) for at, way in resolved]
    marked = _Marked([at for at, way in resolved if way == BLOCK])
    rows = _Rows(data, marked)
    seen: set[int] = set()
    done = row_of_block = -1
    for at, way in resolved:
        if at < max(done, start):
            continue
        begin = data.rfind(b"\n", max(at - LONGEST, 0), at) + 1
        if not begin:
            continue  # deep in a line that nobody wrote for reading
        if data[begin : begin + 1] == b"{" and in_record(line := _line(data, at)[2]) is None:
            done = begin + len(line)  # one record, whatever stands in it
            found = _event(data, at)
            if found is not None and part.owns(found.start):
                yield found
            continue
        if way == TRACE:
            found = _trace(data, at, year) if begin < stop else None
        elif way == EVENT:
            found = _event(data, at)
        elif way == BLOCK:
            if begin == row_of_block and not rows.at(begin).logged:
                continue  # another mark of the same line leads to the same
            if at >= part.read_to and at < stop + _MARKED_BEHIND and not _goes_on(data, begin, marked):
                row_of_block = begin
                yield _block(rows, at, year)
            continue
        else:
            found = _bare(data, at, year)
        if found is not None and part.owns(found.start) and found.start not in seen:
            seen.add(found.start)
            yield found


def _goes_on(data: bytes, begin: int, marked: _Marked) -> bool:
    """Tell a set-in line below another that bears a mark: that one leads to the same failure."""
    above = data.rfind(b"\n", max(begin - LONGEST, 0), begin - 1) + 1
    return data[begin : begin + 1] in (b" ", b"\t") and marked.first_in(above, begin) is not None


def _way(data: bytes, at: int) -> str:
    """Return what a header leads to: a notebook's kernel words it without a colon."""
    behind = at + len(_HEADER)
    return TRACE if data[behind : behind + 1] == b":" else BLOCK


def _line(data: bytes, at: int) -> tuple[int, int, bytes]:
    """Return where the line at an offset begins, where the next one does, and its text."""
    start = data.rfind(b"\n", 0, at) + 1
    end = data.find(b"\n", at)
    following = end + 1 if end >= 0 else len(data)
    return start, following, data[start : min(end if end >= 0 else len(data), start + LONGEST)].rstrip(b"\r")


def _after(data: bytes, at: int) -> Iterator[tuple[int, bytes]]:
    """Yield (where the next line begins, text) of the lines from an offset on."""
    stop = min(len(data), at + LONGEST)
    while at < stop:
        end = data.find(b"\n", at)
        end = len(data) if end < 0 else end
        yield end + 1, data[at:end].rstrip(b"\r")
        at = end + 1


def _before(data: bytes, at: int) -> Iterator[tuple[int, bytes]]:
    """Yield (where it begins, text) of the lines before a line's beginning, the nearest first."""
    while at > 1:
        start = data.rfind(b"\n", 0, at - 1) + 1
        yield start, data[start : at - 1].rstrip(b"\r")
        at = start


def _stamp(data: bytes, start: int, line: bytes, year: int) -> float | None:
    """Return when a failure was logged: by its own line, else by the nearest before it that tells."""
    found = stamp_of(line, year)
    if found is None:
        for count, (_, other) in enumerate(_before(data, start)):
            if count >= _STAMP_BACK:
                break
            if is_log(other) and (found := stamp_of(other, year)) is not None:
                break
    return found


def _trace(data: bytes, at: int, year: int) -> Met | None:
    """Take a trace of Python's whose header stands at an offset; None for the later ones of a chain."""
    start, after, line = _line(data, at)
    before = data[start:at]
    if not before and (usual := _USUAL.match(data, at)) is not None:
        end = usual.end() + 1
        following = data[end : data.find(b"\n", end) if data.find(b"\n", end) >= 0 else len(data)]
        summary = usual[2].rstrip(b"\r")
        told = is_log(summary) or _HEADER in summary
        if not told and (is_log(following) or (not following and end >= len(data))) and not _joined(data, start, PLAIN):
            begins = _HEADER + b":\n" + usual[1].replace(b"\r", b"")
            text, shape = begins + summary, begins + _NUMBER.sub(b"0", summary)
            return Met(start, min(end, len(data)), text, shape, "python", _stamp(data, start, b"", year), "")
    following = data[after : after + 200].partition(b"\n")[0]
    if b"Exception Group" in before:
        return _group(data, start, before, year)
    strand, _ = strand_of(line, following, before)
    if _joined(data, start, strand):
        return None
    lines, end = _chain(data, after, strand)
    text = b"\n".join([line[at - start :], *lines])
    shape = b"\n".join([_HEADER + b":", *(row if row[:1] in (b" ", b"\t") else _NUMBER.sub(b"0", row) for row in lines)])
    return Met(start, end, text, shape, "python", _stamp(data, start, line, year), strand.host)


def _joined(data: bytes, start: int, strand: Strand) -> bool:
    """Tell the later traces of a chain by the sentence before them in the same strand."""
    low = max(start - _CHAIN_BYTES, 0)
    said = data.rfind(_SHARED, low, start)
    if said < 0 or (strand is PLAIN and data.find(b'\n  File "', said, start) >= 0):
        return False
    if data.rfind(_HEADER, max(said - _CHAIN_BYTES, 0), said) < 0:
        return False  # the cause had no trace: the failure begins here
    for count, (_, line) in enumerate(_before(data, start)):
        if count >= _CHAIN_BACK + strand.foreign:
            return False
        body = strand.body(line)
        if body is not None and body.strip():
            return body.strip(b" |").startswith(_SENTENCES)
    return False


def _chain(data: bytes, at: int, strand: Strand) -> tuple[list[bytes], int]:
    """Take the lines of a strand behind a header: frames, summary, and further traces that a sentence joins."""
    kept: list[bytes] = []
    pending: list[bytes] = []
    state, foreign, end = "frames", 0, at
    for following, line in _after(data, at):
        body = strand.body(line)
        if body is None:
            foreign += 1
            if foreign > strand.foreign:
                break
            continue
        foreign = 0
        set_in = body[:1] in (b" ", b"\t")
        if len(kept) >= MOST_LINES:
            break
        if not body.strip():
            pending.append(b"")
            continue
        if _HEADER in body and state != "joined":
            break  # the next failure: this one was cut off
        if state == "frames":
            state = "frames" if set_in else "after"
        elif state == "after":
            if body.startswith(_SENTENCES):
                state = "joined"
            elif pending or not (set_in or kept[-1].endswith(b":")):
                break
        elif _HEADER in body or _FRAME_LINE.match(body):
            state = "frames"
        else:
            break
        kept += [*pending, body]
        pending.clear()
        end = following
    return kept, min(end, len(data))


def _group(data: bytes, start: int, before: bytes, year: int) -> Met:
    """Take an exception group: every line behind a margin of bars."""
    kept: list[bytes] = []
    end = start
    for following, line in _after(data, start):
        if kept and not line.lstrip(b" ").startswith((b"|", b"+")):
            break
        kept.append(line)
        end = following
    text = b"\n".join(kept)
    return Met(start, min(end, len(data)), text, _NUMBER.sub(b"0", text), "python", _stamp(data, start, b"", year), "")


def _bare(data: bytes, at: int, year: int) -> Met | None:
    """Take a syntax error that Python prints without a header: its place stands some lines above."""
    if at and data[at - 1 : at] != b"\n":
        return None  # within a line
    start, end, line = _line(data, at)
    rows = [line]
    for count, (place, row) in enumerate(_before(data, start)):
        if count > 5 or is_log(row):
            return None
        rows.insert(0, row)
        if _FRAME_LINE.match(row):
            above = next((body for _, body in _before(data, place) if body.strip()), b"")
            if _HEADER in above or above.startswith((b"  ", b"\t")):
                return None  # the last frame of a trace, which its header leads to
            text = b"\n".join(rows)
            return Met(place, end, text, text, "python", _stamp(data, place, b"", year), "")
    return None


def _event(data: bytes, at: int) -> Met | None:
    """Take the failure that a record of JSON carries: an exception's attributes, or a text that holds a trace."""
    start, end, line = _line(data, at)
    opens = line.find(b"{")
    record = decoded(line[opens:]) if 0 <= opens < 200 else None
    if record is None:
        return None
    stamp, host = record_time(record), host_of(record)
    stamp = stamp if stamp is not None else _stamp(data, start, line, 1970)
    told = list(events(record)) if b'"exception' in line else []
    if told:
        own = [{name: _numberless(names[name]) for name in (*NAMES, LANGUAGE) if name in names} for names in told]
        shape = b"\n".join(map(msgspec.json.encode, own))
        last = told[0].get("exception.stacktrace", "").rstrip().rpartition("\n")[2].partition(": ")[2]
        message = told[0].get("exception.message", last).partition("\n")[0]
        return Met(start, end, line[opens:], shape, "", stamp, host, message)
    trace = next((text for text in _texts(record) if "\n" in text.rstrip() and any(sign in text for sign in _SIGNS)), None)
    if trace is None:
        return None
    runtime = "python" if "Traceback (" in trace else ""
    text, shape = (form.encode("utf-8", "replace") for form in (trace, _numberless(trace)))
    return Met(start, end, text, shape, runtime, stamp, host)


def _numberless(text: str) -> str:
    """Return a text without the numbers in what is not set in, as frames are."""
    return "\n".join(
        row if row[:1] in (" ", "\t") else _NUMBER.sub(b"0", row.encode("utf-8", "replace")).decode()
        for row in text.split("\n")
    )


def _texts(value: object) -> Iterator[str]:
    """Yield the texts of a record."""
    pending: list[object] = [value]
    for _ in range(500):
        if not pending:
            return
        item = pending.pop()
        if isinstance(item, str):
            yield item
        elif isinstance(item, (dict, list)):
            pending += list(item.values() if isinstance(item, dict) else item)[:200]


def _block(rows: _Rows, at: int, year: int) -> Met:
    """Take the lines around a mark in which its failure must lie: up to the log's, and not many that are not set in.

    Which of them are the failure's only its reading tells, which gives the same from every mark that the failure has.
    """
    data, marked = rows.data, rows.marked
    start, after, line = _line(data, at)
    logged = is_log(line) and not any(words in line for words in _WHOLE)
    strand, body = strand_of(line, data[after : after + 200].partition(b"\n")[0], data[start:at] if logged else b"")
    wrapped = strand is not PLAIN
    own = line[at - start :] if logged and not wrapped else body
    kept = [rows.told(start, after, own)]
    loose = foreign = 0
    place = rows.above(start) if wrapped or not logged else None
    while place is not None and len(kept) <= _ROWS_ABOVE:
        row = _of_strand(rows, place, strand)
        place = rows.above(place)
        foreign = foreign + 1 if row is None else 0
        if foreign > _FOREIGN_ABOVE:
            break
        if row is None:
            continue
        if row.logged:
            if row.marked and not wrapped:
                mark = marked.first_in(row.start, row.following) or row.start
                kept.append(rows.told(row.start, row.following, row.text[mark - row.start :]))  # behind a logger's words
            break
        loose += not row.set_in
        if loose > _LOOSE_ABOVE:
            break
        kept.append(row)
    kept.reverse()
    above = len(kept) - 1
    here, loose, alone, foreign = after, 0, 0, 0
    stop = min(len(data), after + LONGEST)
    while here < stop and len(kept) < MOST_LINES:
        row = _of_strand(rows, here, strand)
        foreign = foreign + 1 if row is None else 0
        if foreign > strand.foreign:
            break
        if row is None:
            here = rows.at(here).following
            continue
        alone = 0 if row.set_in or row.marked else alone + 1
        loose += not row.set_in
        if row.logged or alone > _ALONE or loose > _LOOSE_BELOW:
            break
        kept.append(row)
        here = row.following
    text = b"\n".join([row.text for row in kept]).rstrip()
    shape = b"\n".join([row.shape for row in kept]).rstrip()
    stamp = stamp_of(line, year) if is_log(line) else None
    if stamp is None:
        stamp = _stamp_above(rows, kept[0].start, year)
    places = (*(row.start for row in kept), here)
    return Met(
        kept[0].start, min(here, len(data)), text, shape, "", stamp, strand.host, rows=places, marked=above, alone=not wrapped
    )


def _of_strand(rows: _Rows, place: int, strand: Strand) -> _Row | None:
    """Return the line that begins at an offset as its strand has it; None where it is another's."""
    row = rows.at(place)
    if strand is PLAIN:
        return row
    own = strand.body(row.text)
    return None if own is None else rows.told(row.start, row.following, own)


def _stamp_above(rows: _Rows, start: int, year: int) -> float | None:
    """Return when the nearest line of a logger before an offset was written."""
    place = rows.above(start)
    for _ in range(_STAMP_BACK):
        if place is None:
            return None
        row = rows.at(place)
        if row.logged and (found := stamp_of(row.text, year)) is not None:
            return found
        place = rows.above(place)
    return None
