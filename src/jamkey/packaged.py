"""The data files that belong to the package, read beside its modules.

`importlib.resources` would load the readers of archives for them, on the way from a crash to its reading.
"""

from __future__ import annotations

import os
from functools import cache
from typing import TypeVar

import msgspec

_HERE = os.path.dirname(os.path.abspath(__file__))
_T = TypeVar("_T")


def packaged(name: str) -> bytes:
    """Return a data file of the package.

    Args:
        name: below the package's folder, such as `follow/likely.json`.
    """
    with open(os.path.join(_HERE, *name.split("/")), "rb") as file:
        return file.read()


def row(name: str, *first: str) -> list[str]:
    """Return the other fields of the row of a table (fields between tabs, a line each) that begins with these; none where
    there is none.

    Args:
        name: of the file.
        first: the fields that the row begins with.
    """
    table = _lines(name)
    begin = table.find(("\n" + "\t".join(first) + "\t").encode())
    if begin < 0:
        return []
    return table[begin + 1 : table.index(b"\n", begin + 1)].decode().split("\t")[len(first) :]


def rows(name: str, first: str) -> str:
    """Return the rows of a table that begin with a field, where they stand together.

    Args:
        name: of the file.
        first: the field.
    """
    table, mark = _lines(name), f"\n{first}\t".encode()
    begin = table.find(mark)
    return table[begin : table.index(b"\n", table.rfind(mark) + 1)].decode() if begin >= 0 else ""


@cache
def _lines(name: str) -> bytes:
    return b"\n" + packaged(name)


@cache
def _entries(name: str) -> dict[str, msgspec.Raw]:
    return msgspec.json.decode(packaged(name), type=dict[str, msgspec.Raw])


def entry(name: str, key: str, kind: type[_T]) -> _T | None:
    """Return one entry of a JSON object in a file, the others unread; None where there is none of that name.

    Args:
        name: of the file.
        key: of the entry.
        kind: its type.
    """
    found = _entries(name).get(key)
    return None if found is None else msgspec.json.decode(found, type=kind)


def entries(name: str, kind: type[_T]) -> dict[str, _T]:
    """Return all entries of a JSON object in a file.

    Args:
        name: of the file.
        kind: the type of each.
    """
    return {key: msgspec.json.decode(raw, type=kind) for key, raw in _entries(name).items()}
