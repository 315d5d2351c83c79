"""Which values of a JSON file are unlike their siblings, and what would make one like them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from jamkey.follow.odd_entries import Odd, differing, entries, odd_entries
from jamkey.languages import language_of
from jamkey.languages.base import Part
from jamkey.late import pattern

#: Signs of a file that are read; a longer one is left alone.
_MOST = 100_000
_NUMBER = pattern(r"-?(?:0|[1-9]\d*)(?:[.,]\d+)?")


class Value(NamedTuple):
    """A value that is unlike its siblings: where it begins, how it differs, what would be like them where that can be told."""

    line: int
    column: int
    how: str
    source: str
    others: int
    wanted: str


def odd_values(text: str, name: str) -> list[Value] | None:
    """Return the odd values of a file; None where it is no JSON that can be read, or too long.

    Args:
        text: of the file.
        name: of the file; one record a line where it ends in `.jsonl`.
    """
    language = language_of("data.js")
    if language is None or len(text) > _MOST or not text.strip():
        return None
    lines = name.lower().endswith(".jsonl")
    opening, closing = ("([", "])") if lines else ("(", ")")
    body = text.rstrip("\n").replace("\n", ",\n") if lines else text
    code = language.code(f"{opening}{body}{closing}")
    first = next(iter(code.heads(1)), None)
    if first is None or not first.parts:
        return None
    top = first.parts[0]
    found = []
    for odd, siblings in _with_siblings(top):
        column = odd.part.span.column - (len(opening) if odd.part.span.line == 1 else 0)
        found.append(Value(odd.part.span.line, column, odd.how, odd.part.source, odd.others, _like(odd, siblings)))
    return found


def _with_siblings(top: Part) -> Iterator[tuple[Odd, Sequence[Part]]]:
    """Yield the odd entries with all values of the file that stand at the same key."""
    by_key: dict[str, list[Part]] = {}
    key_of: dict[object, str] = {}
    for part in top.walk():
        for key, entry in entries(part):
            by_key.setdefault(key, []).append(entry)
            key_of[entry.span] = key
    told = set()
    for odd in odd_entries(top):
        told.add(odd.part.span)
        yield odd, by_key.get(key_of.get(odd.part.span, ""), [])
    # records that are nested in others have their siblings in these
    for siblings in [siblings for key, siblings in by_key.items() if key and len(siblings) > 2]:
        for odd in differing(siblings):
            if odd.part.span not in told:
                told.add(odd.part.span)
                yield odd, siblings


def _like(odd: Odd, siblings: Sequence[Part]) -> str:
    """Return the value as its siblings are written; empty where that would be a guess."""
    part = odd.part
    if odd.how == "sort":
        usual = Counter(other.sort for other in siblings if other.span != part.span).most_common(1)
        sort = usual[0][0] if usual else ""
        if part.sort == "text" and sort == "literal" and _NUMBER.fullmatch(part.name.strip()):
            return part.name.strip().replace(",", ".")
        if part.sort == "literal" and sort == "text":
            return f'"{part.source}"'
    if odd.how == "keys":
        own = {key for key, _ in entries(part)}
        usual_keys = Counter(tuple(sorted(key for key, _ in entries(other))) for other in siblings if other.span != part.span)
        common = set(usual_keys.most_common(1)[0][0]) if usual_keys else set()
        more, less = own - common, common - own
        if len(more) == len(less) == 1:
            (before,), (after,) = more, less
            return re.sub(rf'"{re.escape(before)}"(?=\s*:)', lambda _: f'"{after}"', part.source, count=1)
    return ""
