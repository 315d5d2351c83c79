"""What a library's own check is about, or what a compiler refuses, by the words that such messages use, whosever they are."""

from __future__ import annotations

import os
from functools import cache, lru_cache

import msgspec

from jamkey.late import pattern
from jamkey.packaged import packaged

#: Characters of a message that are looked at: what it is about stands in front.
_MOST = 300
#: Between two words of one sign, at most.
_BETWEEN = 80
#: What separates words.
_GAPS = pattern(r"[^\w'<>=\-]+|(?<!\w)'|'(?!\w)|(?<![<>])=")
#: Where the first sentence ends: what follows says what would be right.
_SENTENCE = pattern(r"(?<=[a-z)\]'\"])\. (?=[A-Z])|\n")
#: The signs as a list, written by `make phrases`: reading TOML at a failure would cost more.
CUT = os.path.join(os.path.dirname(os.path.abspath(__file__)), "signs.json")


def compile_signs() -> bytes:
    """Return what signs.json holds: of checks and of refusals (kind, signs), each sign as words that follow each other."""
    import tomllib

    with open(os.path.join(os.path.dirname(CUT), "signs.toml"), "rb") as handle:
        data = tomllib.load(handle)
    rows = {
        table: [(entry["kind"], list(map(_parts, entry["words"]))) for entry in data[table]] for table in ("check", "refusal")
    }
    return msgspec.json.encode(rows) + b"\n"


def _parts(words: str) -> list[str]:
    """Return the parts of a sign between blanks; what ends with a star goes on as it likes."""
    return [f" {part[:-1]}" if part.endswith("*") else f" {part} " for part in words.split(" ... ")]


def signs_in(words: str, message: str) -> bool:
    """Tell whether the words of one sign, as signs.toml has them, stand in a message."""
    return _stands(_parts(words), _words_of(message))


@cache
def _signs() -> dict[str, list[tuple[str, list[list[str]]]]]:
    return msgspec.json.decode(packaged("phrases/signs.json"), type=dict[str, list[tuple[str, list[list[str]]]]])


def kind_by_signs(message: str | None) -> str | None:
    """Return the kind that a library's message is about by its words; None where none of them tells.

    Args:
        message: in English.

    >>> kind_by_signs("x and y must have the same length, got 3 and 4")
    'wrong-count'
    """
    return _kind_of((message or "").strip()[:_MOST], "check")


def kind_by_refusal(message: str | None) -> str | None:
    """Return the kind of what a compiler refuses, by the words of its message; None where none of them tells.

    Args:
        message: in English.

    >>> kind_by_refusal("incompatible pointer types passing 'int *' to parameter of type 'float *'")
    'wrong-type'
    """
    return _kind_of((message or "").strip()[:_MOST], "refusal")


@lru_cache(maxsize=512)
def _kind_of(message: str, table: str) -> str | None:
    text = _words_of(message)
    return next((kind for kind, signs in _signs()[table] if any(_stands(sign, text) for sign in signs)), None)


def _words_of(message: str) -> str:
    """Return the words of a message's first sentence with one blank between; a hyphen joins two words, or parts them."""
    first = _SENTENCE.split(message.strip()[:_MOST], maxsplit=1)[0].lower()
    words = " ".join(_GAPS.sub(" ", first).split())
    return f" {words} | {words.replace('-', ' ')} "


def _stands(sign: list[str], text: str) -> bool:
    """Tell whether the parts of a sign stand in a text, one not far behind the other."""
    at = text.find(sign[0])
    while at >= 0 and len(sign) > 1:
        behind = at + len(sign[0]) - 1
        if 0 <= text.find(sign[1], behind) - behind <= _BETWEEN:
            return True
        at = text.find(sign[0], at + 1)
    return at >= 0
