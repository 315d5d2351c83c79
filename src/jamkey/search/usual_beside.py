"""How usual the tokens of a statement are with an edit, against how usual they were: nobody writes `total , depth[i]`."""

from __future__ import annotations

import functools

from jamkey.languages import SHELF
from jamkey.languages.base import Span
from jamkey.repair.lex import classes, lex
from jamkey.repair.usual import usual
from jamkey.turns.base import Ground

#: Rows and characters of a statement that are looked at.
_ROWS, _MOST = 8, 600
#: Units of cost (minus the log of a share) in one step, and steps that are told apart.
_STEP, _STEPS = 2.0, 5


def how_usual(span: Span, text: str, ground: Ground) -> str:
    """Return how much more unusual the rows are with `text` at `span`: -5 to 5, or `unknown` where nothing was counted.

    Args:
        span: of the edit, in the ground's file.
        text: what is put there.
        ground: the statement's.
    """
    first, last = span.line, min(span.end_line, span.line + _ROWS)
    row, end = ground.row(first), ground.row(last)
    if last != span.end_line or len(row) > _MOST or len(text) > _MOST or span.end_column == 1:
        return "unknown"
    rows = "\n".join(ground.row(line) for line in range(first, last + 1))
    start, stop = span.column - 1, len(rows) - len(end) + span.end_column - 1
    known = _words(rows, ground.language)
    counts = usual(ground.language)
    if known is None or not counts.all:
        return "unknown"
    ahead = [word for _, last, word in known if last <= start]
    behind = [word for first, _, word in known if first >= stop]
    lead, rest = ["L", "L", *ahead][-2:], [*behind, "L", "L"][:2]
    taken = [word for first, last, word in known if last > start and first < stop]
    put = _words(text, ground.language) or ()
    before = counts.of([*lead, *taken, *rest])
    after = counts.of([*lead, *(word for _, _, word in put), *rest])
    return str(max(-_STEPS, min(_STEPS, int((after - before) / _STEP))))


@functools.lru_cache(8192)
def _words(text: str, language: str) -> tuple[tuple[int, int, str], ...] | None:
    """Return (first character, last, what it counts as) of each token; None for a language nobody counted."""
    facts = SHELF.get(language)
    if facts is None:
        return None
    tokens = [token for token in lex(text, facts.style) if token.sort != "comment"]
    found = zip(tokens, classes(tokens, facts.keywords, text), strict=True)
    return tuple((token.start, token.end, word) for token, word in found)
