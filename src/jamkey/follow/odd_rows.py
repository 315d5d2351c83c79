"""Which records of the files that a program names are unlike the others of their file."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from jamkey.follow.odd_json import odd_values
from jamkey.follow.odd_record import Records
from jamkey.follow.rebuilt import built, usual_build
from jamkey.follow.scene import Scene
from jamkey.follow.told import words_told
from jamkey.late import pattern
from jamkey.text import shorten

#: Files looked at, and odd records of each that are told of; where more than one in five differ, none does.
_FILES, _ODD = 4, 3
#: Signs of a file in which a told word is looked for; shortest such word; records that may hold it.
_SIGNS, _LEAST, _MET = 400_000, 2, 2
_WORDS = pattern(r"\w")
#: Files whose commas stand between other things than the fields of a record.
_NESTED = (".json", ".jsonl", ".yaml", ".yml", ".toml", ".ini", ".cfg", ".xml")
_JSON = (".json", ".jsonl")


class Row(NamedTuple):
    """A record of a data file that does not agree with the others: how, and where the odd field begins."""

    file: str
    line: int
    column: int
    sort: str
    reason: str
    #: What stands there, and what would be like the others, where both can be told.
    source: str = ""
    wanted: str = ""


def odd_rows(scene: Scene) -> Iterator[Row]:
    """Yield the odd records of the data files whose names stand in the program or in what it printed."""
    for file in scene.data_files[:_FILES]:
        if scene.sources.out_of_time():
            return
        yield from _told(scene, file)
        yield from _of_file(scene, file)


def _told(scene: Scene, file: str) -> Iterator[Row]:
    """Yield the records that hold what the message tells, in whatever case, where few do."""
    own = (scene.sources.text(file) or "")[:_SIGNS].split("\n")
    rows = [row.casefold() for row in own]
    for word in words_told(scene):
        if len(word) < _LEAST or not any(sign.isalnum() for sign in word):
            continue
        whole = re.compile(rf"(?<!\w){re.escape(word.casefold())}(?!\w)")
        found = [(number, met) for number, row in enumerate(rows, 1) if (met := whole.search(row))]
        if 0 < len(found) <= _MET:
            for number, met in found:
                stands = own[number - 1][met.start() : met.end()]  # as the file has it
                yield Row(file, number, met.start() + 1, "told", f"`{shorten(stands, 40)}` stands here")


def _of_json(scene: Scene, file: str) -> list[Row] | None:
    """Return the odd values of a JSON file; None where it is none, or cannot be read."""
    values = odd_values(scene.sources.text(file) or "", file) if file.lower().endswith(_JSON) else None
    if values is None:
        return None
    made = []
    for value in values:
        reason = f"`{shorten(' '.join(value.source.split()), 40)}` is unlike the other {value.others} here"
        made.append(Row(file, value.line, value.column, value.how, reason, value.source, value.wanted))
    return made


def _of_file(scene: Scene, file: str) -> Iterator[Row]:
    known_values = _of_json(scene, file)
    if known_values:
        yield from sorted(known_values, key=lambda row: row.line)[:_ODD]
        return
    records = Records(scene.sources.text(file) or "")
    rows = records.rows
    found: list[Row] = []
    for number, row in enumerate(rows[:-1], 1):
        if not row.strip() and records.numbers and records.numbers[0] < number < records.numbers[-1]:
            found.append(Row(file, number, 1, "blank", "this line is blank, and others follow it"))
    nested = file.lower().endswith(_NESTED)
    if records.sign is not None and not nested:
        for number, column, how in records.odd():
            found.append(Row(file, number, column, how.sort, how.told("this")))
    if records.sign in (None, " ") or nested:
        usual = usual_build(rows)
        known = {row.line for row in found}
        lines = [number for number in records.numbers if number not in known and _WORDS.search(rows[number - 1])]
        why = "this line is not built as the others are"
        if usual is not None:
            found += [Row(file, number, 1, "built", why) for number in lines if built(rows[number - 1]) != usual]
    if len(found) <= max(_ODD, len(records.numbers) // 5):
        yield from sorted(found, key=lambda row: row.line)[:_ODD]
