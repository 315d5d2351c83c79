"""The one line of the program that speaks of what a message tells, where the runtime names no line at all."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from jamkey.languages.base import Code
from jamkey.model import Frame, Jam

#: What a text that is filled in holds for each thing: `%5.2f`, `{name}`, `${x}`, `$1`.
_HOLE = re.compile(r"%[-+ #0-9.*]*[a-zA-Z]|\$?\{[^{}]*\}|\\[nt]")
#: Facts of a message that are names in the program, likeliest first.
_FACTS = ("module", "name", "member", "function", "keyword")
#: Letters of a text's fixed pieces from which it is known again in a message.
_LEAST = 8


def named_line(jam: Jam, codes: Sequence[tuple[str, Code]]) -> Frame | None:
    """Return a frame at the only line that writes the message, else at the only one that names what it tells; else None.

    Args:
        jam: a failure without any line.
        codes: (file, source) of the program, in the language of the runtime.
    """
    message = " ".join((jam.wording or "").split())
    for places in (_writing(message, codes), *(_naming(word, codes) for word in _told(jam))):
        found = list(dict.fromkeys(places))
        if len(found) == 1:
            return Frame(file=found[0][0], line=found[0][1], owner="yours")
    return None


def _told(jam: Jam) -> Iterator[str]:
    for name in _FACTS:
        word = str(jam.facts.get(name, "")).strip("'\"`‘’“”")
        if len(word) > 2 and word.isascii():
            yield word


def _texts(code: Code) -> Iterator[tuple[int, str]]:
    for token in getattr(code, "tokens", ()):
        if token.sort == "string":
            yield token.span.line, token.text.strip("\"'`")


def _writing(message: str, codes: Iterable[tuple[str, Code]]) -> Iterator[tuple[str, int]]:
    for file, code in codes:
        for line, text in _texts(code):
            pieces = [" ".join(piece.split()) for piece in _HOLE.split(text)]
            if sum(map(len, pieces)) >= _LEAST and _in_order(pieces, message):
                yield file, line


def _in_order(pieces: Iterable[str], message: str) -> bool:
    place = 0
    for piece in pieces:
        place = message.find(piece, place)
        if place < 0:
            return False
        place += len(piece)
    return True


def _naming(word: str, codes: Iterable[tuple[str, Code]]) -> Iterator[tuple[str, int]]:
    for file, code in codes:
        for token in getattr(code, "tokens", ()):
            if token.text.strip("\"'`") == word and token.sort in ("name", "string"):
                yield file, token.span.line
