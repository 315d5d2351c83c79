"""How likely what a kind takes for a root, or offers as a key, is the right one: a table that is counted, no numbers in kinds.

`priors.json` holds of each sort of root and of key what was known beforehand, in how many programs it was right, and
in how many it was told; `benchmarks/learn_priors.py` counts the keys. What was known beforehand is worth `BEFORE` programs.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator
from typing import Literal

import msgspec

from jamkey.packaged import entry

#: Cases that what was known beforehand counts for.
BEFORE = 30.0
#: The entry of the table for what is told of every kind.
ANY = "any"
#: What is told of a sort that the table does not have: a kind of a third party.
_UNKNOWN = 0.5
#: What each further choice of the same sort is lowered by, and how much of what two words lack to be alike counts.
_NEXT, _UNLIKE = 1 / 16, 0.5


class Prior(msgspec.Struct, frozen=True, array_like=True):
    """One sort of root or key."""

    #: The share that was known before any case was counted.
    before: float
    right: float = 0.0
    told: float = 0.0

    @property
    def share(self) -> float:
        """The share of the cases in which it is right, drawn to what was known beforehand."""
        return (BEFORE * self.before + self.right) / (BEFORE + self.told)


class Priors(msgspec.Struct, frozen=True):
    """What is known of one kind."""

    roots: dict[str, Prior] = {}
    keys: dict[str, Prior] = {}


def confidence(kind: str, what: Literal["roots", "keys"], name: str, *, rank: int = 0, near: float = 1.0) -> float:
    """Return how likely a root or key is the right one, 0 to 1.

    Args:
        kind: the kind's name.
        what: which of the two tables.
        name: of a root how it is known; of a key its id, whose end may name what it is about (`meant-kilos`).
        rank: how many choices of the same sort come before it.
        near: how alike two words are where it takes one for the other, 0 to 1.
    """
    found = next((prior for own in (kind, ANY) for prior in _named(own, what, name)), None)
    return (found.share if found is not None else _UNKNOWN) * (1 - _NEXT) ** rank * (1 - _UNLIKE * (1 - near))


def _named(kind: str, what: Literal["roots", "keys"], name: str) -> Iterator[Prior]:
    """Yield the entries for a name, the longest that begins it first."""
    known = _of_kind(kind)
    table = known.roots if what == "roots" else known.keys
    while name:
        if name in table:
            yield table[name]
        name = name.rpartition("-")[0]


@functools.cache
def _of_kind(kind: str) -> Priors:
    return entry("kinds/priors.json", kind, Priors) or Priors()
