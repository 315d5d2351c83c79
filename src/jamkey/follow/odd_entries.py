"""Which entry of a list or table that is written in the source is unlike its siblings."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from jamkey.languages.base import Part
from jamkey.tables.sorts import sort_of

#: Sorts of parts that hold entries.
_DISPLAYS = ("list", "dict", "tuple", "set")
#: Literals that stand for no value, in the languages we read.
NOTHING = frozenset(["None", "null", "nil", "NULL", "undefined", "NA", "NaN", "nothing", "missing", "nullptr"])
#: Entries looked at, and how deep they are looked into.
_MOST, _DEEPEST = 400, 6


class Odd(NamedTuple):
    """An entry and how it differs: in `sort`, by being `empty` or `nothing`, in `length`, `keys` or `text`."""

    part: Part
    how: str
    #: Siblings it was held against.
    others: int


def odd_entries(display: Part) -> Iterator[Odd]:
    """Yield the entries, at any depth, that differ from their siblings; no more than one in three of a row of siblings."""
    yield from _among([part for _, part in entries(display)], 0)


def entries(part: Part) -> list[tuple[str, Part]]:
    """Return (key or empty, entry) of what holds entries: a display, or a call that is handed nothing but values."""
    found: list[tuple[str, Part]] = []
    if part.sort not in _DISPLAYS and not (part.sort == "call" and len(part.arguments) > 1):
        return []
    key = ""
    for role, child in part.children[:_MOST]:
        if role == "key":
            key = child.source.strip("'\"")
        elif role in ("item", "element", "value") or role.startswith("argument"):
            inner = child.in_role("value") if child.sort == "other" else []
            if len(inner) == 2:
                found.append((inner[0].source.strip("'\""), inner[1]))
            else:
                found.append((key or role.partition(":")[2], inner[-1] if inner else child))
            key = ""
    return found


def _among(siblings: Sequence[Part], depth: int) -> Iterator[Odd]:
    if depth > _DEEPEST or not siblings:
        return
    odd = differing(siblings)
    yield from odd
    # a longer or shorter one may hold another odd one
    same = [part for part in siblings if part not in [item.part for item in odd if item.how != "length"]]
    # what stands at the same key, or in the same place, is of one sort too
    columns: dict[str, list[Part]] = defaultdict(list)
    for part in same:
        own = entries(part)
        for place, (key, entry) in enumerate(own):
            columns[key or (str(place) if part.sort == "tuple" else "")].append(entry)
    for column in columns.values():
        yield from _among(column, depth + 1)


def differing(siblings: Sequence[Part]) -> list[Odd]:
    """Return those of some entries that differ from the others; none where all sorts of things stand there."""
    if len(siblings) < 2:
        return []
    for how, marks in (
        ("sort", [_sort(part) for part in siblings]),
        ("empty", [_is_empty(part) for part in siblings]),
        ("length", [_length(part) for part in siblings]),
        ("keys", [_keys(part) for part in siblings]),
        ("text", [_written(part) for part in siblings]),
    ):
        usual, often = Counter(marks).most_common(1)[0]
        rest = [part for part, mark in zip(siblings, marks, strict=True) if mark != usual]
        if not rest:
            continue
        if len(siblings) == 2:
            # of two that differ nobody knows which is the odd one, unless one of them is nothing
            rest = [part for part in siblings if _is_empty(part) or _sort(part) == "nothing"] or list(siblings)
        elif often < 2 * len(rest):
            return []  # all sorts of things stand here
        return [Odd(part, _how(part, how), len(siblings) - 1) for part in rest]
    return []


def _how(part: Part, how: str) -> str:
    return "nothing" if _sort(part) == "nothing" else how


def _sort(part: Part) -> str:
    if part.source.strip() in NOTHING:
        return "nothing"
    if part.sort == "unary" and part.children:
        return _sort(part.children[-1][1])
    if part.sort == "literal":
        return "number" if part.source[:1].isdigit() or part.source[:1] == "." else part.source.strip().lower()
    return f"call {part.called}" if part.sort == "call" else part.sort


def _is_empty(part: Part) -> bool:
    return (part.sort in _DISPLAYS and not part.children) or (part.sort == "text" and not part.name.strip())


def _length(part: Part) -> int:
    own = entries(part) if part.sort in ("tuple", "list") else []
    # of records there may be any number
    return len(own) if own and not all(entry.sort == "dict" for _, entry in own) else -1


def _keys(part: Part) -> tuple[str, ...]:
    return tuple(sorted(key for key, _ in entries(part))) if part.sort == "dict" else ()


def _written(part: Part) -> tuple[str, ...]:
    """Return what sorts a text falls into at its separators, so that a shorter or a differently written one is seen."""
    if part.sort != "text":
        return ()
    for sign in ";,|\t: ":
        if sign in part.name:
            sorts = [sort_of(cell) for cell in part.name.split(sign)]
            # words with blanks between are one text
            return ("text",) if sign == " " and set(sorts) == {"text"} else (sign, *sorts)
    return (sort_of(part.name),)
