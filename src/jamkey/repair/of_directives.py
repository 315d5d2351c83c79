"""Words behind a `#` that the language does not have: as it spells them, wherever in the text they stand."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from rapidfuzz.distance import DamerauLevenshtein

from jamkey.repair.ground import COST, Edit, Ground

#: Slips in a word at most, and what it costs that it stands on none of the lines worth editing.
_FAR, _OFF = 2, 1.0


def directives(ground: Ground) -> Iterator[Edit]:
    """Spell what begins a line for the preprocessor; of what is no word of its own it is known that one was meant."""
    known = ground.language.idioms.directives
    for sign, token in pairwise(ground.code) if known else ():
        if sign.text == "#" and token.sort == "name" and token.line == sign.line and token.text not in known:
            off = ground.lines.get(token.line, _OFF)
            for word in known:
                far = DamerauLevenshtein.distance(word, token.text, score_cutoff=_FAR)
                if far <= _FAR and far < len(word) - 1:
                    yield Edit("foreign", token.start, token.end, word, COST["spell"] + off + 1.2 * far)
