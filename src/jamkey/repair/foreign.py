"""Signs and words of another language, and what they are called here: tokens only, no shapes of lines."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.repair.ground import Edit, Ground

_ALL = ((r"=>", ">="), (r"=<", "<="), (r"=!", "!="), (r"===", "=="), (r"<>", "!="))
_C_LIKE = (
    (r"\belif\b", "else if"),
    (r"\belseif\b", "else if"),
    (r"\band\b", "&&"),
    (r"\bor\b", "||"),
    (r"\bnot ", "!"),
    (r"\bdef\b", "function"),
    (r"\*\*", "^"),
)
#: Language -> (pattern, what is written here instead).
_WORDS: dict[str, tuple[tuple[str, str], ...]] = {
    "python": (
        *_ALL,
        (r" ?&& ?", " and "),
        (r" ?\|\| ?", " or "),
        (r"!(?!=)", "not "),
        (r"\belse +if\b", "elif"),
        (r"\belseif\b", "elif"),
        (r"(?<=\w)\+\+", " += 1"),
        (r"(?<=\w)--", " -= 1"),
        (r"\bfunction\b", "def"),
        (r"\s*\{\s*$", ":"),
    ),
    "javascript": (*_ALL[1:3], *_C_LIKE[:6], (r"\bprint\b", "console.log"), (r"\bNone\b", "null"), (r"~=", "!=")),
    "java": (
        *_ALL[:3],
        *_C_LIKE[:5],
        (r"\bstring\b", "String"),
        (r"\bconst\b", "final"),
        (r"\bbool\b", "boolean"),
        (r"~=", "!="),
    ),
    "c": (*_ALL[:3], *_C_LIKE[:5], (r"~=", "!=")),
    "lua": (
        (r"!=", "~="),
        *_ALL[:2],
        (r"&&", "and"),
        (r"\|\|", "or"),
        (r"!(?!=)", "not "),
        (r"\belif\b", "elseif"),
        (r"\belse if\b", "elseif"),
        (r"(\w+) ?\+= ?", r"\1 = \1 + "),
        (r"(\w+)\+\+", r"\1 = \1 + 1"),
        (r"\bnull\b", "nil"),
        (r"\{\s*$", "then"),
    ),
    "r": (
        *_ALL[:2],
        (r"\belif\b", "else if"),
        (r"\belseif\b", "else if"),
        (r"\band\b", "&&"),
        (r"\bor\b", "||"),
        (r"(\w+) ?\+= ?", r"\1 <- \1 + "),
        (r"(\w+)\+\+", r"\1 <- \1 + 1"),
    ),
    "octave": (
        *_ALL[:3],
        (r"\belif\b", "elseif"),
        (r"\belse if\b", "elseif"),
        (r"\band\b", "&&"),
        (r"\bor\b", "||"),
        (r"\bthen\b", ""),
    ),
}


def foreign(ground: Ground) -> Iterator[Edit]:
    """Yield what would be written here, on one line and on all lines alike."""
    for pattern, new in _WORDS.get(ground.language.name, ()):
        everywhere: list[tuple[int, int, str]] = []
        for line, row in enumerate(ground.rows, 1):
            if len(row) > 400:
                continue
            for match in re.finditer(pattern, row):
                begin = ground.starts[line - 1]
                change = (begin + match.start(), begin + match.end(), match.expand(new))
                if ground.text[change[0] : change[1]] != change[2]:
                    everywhere.append(change)
                    if line in ground.lines:
                        yield Edit("foreign", *change, 1.5 + ground.lines[line])
        if 1 < len(everywhere) <= 40:
            yield Edit("foreign", *everywhere[0], 2.0, tuple(everywhere[1:]))
