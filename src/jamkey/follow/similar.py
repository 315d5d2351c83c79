"""Names that look alike: typing slips, case, plural, word breaks."""

from __future__ import annotations

import os.path
from collections.abc import Iterable

#: Below this, two names are not taken for each other.
LEAST = 0.7
#: What has more characters is no name that somebody typed.
_LONGEST = 500
_VOWELS = frozenset("aeiou")


def similarity(one: str, other: str) -> float:
    """Return 0 to 1: how likely one name is a slip for the other."""
    # loaded in a tenth of the time that rapidfuzz takes, which compares thousands where a search does
    import jellyfish

    if one == other:
        return 0.0
    plain_one, plain_other = _plain(one), _plain(other)
    if plain_one == plain_other:
        return 0.98
    longer = max(len(plain_one), len(plain_other))
    if not 1 < longer <= _LONGEST:
        return 0.0
    if _abbreviates(plain_one, plain_other) or _abbreviates(plain_other, plain_one):
        return 0.84
    edits = jellyfish.damerau_levenshtein_distance(plain_one, plain_other)
    close = 1 - edits / longer
    if edits == 1 and longer >= 3 and sorted(plain_one) == sorted(plain_other):
        # two neighbours exchanged: the commonest slip of the fingers
        return 0.93 + min(longer, 10) / 300
    if edits == 1 and longer >= 4:
        return 0.9 + min(longer, 10) / 200
    if {plain_one.rstrip("s"), plain_one + "s", plain_one} & {plain_other, plain_other.rstrip("s")}:
        return 0.92
    blended = 0.6 * close + 0.4 * jellyfish.jaro_winkler_similarity(plain_one, plain_other)
    return float(blended if edits <= max(1, longer // 3) else blended * 0.8)


def _abbreviates(short: str, long: str) -> bool:
    """Tell `mins` for `minutes`, `temp` for `temperature`: the same start, then of what follows some of the consonants."""
    if not 3 <= len(short) <= len(long) - 2 or short[:2] != long[:2] or len(long) > 3 * len(short):
        return False
    same = len(os.path.commonprefix((short, long)))
    letters = iter(long[same:])
    return not _VOWELS & set(short[same:]) and all(letter in letters for letter in short[same:])


def _plain(name: str) -> str:
    return name.strip().lower().replace("_", "").replace(" ", "").replace("-", "")


def nearest(name: str, candidates: Iterable[str], *, most: int = 3, least: float = LEAST) -> list[tuple[str, float]]:
    """Return the candidates most like the name, best first."""
    scored = [(candidate, similarity(name, candidate)) for candidate in dict.fromkeys(candidates) if candidate]
    good = [(candidate, score) for candidate, score in scored if score >= least]
    good.sort(key=lambda item: (-item[1], item[0]))
    return good[:most]


class Neighbours:
    """Words by their spellings with one letter left out: those that share one are at most a slip apart.

    A project has thousands of words; comparing each with each would take minutes.
    """

    def __init__(self, every: Iterable[str]) -> None:
        self._by_spelling: dict[str, list[str]] = {}
        for word in every:
            for spelling in _spellings(word):
                self._by_spelling.setdefault(spelling, []).append(word)

    def of(self, word: str) -> list[str]:
        """Return the words that may be the same but for a slip."""
        return list(
            dict.fromkeys(
                other for spelling in _spellings(word) for other in self._by_spelling.get(spelling, ()) if other != word
            )
        )


def _spellings(word: str) -> set[str]:
    plain = "".join(c for c in word.lower() if c.isalnum())
    return {plain} | ({plain[:at] + plain[at + 1 :] for at in range(len(plain))} if 3 <= len(plain) <= 40 else set())
