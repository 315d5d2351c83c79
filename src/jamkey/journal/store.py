"""The journal's storage: SQLite, so that two processes may write at once and a killed one leaves it readable.

`user_version` is the generation of the file; `_STEPS` leads from one to the next. Sizes are bounded: readings beyond
`MOST_READINGS` or older than the settings say are dropped, and only the newest `MOST_WHOLE` keep their texts and values.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import msgspec

from jamkey.errors import UnreadableInput
from jamkey.folders import state_folder
from jamkey.journal.kept import DAYS, Kept, Reading, packed, unpacked
from jamkey.journal.spool import laid_down

MOST_READINGS = 20_000
MOST_WHOLE = 50
#: Seconds that a writer waits for another.
_PATIENCE = 10.0
_DAY = 86_400.0
_T = TypeVar("_T")

#: Step n leads from generation n to n + 1.
_STEPS = (
    """
    CREATE TABLE reading (
        number INTEGER PRIMARY KEY AUTOINCREMENT,
        time REAL NOT NULL, folder TEXT NOT NULL, target TEXT NOT NULL, door TEXT NOT NULL, runtime TEXT NOT NULL,
        kind TEXT, type TEXT, headline TEXT, file TEXT, line INTEGER, root_file TEXT, root_line INTEGER,
        advice TEXT, ended REAL, whole BLOB
    );
    CREATE INDEX by_time ON reading (time);
    """,
    """
    ALTER TABLE reading ADD COLUMN turned TEXT;
    CREATE INDEX open_ones ON reading (folder, target) WHERE ended IS NULL;
    """,
)
GENERATION = len(_STEPS)


_COLUMNS = tuple(name for name in Reading.__struct_fields__ if name != "number")


class Journal:
    """The open journal; a context manager.

    Args:
        path: its file; the user's by default.

    Raises:
        UnreadableInput: it cannot be opened or written, or a newer Jam Key made it; the message says what to do.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or Path(state_folder()) / "journal.sqlite"
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise UnreadableInput(f"the journal's folder {self.path.parent} cannot be made: {error.strerror}") from None
        self.base = self._guarded(self._opened)
        for laid in laid_down(self.path.parent):
            if laid.readings:
                self.add(list(laid.readings), laid.kept, days=laid.days)
            if laid.target:
                self.close(laid.folder, laid.target, laid.time)

    def _guarded(self, work: Callable[[], _T]) -> _T:
        """Do something with the file; a damaged one is put aside, told once, and the work done with a new one.

        Raises:
            UnreadableInput: it is locked, full, not permitted ...: nothing that a new file would mend.
        """
        for attempt in range(2):
            try:
                return work()
            except (sqlite3.Error, UnicodeDecodeError) as error:  # what it says of a damaged file may hold bytes of that
                if attempt or not _is_damage(error):
                    raise UnreadableInput(f"the journal {self.path} cannot be used: {error}") from None
                self._put_aside(error)
        raise AssertionError("the second attempt returns or raises")

    def _put_aside(self, error: Exception) -> None:
        import logging

        base = getattr(self, "base", None)
        if base is not None:
            base.close()
        aside = self.path.with_name(f"journal.damaged-{time.time_ns() // 1_000_000}.sqlite")
        try:
            os.replace(self.path, aside)
            for beside in ("-journal", "-wal", "-shm"):
                self.path.with_name(self.path.name + beside).unlink(missing_ok=True)
        except OSError as refused:
            raise UnreadableInput(
                f"the journal {self.path} is damaged ({error}) and cannot be put aside: {refused.strerror}"
            ) from None
        logging.getLogger("jamkey").warning(
            "jamkey: the journal was damaged (%s): it is now %s, and a new one is begun", error, aside.name
        )
        if base is not None:
            self.base = self._opened()

    def _opened(self) -> sqlite3.Connection:
        fresh = not self.path.exists()
        base = sqlite3.connect(self.path, timeout=_PATIENCE, isolation_level=None)
        try:
            if fresh:
                with contextlib.suppress(OSError):
                    self.path.chmod(0o600)
            # a killed process loses nothing that way; only a power cut could, and a damaged file is put aside
            base.execute("PRAGMA synchronous = OFF")
            base.text_factory = lambda data: data.decode("utf-8", "replace")
            generation = int(base.execute("PRAGMA user_version").fetchone()[0])
            if generation > GENERATION:
                raise UnreadableInput(
                    f"the journal {self.path} was made by a newer Jam Key: update this one, or set JAMKEY_STATE "
                    f"to another folder"
                )
            if generation < GENERATION:
                self._upgrade(base)
        except BaseException:
            base.close()
            raise
        return base

    @staticmethod
    def _upgrade(base: sqlite3.Connection) -> None:
        base.execute("BEGIN IMMEDIATE")
        # another process may have done it while this one waited
        generation = int(base.execute("PRAGMA user_version").fetchone()[0])
        for step in _STEPS[generation:]:
            for statement in step.split(";"):
                if statement.strip():
                    base.execute(statement)
        base.execute(f"PRAGMA user_version = {GENERATION}")
        base.execute("COMMIT")

    def __enter__(self) -> Journal:
        return self

    def __exit__(self, *_: object) -> None:
        self.base.close()

    def _written(self, work: Callable[[sqlite3.Connection], int]) -> int:
        """Write something whole or not at all; return what the work returns."""

        def whole() -> int:
            self.base.execute("BEGIN IMMEDIATE")
            try:
                result = work(self.base)
                self.base.execute("COMMIT")
            except BaseException:
                with contextlib.suppress(sqlite3.Error):
                    self.base.execute("ROLLBACK")
                raise
            return result

        return self._guarded(whole)

    def add(self, readings: list[Reading], kept: Kept | None, *, days: float = DAYS) -> int:
        """Write readings, the last of them with its texts and values; return that one's number.

        Args:
            readings: in the order in which they happened.
            kept: what is to be shown later.
            days: readings older than this are dropped.
        """
        marks = ", ".join("?" for _ in _COLUMNS)

        def work(base: sqlite3.Connection) -> int:
            number = 0
            for reading in readings:
                row = [getattr(reading, name) for name in _COLUMNS]
                number = base.execute(f"INSERT INTO reading ({', '.join(_COLUMNS)}) VALUES ({marks})", row).lastrowid or 0
            if kept is not None and number:
                base.execute("UPDATE reading SET whole = ? WHERE number = ?", (packed(kept), number))
                base.execute(
                    "UPDATE reading SET whole = NULL WHERE whole IS NOT NULL AND number NOT IN"
                    " (SELECT number FROM reading WHERE whole IS NOT NULL ORDER BY number DESC LIMIT ?)",
                    (MOST_WHOLE,),
                )
            base.execute("DELETE FROM reading WHERE time < ?", (time.time() - days * _DAY,))
            base.execute("DELETE FROM reading WHERE number <= ?", (number - MOST_READINGS,))
            return number

        return self._written(work)

    def close(self, folder: str, target: str, now: float) -> int:
        """Say that a target runs now: its open readings have ended. Return how many those were."""
        return self._written(
            lambda base: (
                base.execute(
                    "UPDATE reading SET ended = ? WHERE folder = ? AND target = ? AND target != '' AND ended IS NULL",
                    (now, folder, target),
                ).rowcount
            )
        )

    def turned(self, number: int, title: str) -> None:
        """Note the key that was turned for a reading."""
        self._written(lambda base: base.execute("UPDATE reading SET turned = ? WHERE number = ?", (title, number)).rowcount)

    def readings(self, *, since: float = 0.0, folder: str | None = None) -> list[Reading]:
        """Return the rows, oldest first; a row that cannot be read is left out.

        Args:
            since: seconds since 1970.
            folder: only of this project folder and those below it.
        """
        query = f"SELECT number, {', '.join(_COLUMNS)} FROM reading WHERE time >= ?"
        values: list[object] = [since]
        if folder is not None:
            query += " AND (folder = ? OR substr(folder, 1, ?) = ?)"
            below = folder.rstrip("/") + "/"
            values += [folder, len(below), below]
        names = ("number", *_COLUMNS)
        found: list[Reading] = []
        for row in self._guarded(lambda: self.base.execute(query + " ORDER BY number", values).fetchall()):
            with contextlib.suppress(msgspec.ValidationError):
                found.append(msgspec.convert(dict(zip(names, row, strict=True)), Reading))
        return found

    def last(self, number: int | None = None) -> Kept | None:
        """Return the newest whole reading, or the one of a number; None when it is not (or no longer) there."""
        where = "WHERE whole IS NOT NULL" + (" AND number = ?" if number is not None else "")
        query = f"SELECT number, whole FROM reading {where} ORDER BY number DESC LIMIT 1"
        row = self._guarded(lambda: self.base.execute(query, () if number is None else (number,)).fetchone())
        if row is None:
            return None
        try:
            return msgspec.structs.replace(unpacked(row[1]), number=row[0])
        except (ValueError, TypeError):
            return None

    def forget(self) -> int:
        """Drop everything; return how many readings that were."""
        count = self._written(lambda base: base.execute("DELETE FROM reading").rowcount)
        self._guarded(lambda: self.base.execute("VACUUM"))
        return count


def _is_damage(error: Exception) -> bool:
    """Tell a file that is no journal (any more) from one that is in use, full or not permitted."""
    code = getattr(error, "sqlite_errorcode", None)
    damaged = (
        sqlite3.SQLITE_ERROR,
        sqlite3.SQLITE_CORRUPT,
        sqlite3.SQLITE_NOTADB,
        sqlite3.SQLITE_FORMAT,
        sqlite3.SQLITE_CONSTRAINT,
        sqlite3.SQLITE_MISMATCH,
    )
    return isinstance(error, UnicodeDecodeError) or (
        code is not None and (code & 0xFF in damaged or code == sqlite3.SQLITE_IOERR_SHORT_READ)
    )
