"""How usual a sequence of tokens is in the text itself: what its author writes elsewhere is likely what was meant here."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

from jamkey.languages.base import Language
from jamkey.repair.lex import Token, classes, lex
from jamkey.repair.usual import usual

#: What the coarser count weighs beside a count of two and of three; what a name that stands nowhere counts.
_TWO, _THREE, _NEW = 2.0, 1.0, 0.3
#: What speaks for a blank, and against it, before any was counted.
_EVEN = 0.3
#: Names that might stand there besides those that do.
_OTHERS = 30
#: Rows that are counted at most.
_MOST = 4000


def widths(rows: Sequence[str]) -> Counter[int]:
    """Return how many of some rows stand in how far."""
    wide = (row.expandtabs(8) for row in rows if row.strip())
    return Counter(len(row) - len(row.lstrip()) for row in wide)


class Own:
    """Counts of a text's own tokens, each as it is; what was never seen falls back to the language's counts.

    Args:
        text: the broken text, whole.
        language: of it.
    """

    def __init__(self, text: str, language: Language) -> None:
        self.language = language
        self.usual = usual(language.name)
        self.three: Counter[tuple[str, ...]] = Counter()
        self.two: Counter[tuple[str, ...]] = Counter()
        self.pair: Counter[tuple[str, ...]] = Counter()
        self.one: Counter[str] = Counter()
        self.names: Counter[str] = Counter()
        #: (sign or sort, sign or sort) -> how often with a blank between them, and how often at all.
        self.apart: Counter[tuple[str, str]] = Counter()
        self.beside: Counter[tuple[str, str]] = Counter()
        self.all = 0
        #: How many lines stand in how far.
        self.widths = widths(text.split("\n"))
        self._known: dict[str, tuple[list[str], list[str], list[tuple[str, str, bool]]]] = {}
        self._costs: dict[tuple[str, ...], tuple[float, float]] = {}
        for row in text.split("\n")[:_MOST]:
            self._count(row, 1)

    def _of_row(self, row: str) -> tuple[list[str], list[str], list[tuple[str, str, bool]]]:
        """Return a row's tokens between the ends of its line, the names among them, and how its neighbours stand apart."""
        known = self._known.get(row)
        if known is None:
            tokens = [token for token in lex(row, self.language.style) if token.sort not in ("comment", "line")]
            words = ["\n", *(token.text for token in tokens), "\n"]
            sorts = [self._sort(token) for token in tokens]
            gaps = [
                (one, other, before.end < behind.start)
                for (one, other), (before, behind) in zip(pairwise(sorts), pairwise(tokens), strict=True)
            ]
            known = self._known[row] = words, [token.text for token in tokens if token.sort == "name"], gaps
        return known

    def _sort(self, token: Token) -> str:
        if token.sort == "sign" or token.text in self.language.keywords:
            return token.text
        return token.sort

    def _count(self, row: str, times: int) -> None:
        words, names, gaps = self._of_row(row)
        for one, other, blank in gaps:
            self.beside[one, other] += times
            self.apart[one, other] += times * blank
        for a, b in pairwise(words):
            self.pair[a, b] += times
            self.one[a] += times
        for a, b, c in zip(words, words[1:], words[2:], strict=False):
            self.three[a, b, c] += times
            self.two[a, b] += times
        for name in names:
            self.names[name] += times
        self.all += times * len(names)

    def gain(self, before: Sequence[str], after: Sequence[str]) -> tuple[float, float]:
        """Return how much more unexpected rows are than those that they replace, counted on all the others: tokens, blanks."""
        for row in before:
            self._count(row, -1)
        here = tuple(before)
        if here not in self._costs:  # of all that may stand in the place of the same rows
            self._costs[here] = self._cost(before), self._blanks(before)
        words, blanks = self._costs[here]
        made = self._cost(after) - words, self._blanks(after) - blanks
        for row in before:
            self._count(row, 1)
        return made

    def _blanks(self, rows: Sequence[str]) -> float:
        """Return how unexpected it is that tokens stand apart, or do not."""
        total = 0.0
        for row in rows:
            for one, other, blank in self._of_row(row)[2]:
                both = max(self.beside[one, other], 0)
                often = min(max(self.apart[one, other], 0), both)
                total -= math.log(((often if blank else both - often) + _EVEN) / (both + 2 * _EVEN))
        return total

    def _cost(self, rows: Sequence[str]) -> float:
        text = "\n".join(rows) + "\n"
        tokens = [token for token in lex(text, self.language.style) if token.sort != "comment"]
        words = ["L", "L", *classes(tokens, self.language.keywords, text)]
        before = ("\n", "\n")
        total = 0.0
        for place, token in enumerate(tokens):
            share = math.exp(-self.usual.cost(words[place], words[place + 1], words[place + 2])) if self.usual.all else 0.01
            total -= math.log(self._share(before, token, words[place + 2], share))
            before = (before[1], "\n" if token.sort == "line" else token.text)
        return total

    def _share(self, before: tuple[str, str], token: Token, word: str, share: float) -> float:
        text = "\n" if token.sort == "line" else token.text
        if word == "N":
            share *= (max(self.names[text], 0) + _NEW) / (max(self.all, 0) + _NEW * (len(self.names) + _OTHERS))
        # below nothing where a row was itself changed before
        pair = (max(self.pair[before[1], text], 0) + _TWO * share) / (max(self.one[before[1]], 0) + _TWO)
        return (max(self.three[(*before, text)], 0) + _THREE * pair) / (max(self.two[before], 0) + _THREE)
