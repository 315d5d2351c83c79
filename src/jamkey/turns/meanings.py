"""What the words of turns mean whatever language they are written in: a fix learned in one language speaks for all."""

from __future__ import annotations

import functools
import tomllib
from typing import Any

from jamkey.languages import LIKE
from jamkey.packaged import packaged


@functools.cache
def _table() -> dict[str, Any]:
    return tomllib.loads(packaged("turns/meanings.toml").decode())


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
def _operators() -> tuple[dict[str, str], dict[str, str]]:
    table = _table()
    sorts, pairs = ({word: name for name, words in table[part].items() for word in words} for part in ("operators", "turned"))
    return sorts, pairs


def _of_operators(before: str, after: str) -> str:
    """Return what one operator in the place of another asks: the opposite, another bound, another sort of thing."""
    sorts, pairs = _operators()
    if f"{before} {after}" in pairs:
        return f"operator {pairs[f'{before} {after}']}"
    if before not in sorts or after not in sorts:
        return ""
    return f"operator {sorts[before]} to {sorts[after]}"


def plain_meaning(word: str) -> str:
    """Return what a plain value means in every language, such as "no items" for `[]`; empty where nobody said."""
    return _plain().get(word, "")


@functools.cache
def meaning_of(turn: str, language: str) -> str:
    """Return what a turn with its word means, such as "trimmed" for `convert:.trim()`; the empty text where nobody said.

    Args:
        turn: as a turn names itself, with its word.
        language: that the word is of.
    """
    family, _, word = turn.partition(":")
    if family == "each":
        meaning = meaning_of(word, language)
        return f"each {meaning}" if meaning else ""
    if family in ("convert", "asked"):
        meaning = _words(language).get(word, "")
        return f"{family} {meaning}" if meaning else ""
    if family == "literal" and " to " in word:
        before, _, after = word.partition(" to ")
        if before in _plain() and after in _plain():
            return f"{_plain()[before]} to {_plain()[after]}"
    if family == "operator" and " to " in word:
        return _of_operators(*word.split(" to ", 1))
    value = word.removeprefix("get ")
    if family == "guard" and value in _plain():
        return f"{family} with {_plain()[value]}"
    if family == "guard" and word.startswith("made "):
        return next((f"guard made {what}" for what, words in _table()["made"].items() if word[5:] in words), "")
    if family in ("given", "early"):
        how, _, value = word.rpartition(" ")
        return f"{family} {how} {_plain()[value]}" if value in _plain() else ""
    if family == "strip":
        # what is taken away is a word around or behind
        meaning = _words(language).get(f"{word}()", "") or _words(language).get(f"{word}({{0}})", "")
        return f"not {meaning}" if meaning else ""
    return ""
