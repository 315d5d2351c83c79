"""In which language a failure is laid out: the words around messages, of many languages."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from functools import cache

import msgspec

from jamkey.packaged import packaged

#: Runtime -> what stands before the words that lay a failure out: a place in a source, or a program's name.
_BEFORE = {"r": "", "c": r"(?:[^\s:][^:\n]*:(?:\d+:){0,2} ){1,2}"}
_HOLE = "%"
#: Words of a layout that may begin any line.
_SAY_LITTLE = ("In %s :", "                 from")
#: Characters that English words of a layout have at least, to tell of a runtime.
_TELLS = 4
#: Which words of a layout are the quotes.
QUOTES = ("`", "'")


@cache
def layout() -> dict[str, dict[str, dict[str, str]]]:
    """Return runtime -> language -> English words -> words, of what lays a failure out."""
    return msgspec.json.decode(packaged("tongues/layout.json"), type=dict[str, dict[str, dict[str, str]]])


def language_of(text: str, runtime: str) -> str | None:
    """Return the language in which a runtime laid out a failure in a text; None for English and for none.

    Args:
        text: what was printed.
        runtime: such as `r`.
    """
    counts: dict[str, int] = {}
    for match in _finder(runtime).finditer(text):
        for language in _owners(runtime)[match[1]]:
            counts[language] = counts.get(language, 0) + 1
    return max(counts, key=lambda language: counts[language]) if counts else None


@cache
def _owners(runtime: str) -> dict[str, list[str]]:
    """Words -> the languages that have them."""
    found: dict[str, list[str]] = {}
    for language, words in layout()[runtime].items():
        for english, own in words.items():
            if english not in (*QUOTES, *_SAY_LITTLE) and own.strip() != english.strip() and (opening := _opening(own)):
                found.setdefault(opening, []).append(language)
    return found


def of_user(text: str, runtime: str) -> str | None:
    """Return the user's language where a text has the layout in English: not all is translated in every language."""
    named = [os.environ.get(name, "") for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")]
    for one in ":".join(named).split(":"):
        full = one.partition(".")[0].partition("@")[0]
        for language in (full, full.partition("_")[0]):
            if language in layout()[runtime] and _in_english(runtime).search(text) is not None:
                return language
    return None


@cache
def _in_english(runtime: str) -> re.Pattern[str]:
    english = {_opening(word) for known in layout()[runtime].values() for word in known if word not in QUOTES}
    return _lines({words for words in english if len(words) >= _TELLS}, runtime)


def _opening(own: str) -> str:
    """Return what a wording begins with; nothing where that is too little to tell."""
    words = own.strip().partition(_HOLE)[0].strip()
    return words if len(words) > 1 or ord(words[:1] or "a") > 0x2E80 else ""


@cache
def _finder(runtime: str) -> re.Pattern[str]:
    return _lines(_owners(runtime), runtime)


def _lines(openings: Iterable[str], runtime: str) -> re.Pattern[str]:
    """Return what finds the lines that one of some words opens, the longest first."""
    words = sorted(openings, key=len, reverse=True)
    return re.compile(rf"^ ?{_BEFORE[runtime]}({'|'.join(map(re.escape, words))})", re.MULTILINE)
