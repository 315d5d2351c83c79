"""The parsers that judge in the yardsticks: the languages' own, asked through the same door as the product asks them."""

from __future__ import annotations

import sys
from collections.abc import Sequence

from jamkey.repair import judges
from jamkey.repair.judges import ENDINGS, available

__all__ = ["ENDINGS", "available", "told"]


def told(language: str, texts: Sequence[str], *, interpreter: str = sys.executable, beside: Sequence[str] = ()) -> list[str]:
    """Return what the parser says of each text; empty where it takes it.

    Raises:
        RuntimeError: the parser gave no answers.
    """
    answers: list[str] = []
    for place in range(0, len(texts), 100):
        some = judges.told(language, texts[place : place + 100], interpreter=interpreter, beside=beside[place : place + 100])
        if some is None:
            raise RuntimeError(f"{language}: the parser gave no answers")
        answers += some
    return answers
