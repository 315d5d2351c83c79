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
    row = ground.row(first)
    if last != span.end_line or len(row) > _MOST or len(text) > _MOST or span.end_column == 1:
        return "unknown"
    end = ground.row(last)
    before = "\n".join(ground.row(line) for line in range(first, last + 1))
    after = row[: span.column - 1] + text + end[span.end_column - 1 :]
    one, other = _cost(before, ground.language), _cost(after, ground.language)
    if one is None or other is None:
        return "unknown"
    return str(max(-_STEPS, min(_STEPS, int((other - one) / _STEP))))


@functools.lru_cache(8192)
def _cost(text: str, language: str) -> float | None:
    counts, facts = usual(language), SHELF.get(language)
    if not counts.all or facts is None:
        return None
    tokens = [token for token in lex(text, facts.style) if token.sort != "comment"]
    return counts.of(["L", "L", *classes(tokens, facts.keywords, text), "L"])
