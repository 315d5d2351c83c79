"""How usual a sequence of tokens is in a language: counts of threes, as `benchmarks/count_tokens.py` wrote them."""

from __future__ import annotations

import functools
import math
from collections import Counter
from collections.abc import Sequence

from jamkey.packaged import entries, entry

#: What the next coarser count weighs.
_WEIGHT = 4.0
#: Cost at most: of what a library never writes nobody knows how rare it is.
_MOST = 10.0

#: Costs that are kept in memory.
_KEPT = 100_000


class Usual:
    """Counts of one language."""

    def __init__(self, threes: dict[str, int]) -> None:
        self.three: dict[tuple[str, str, str], int] = {}
        self.two: dict[tuple[str, str], int] = {}
        self.pair: dict[tuple[str, str], int] = {}
        self.one: dict[str, int] = {}
        self.all = 0
        for key, count in threes.items():
            a, b, c = key.split(" ")
            self.three[a, b, c] = count
            self.two[a, b] = self.two.get((a, b), 0) + count
            self.pair[b, c] = self.pair.get((b, c), 0) + count
            self.one[c] = self.one.get(c, 0) + count
            self.all += count
        self._costs: dict[tuple[str, str, str], float] = {}
        self.before: dict[str, int] = {}
        for (b, _), count in self.pair.items():
            self.before[b] = self.before.get(b, 0) + count

    def cost(self, a: str, b: str, c: str) -> float:
        """Return how unexpected `c` is behind `a b`: minus the log of its share."""
        known = self._costs.get((a, b, c))
        if known is not None:
            return known
        single = (self.one.get(c, 0) + 0.5) / (self.all + 500.0)
        pair = (self.pair.get((b, c), 0) + _WEIGHT * single) / (self.before.get(b, 0) + _WEIGHT)
        three = (self.three.get((a, b, c), 0) + _WEIGHT * pair) / (self.two.get((a, b), 0) + _WEIGHT)
        if len(self._costs) > _KEPT:
            self._costs.clear()
        made = self._costs[a, b, c] = min(-math.log(three), _MOST)
        return made

    def of(self, words: Sequence[str]) -> float:
        """Return the cost of a sequence whose first two words only lead in."""
        known, total = self._costs, 0.0
        for place in range(2, len(words)):
            three = words[place - 2], words[place - 1], words[place]
            cost = known.get(three)
            total += self.cost(*three) if cost is None else cost
        return total


@functools.cache
def usual(language: str) -> Usual:
    """Return the counts of a language; those of all together where nothing was counted of it."""
    counted = entry("repair/usual.json", language, dict[str, int])
    if counted is None:
        every: Counter[str] = Counter()
        for own in entries("repair/usual.json", dict[str, int]).values():
            every.update(own)
        counted = dict(every)
    return Usual(counted)
