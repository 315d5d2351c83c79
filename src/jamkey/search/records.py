"""Mend a record of the data: the smallest edit after which it is built, or spelt, as the others of its file are."""

from __future__ import annotations

import re
import zlib
from collections.abc import Iterator

from jamkey.follow.odd_rows import Row, odd_rows
from jamkey.follow.rebuilt import rebuilt
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.follow.told import words_told
from jamkey.model import Edit, Key
from jamkey.text import shorten

#: How the names of these keys begin.
PREFIX = "record-"
_WORD = re.compile(r"[^\W\d_][\w-]+")
#: Records mended, and edits of one that are tried.
_MOST, _EDITS = 6, 6
#: Characters of a record.
_LONGEST = 300


def record_keys(scene: Scene) -> Iterator[Key]:
    """Yield keys that mend the odd records of the data files that the program names.

    Args:
        scene: the jam, diagnosed, with its sources.
    """
    seen: set[tuple[str, int]] = set()
    for row in odd_rows(scene):
        at = (row.file, row.line)
        if at in seen or len(seen) >= _MOST:
            continue
        seen.add(at)
        text = scene.sources.text(row.file) or ""
        rows = [line.rstrip("\r") for line in text.split("\n")]
        before = rows[row.line - 1]
        if len(before) > _LONGEST:
            continue
        made = dict([*_as_told(before, row), *_as_spelt(before, rows, scene), *_as_built(before, rows)])
        for after, reason in list(made.items())[:_EDITS]:
            yield _key(row.file, row.line, before, after, reason)


def _key(file: str, line: int, before: str, after: str, reason: str) -> Key:
    edit = Edit(file=file, line=line, column=1, end_line=line, end_column=len(before) + 1, new_text=after)
    return Key(
        id=f"{PREFIX}{line}-{zlib.crc32(after.encode())}",
        title=f"Write `{shorten(after.strip(), 60)}` on line {line} of {file}",
        reason=reason,
        confidence=0.5,
        edits=(edit,),
    )


def _as_told(before: str, row: Row) -> Iterator[tuple[str, str]]:
    """Yield a record with the odd value written as the others are, where that is known, and the reason."""
    start = row.column - 1
    if row.wanted and before.startswith(row.source, start):
        yield before[:start] + row.wanted + before[start + len(row.source) :], row.reason


def _as_built(row: str, rows: list[str]) -> Iterator[tuple[str, str]]:
    """Yield a record with one small edit after which it is built as most others are, and the reason."""
    why = "most records of the file are built so"
    for other, invented in rebuilt(row, rows):
        yield other, f"{why}; the value itself is nowhere told" if invented else why


def _as_spelt(row: str, rows: list[str], scene: Scene) -> Iterator[tuple[str, str]]:
    """Yield a record with a word that the message tells spelt as other records, or the program, spell one, and the reason."""
    told = {word.casefold() for word in words_told(scene)}
    for match in _WORD.finditer(row):
        if match[0].casefold() not in told:
            continue
        known = {word for other in rows for word in _WORD.findall(other)} | _texts(scene)
        for word, _ in nearest(match[0], sorted(known - {match[0]}), most=2, least=0.75):
            reason = f"the message tells `{match[0]}`, and `{word}` stands elsewhere"
            yield row[: match.start()] + _cased(word, match[0]) + row[match.end() :], reason


def _texts(scene: Scene) -> set[str]:
    """Return the words in the texts that the program writes, and its names."""
    found: set[str] = set()
    for _, code in scene.own_codes():
        found |= set(_WORD.findall(code.text))
    return found


def _cased(word: str, like: str) -> str:
    return word.lower() if like.islower() else word.upper() if like.isupper() else word
