"""The values that flow through Jam Key: all frozen, all keyword-only, all JSON-ready.

Positions: lines are 1-based; columns are 1-based and count characters (code points); spans are half-open,
so `end_column` is the first column that no longer belongs. Times are seconds. Readers convert from
whatever base their runtime prints; nothing behind them does.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import msgspec

if TYPE_CHECKING:
    from pandas import DataFrame

Owner = Literal["yours", "library", "runtime"]
Phase = Literal["compile", "run", "hang", "quiet"]
Relation = Literal["caused-by", "while-handling", "member-of", "carried-by"]
Outcome = Literal["runs", "moved", "same", "worse", "timeout", "untried"]

FORMAT = "jamkey/1"


class Struct(msgspec.Struct, frozen=True, kw_only=True):
    """The base of all values."""


class Value(Struct, frozen=True, kw_only=True):
    """A value as it was described when the program stopped; never the object itself."""

    #: A name, or a source expression such as `row[i + 1]`, as written in the frame's code.
    name: str
    #: The type's own name, with its module unless builtin.
    type: str
    #: A short bounded text, secrets masked.
    text: str
    #: Number of items, where the object has one.
    length: int | None = None
    #: Sizes along each axis, for arrays and tables.
    shape: tuple[int, ...] | None = None
    #: Element type(s), for arrays and tables.
    dtype: str | None = None
    #: Column names for tables, keys for mappings, attribute names for objects; bounded.
    members: tuple[str, ...] = ()


class Place(Struct, frozen=True, kw_only=True):
    """A span in a file."""

    file: str
    #: 1-based.
    line: int
    #: 1-based, in characters.
    column: int = 1
    end_line: int | None = None
    #: Exclusive.
    end_column: int | None = None


class Frame(Struct, frozen=True, kw_only=True):
    """One call on the stack. In a jam they stand outermost first, whatever the runtime prints."""

    file: str
    #: 1-based; null where the runtime gives none.
    line: int | None = None
    #: 1-based, in characters; null where it is not known.
    column: int | None = None
    end_line: int | None = None
    #: Exclusive.
    end_column: int | None = None
    #: As the runtime names it.
    function: str | None = None
    #: Whose code it is: yours, library or runtime.
    owner: Owner = "yours"
    #: Place in a notebook's list of cells, from 0; null elsewhere.
    cell: int | None = None
    #: The line's text without its indentation.
    source: str | None = None
    #: Span of the runtime's own mark within `source`, 1-based and half-open; the file columns follow from it
    #: once the file's own indentation is known.
    marked: tuple[int, int] | None = None
    values: tuple[Value, ...] = ()
    #: How many further identical frames the runtime folded into this one.
    repeated: int = 0
    #: The line that the trace names, where the file has changed since and its text now stands on `line`.
    was_line: int | None = None
    #: Whether the file has changed since the trace was printed, so that its lines are no longer those of the trace.
    changed: bool = False


class Step(Struct, frozen=True, kw_only=True):
    """One hand-over of a bad value, on the way from the snag back to the root."""

    file: str
    line: int
    #: Place in a notebook's list of cells, from 0; null elsewhere.
    cell: int | None = None
    #: assigned, passed, returned, read, typed, defaulted, fell-off, defined, used, looked-up, put in
    what: str
    #: The code or data at that place.
    text: str


class Root(Struct, frozen=True, kw_only=True):
    """A place to change, with the steps that lead there from the snag."""

    file: str
    line: int
    column: int = 1
    #: Place in a notebook's list of cells, from 0; null elsewhere.
    cell: int | None = None
    reason: str = ""
    steps: tuple[Step, ...] = ()
    #: 0 to 1.
    confidence: float = 0.5
    #: How it is known: watched (in a run), followed (in the source), data, search (an edit here makes it run), text.
    known: str = ""


class Edit(Struct, frozen=True, kw_only=True):
    """Replace the half-open span by `new_text`; an insertion has an empty span."""

    file: str
    line: int
    column: int
    end_line: int
    end_column: int
    new_text: str
    #: Place in a notebook's list of cells, from 0; lines then count within the cell. Null elsewhere.
    cell: int | None = None


class Trial(Struct, frozen=True, kw_only=True):
    """What happened when a key was tried on a copy."""

    outcome: Outcome = "untried"
    #: For `moved` and `worse`: the next failure in one line.
    next: str | None = None
    #: What the program printed that it did not print before; bounded.
    printed: str = ""
    #: Wall time of the trial in seconds.
    seconds: float | None = None
    #: Files below the project that the program made or changed, relative; bounded.
    writes: tuple[str, ...] = ()
    #: What the trial was kept from doing outside of its folders, in words; a key of which this is so counts as untried.
    refused: tuple[str, ...] = ()


class Key(Struct, frozen=True, kw_only=True):
    """One typical fix. `edits` is empty when the change lies outside the code (install, data)."""

    id: str
    title: str
    reason: str
    #: 0 to 1; after trials the outcome counts first.
    confidence: float
    edits: tuple[Edit, ...] = ()
    trial: Trial = Trial()
    #: True when the key lets the program go on without doing the failing work.
    skips_work: bool = False


class Change(Struct, frozen=True, kw_only=True):
    """One change of a name's value."""

    #: Seconds since the recorder began.
    seconds: float
    file: str
    #: The line that made the change.
    line: int
    function: str
    name: str
    #: Described as a snapshot's values are; None when the name had no value in this call before.
    old: str | None
    new: str
    type: str


