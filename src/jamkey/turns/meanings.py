"""What the words of turns mean whatever language they are written in: a fix learned in one language speaks for all."""

from __future__ import annotations

import functools
import tomllib
from importlib.resources import files
from typing import Any

from jamkey.languages import LIKE


@functools.cache
def _table() -> dict[str, Any]:
    return tomllib.loads(files("jamkey.turns").joinpath("meanings.toml").read_text(encoding="utf-8"))


@functools.cache
def _words(language: str) -> dict[str, str]:
    means = _table()["means"]
    found = {word: meaning for meaning, words in means.items() if isinstance(words, list) for word in words}
    own = means.get(LIKE.get(language, language), {})
    return found | {word: meaning for meaning, words in own.items() for word in words}


@functools.cache
def _plain() -> dict[str, str]:
    return {word: meaning for meaning, words in _table()["plain"].items() for word in words}


@functools.cache
def meaning_of(turn: str, language: str) -> str:
    """Return what a turn with its word means, such as "trimmed" for `convert:.trim()`; the empty text where nobody said.

    Args:
        turn: as a turn names itself, with its word.
        language: that the word is of.
    """
    family, _, word = turn.partition(":")
    if family in ("convert", "asked"):
        meaning = _words(language).get(word, "")
        return f"{family} {meaning}" if meaning else ""
    if family == "literal" and " to " in word:
        before, _, after = word.partition(" to ")
        if before in _plain() and after in _plain():
            return f"{_plain()[before]} to {_plain()[after]}"
    value = word.removeprefix("get ")
    if family == "guard" and value in _plain():
        return f"{family} with {_plain()[value]}"
    if family == "guard" and word.startswith("made "):
        return next((f"guard made {what}" for what, words in _table()["made"].items() if word[5:] in words), "")
    if family == "strip":
        # what is taken away is a word around or behind
        meaning = _words(language).get(f"{word}()", "") or _words(language).get(f"{word}({{0}})", "")
        return f"not {meaning}" if meaning else ""
    return ""
