"""The journal's storage: SQLite, so that two processes may write at once and a killed one leaves it readable.

`user_version` is the generation of the file; `_STEPS` leads from one to the next. Sizes are bounded: readings beyond
`MOST_READINGS` or older than the settings say are dropped, and only the newest `MOST_WHOLE` keep their texts and values.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import time
from collections.abc import Iterator
from pathlib import Path

import msgspec

from jamkey.errors import UnreadableInput
from jamkey.journal.kept import DAYS, Kept, Reading, packed, unpacked
from jamkey.journal.spool import laid_down
from jamkey.state import state_folder

MOST_READINGS = 20_000
MOST_WHOLE = 50
#: Seconds that a writer waits for another.
_PATIENCE = 10.0
_DAY = 86_400.0

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
        try:
            self.base = self._opened()
        except sqlite3.DatabaseError as error:
            if isinstance(error, sqlite3.OperationalError):
                raise UnreadableInput(f"the journal {self.path} cannot be used: {error}") from None
            # not a database any more: nothing of it can be read, so it is put aside and a new one begun
            aside = self.path.with_name(f"journal.damaged-{int(time.time())}.sqlite")
            os.replace(self.path, aside)
            self.base = self._opened()
        for laid in laid_down(self.path.parent):
            if laid.readings:
                self.add(list(laid.readings), laid.kept, days=laid.days)
            if laid.target:
                self.close(laid.folder, laid.target, laid.time)

    def _opened(self) -> sqlite3.Connection:
        fresh = not self.path.exists()
        base = sqlite3.connect(self.path, timeout=_PATIENCE, isolation_level=None)
        try:
            if fresh:
                with contextlib.suppress(OSError):
                    self.path.chmod(0o600)
            # a killed process loses nothing that way; only a power cut could, and a damaged file is put aside
            base.execute("PRAGMA synchronous = OFF")
            generation = int(base.execute("PRAGMA user_version").fetchone()[0])
            if generation > GENERATION:
                raise UnreadableInput(f"the journal {self.path} was made by a newer Jam Key: update this one, or set JAMKEY_STATE to another folder")
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

    @contextlib.contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        try:
            self.base.execute("BEGIN IMMEDIATE")
            try:
                yield self.base
            except BaseException:
                self.base.execute("ROLLBACK")
                raise
            self.base.execute("COMMIT")
        except sqlite3.OperationalError as error:
            raise UnreadableInput(f"the journal {self.path} cannot be written: {error}") from None

    def add(self, readings: list[Reading], kept: Kept | None, *, days: float = DAYS) -> int:
        """Write readings, the last of them with its texts and values; return that one's number.

        Args:
            readings: in the order in which they happened.
            kept: what is to be shown later.
            days: readings older than this are dropped.
        """
        number = 0
        marks = ", ".join("?" for _ in _COLUMNS)
        with self._writing() as base:
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

    def close(self, folder: str, target: str, now: float) -> int:
        """Say that a target runs now: its open readings have ended. Return how many those were."""
        with self._writing() as base:
            return base.execute(
                "UPDATE reading SET ended = ? WHERE folder = ? AND target = ? AND target != '' AND ended IS NULL",
                (now, folder, target),
            ).rowcount

    def turned(self, number: int, title: str) -> None:
        """Note the key that was turned for a reading."""
        with self._writing() as base:
            base.execute("UPDATE reading SET turned = ? WHERE number = ?", (title, number))

    def readings(self, *, since: float = 0.0, folder: str | None = None) -> list[Reading]:
        """Return the rows, oldest first.

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
        rows = self.base.execute(query + " ORDER BY number", values)
        names = ("number", *_COLUMNS)
        return [Reading(**dict(zip(names, row, strict=True))) for row in rows]

    def last(self, number: int | None = None) -> Kept | None:
        """Return the newest whole reading, or the one of a number; None when it is not (or no longer) there."""
        where = "WHERE whole IS NOT NULL" + (" AND number = ?" if number is not None else "")
        row = self.base.execute(f"SELECT number, whole FROM reading {where} ORDER BY number DESC LIMIT 1", () if number is None else (number,)).fetchone()
        if row is None:
            return None
        try:
            return msgspec.structs.replace(unpacked(row[1]), number=row[0])
        except ValueError:
            return None

    def forget(self) -> int:
        """Drop everything; return how many readings that were."""
        with self._writing() as base:
            count = base.execute("DELETE FROM reading").rowcount
        self.base.execute("VACUUM")
        return count