class Link(Struct, frozen=True, kw_only=True):
    """Another jam that belongs to this one."""

    #: caused-by, while-handling, member-of, carried-by.
    relation: Relation
    jam: Jam


class TableStep(Struct, frozen=True, kw_only=True):
    """A table that a line of a watched run gave a name."""

    file: str
    #: 1-based.
    line: int
    name: str
    #: Rows of the largest table that it was made from; null where it was made from none.
    rows_before: int | None = None
    rows_after: int
    #: Missing values in all tables that it was made from; null where it was made from none.
    gaps_before: int | None = None
    gaps_after: int
    #: How often the line did so; the numbers are those of the last time.
    times: int = 1


class Jam(Struct, frozen=True, kw_only=True):
    """One failure, read."""

    #: Such as python, javascript, r.
    runtime: str
    #: As the runtime says it, such as 3.11.7.
    runtime_version: str | None = None
    #: compile: it never started; run; hang: stopped by a limit or by hand; quiet: nothing was raised and the result is wrong.
    phase: Phase = "run"
    #: In the runtime's own words; null where it names none.
    exception_type: str | None = None
    #: As printed, without what the readers recognise as a later addition.
    message: str | None = None
    #: What the runtime words it as in English, where it printed it in another language.
    english: str | None = None
    #: One of the universal kinds.
    kind: str | None = None
    #: Named facts from the phrase table: `name`, `index`, `member`, `path` ...; `odd`: what a watched run saw, by place.
    facts: dict[str, str] = {}
    #: Outermost first.
    frames: tuple[Frame, ...] = ()
    #: Index into `frames`, or null when no frame is yours.
    snag: int | None = None
    #: Best guess first.
    roots: tuple[Root, ...] = ()
    #: What it means, in plain words.
    meaning: str = ""
    #: Likely causes, most likely first.
    causes: tuple[str, ...] = ()
    #: What to look at now.
    look_at: str = ""
    #: How to avoid it next time.
    avoid: str = ""
    #: What the reading did not look at, because it is too long or there was no time.
    left_out: tuple[str, ...] = ()
    #: Typical fixes, best first.
    keys: tuple[Key, ...] = ()
    #: What a watched run that ended well did with its tables, in the order of the lines.
    watched: tuple[TableStep, ...] = ()
    #: Failures that belong to this one.
    chain: tuple[Link, ...] = ()
    #: How often the same failure stood in the text.
    count: int = 1
    #: First and last line (1-based) in the text it was read from; null when captured live.
    first_line: int | None = None
    last_line: int | None = None

    @property
    def snag_frame(self) -> Frame | None:
        """The innermost frame that is yours, or None."""
        return None if self.snag is None else self.frames[self.snag]

    @property
    def wording(self) -> str | None:
        """The message in English, whatever language it was printed in."""
        return self.english or self.message

    @property
    def headline(self) -> str:
        """Type and message as the runtime words them, in one line."""
        first = (self.message or "").split("\n", 1)[0]
        if self.exception_type and first:
            return f"{self.exception_type}: {first}"
        return self.exception_type or first or "(nothing was raised)"


class Finding(Struct, frozen=True, kw_only=True):
    """Something seen in source or data before a run."""

    file: str
    #: 1-based.
    line: int
    column: int = 1
    end_line: int | None = None
    #: Exclusive.
    end_column: int | None = None
    cell: int | None = None
    #: The rule's name, with which it can be silenced.
    rule: str
    #: The kind of failure it would lead to.
    kind: str
    reason: str
    #: What the edits do, in the imperative; empty without.
    title: str = ""
    edits: tuple[Edit, ...] = ()


class Report(Struct, frozen=True, kw_only=True):
    """What the JSON output holds."""

    format: str = FORMAT
    jams: tuple[Jam, ...] = ()


