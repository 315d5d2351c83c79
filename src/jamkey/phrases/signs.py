"""What a library's own check is about, by the words that such checks use, whatever the library."""

from __future__ import annotations

import re
import tomllib
from functools import cache
from importlib.resources import files

#: Characters of a message that are looked at: what it is about stands in front.
_MOST = 300
#: Between two words of one sign, at most.
_BETWEEN = 80


@cache
def _signs() -> list[tuple[str, re.Pattern[str]]]:
    data = tomllib.loads(files("jamkey.phrases").joinpath("signs.toml").read_text("utf-8"))
    return [(entry["kind"], re.compile("|".join(map(_pattern, entry["words"])))) for entry in data["sign"]]


def _pattern(words: str) -> str:
    parts = [re.escape(part).replace(r"\*", r"\w*") for part in words.split(" ... ")]
    whole = rf"\b.{{1,{_BETWEEN}}}\b".join(parts)
    return (r"\b" if words[0].isalnum() else "") + whole + (r"\b" if words[-1].isalnum() or words[-1] == "*" else "")


def kind_by_signs(message: str | None) -> str | None:
    """Return the kind that a library's message is about by its words; None where none of them tells.

    Args:
        message: in English.

    >>> kind_by_signs("x and y must have the same length, got 3 and 4")
    'wrong-count'
    """
    text = (message or "").strip().split("\n", 1)[0][:_MOST].lower()
    return next((kind for kind, pattern in _signs() if pattern.search(text)), None)