class OddCell(Struct, frozen=True, kw_only=True):
    """A data cell that does not fit its column."""

    #: 1-based, the headings' row included, as a spreadsheet counts.
    row: int
    column: str
    #: As a spreadsheet names it, such as C17.
    address: str
    #: 1-based line in the file; null for workbooks and tables in memory.
    line: int | None = None
    #: Its text, with invisible characters made visible; bounded.
    value: str
    why: str
    #: The value that was meant; empty for a missing one, null where it is not safe to say.
    meant: str | None = None


class Column(Struct, frozen=True, kw_only=True):
    """What a column mostly is."""

    name: str
    #: number, date, boolean or text.
    sort: str
    #: Of dates, in the notation of strftime.
    form: str | None = None
    #: Cells that fit, are missing, do not fit.
    fit: int
    missing: int
    odd: int
    #: Why cells do not fit -> how many.
    whys: dict[str, int] = {}


class CellReport(Struct, frozen=True, kw_only=True):
    """A table, looked through."""

    format: str = FORMAT
    rows: int
    columns: tuple[Column, ...]
    #: The first ones; `odd` counts all.
    cells: tuple[OddCell, ...] = ()
    odd: int = 0
    #: The line of code that reads the table as it is meant.
    reading: str = ""


class CheckReport(Struct, frozen=True, kw_only=True):
    """What the JSON output of `check` holds."""

    format: str = FORMAT
    findings: tuple[Finding, ...] = ()


#: How a run ended, by its log.
Ended = Literal["well", "failed", "cut off", "hung"]

PILE_FORMAT = "jamkey-pile/1"


class Kin(Struct, frozen=True, kw_only=True):
    """One family of a pile: failures of the same runtime, type and kind on the same way through one's own lines."""

    exception_type: str | None = None
    #: With a hole (…) where the members differ.
    message: str = ""
    kind: str | None = None
    count: int
    #: By the loggers, ISO 8601 without a zone where they name none; null where none stood near.
    first: str | None = None
    last: str | None = None
    #: The logs it stands in, most of it first; bounded.
    files: tuple[str, ...] = ()
    #: In how many logs it stands.
    file_count: int = 0
    #: Machines that the logs name.
    hosts: tuple[str, ...] = ()
    #: Whether the last look at this pile did not know it.
    fresh: bool = True
    #: Hour (ISO 8601) -> count.
    hours: dict[str, int] = {}
    #: Where the one that is read stands: log, and line (1-based) where it is known.
    file: str = ""
    line: int | None = None
    #: The first by file and place, read; it stands for all.
    jam: Jam


class Job(Struct, frozen=True, kw_only=True):
    """One log as the run that wrote it."""

    file: str
    #: well, failed, cut off (the text ends within a line or a trace) or hung (no line for long before the end).
    ended: Ended
    failures: int
    #: Place (from 0) of the family with which it ended, or null.
    family: int | None = None


class Pile(Struct, frozen=True, kw_only=True):
    """What very many runs failed with."""

    format: str = PILE_FORMAT
    #: Bytes of text that were looked at.
    bytes: int
    failures: int
    #: Most frequent first.
    families: tuple[Kin, ...] = ()
    jobs: tuple[Job, ...] = ()
    #: (place of the family, log, offset in bytes, seconds since 1970 or null) of every failure, where that was asked for.
    occurrences: tuple[tuple[int, str, int, float | None], ...] = ()

    def table(self) -> DataFrame:
        """Return the families as a table of pandas, a row each: type, message, kind, count, first, last, logs, own line."""
        import pandas

        rows = [
            {
                "exception_type": kin.exception_type,
                "message": kin.message,
                "kind": kin.kind,
                "count": kin.count,
                "first": kin.first,
                "last": kin.last,
                "logs": kin.file_count,
                "own_file": kin.jam.snag_frame.file if kin.jam.snag_frame else None,
                "own_line": kin.jam.snag_frame.line if kin.jam.snag_frame else None,
                "fresh": kin.fresh,
            }
            for kin in self.families
        ]
        made = pandas.DataFrame(rows, columns=list(rows[0]) if rows else ["exception_type", "message", "kind", "count"])
        for name in ("first", "last"):
            if name in made:
                made[name] = pandas.to_datetime(made[name], format="ISO8601")
        return made

    def times(self) -> DataFrame:
        """Return every failure as a table of pandas: place of its family in `table`, log, offset in bytes, time."""
        import pandas

        made = pandas.DataFrame(list(self.occurrences), columns=["family", "file", "offset", "time"])
        made["time"] = pandas.to_datetime(made["time"], unit="s")
        return made
