"""Tokens of a text that need not be grammatical: one pass, the same for all languages."""

from __future__ import annotations

import functools
import re
from typing import NamedTuple

from jamkey.languages.scan import Style

#: Signs of several characters, longest first.
_SIGNS = sorted(
    "<<= >>= ... === !== **= //= ->> <<- %in% %o% %*% %/% %% -> <- << >> <= >= == != ~= :: && || ++ -- += -= *= /= %= ^= |= &= "
    ":= .. => |> ?. ?? .+ .- .* ./ .^ ** // .' ~> <>".split(),
    key=len,
    reverse=True,
)


class Token(NamedTuple):
    """A piece of the text."""

    #: name, number, text, quote (one that nothing closes), sign, comment, line (an end of line), odd.
    sort: str
    text: str
    #: Half-open character range in the text, from 0.
    start: int
    end: int
    #: 1-based.
    line: int


@functools.cache
def _pattern(style: Style) -> re.Pattern[str]:
    parts = [r"(?P<line>\n)", r"(?P<blank>[ \t\r\f]+)"]
    for opening, closing in style.block_comments:
        last = re.escape(closing)
        parts.append(f"(?P<block{len(parts)}>{re.escape(opening)}(?:(?!{last})[\\s\\S])*{last})")
    parts.append(f"(?P<comment>(?:{'|'.join(re.escape(mark) for mark in style.line_comments)})[^\\n]*)")
    for quote in sorted(style.sure_quotes, key=len, reverse=True):
        mark = re.escape(quote)
        inside = "[\\s\\S]" if quote in style.long_quotes else "[^\\n]"
        prefix = r"(?:[rRbBuUfFtT]{1,2})?" if style.escape == "\\" and "#" in style.line_comments else ""
        # what escapes is no sign of its own beside: with two ways to read it a text that nothing closes takes for ever
        escaped = f"{re.escape(style.escape)}{inside}|" if style.escape else ""
        ends = f"(?!{mark}|{re.escape(style.escape)})" if style.escape else f"(?!{mark})"
        parts.append(f"(?P<text{len(parts)}>{prefix}{mark}(?:{escaped}{ends}{inside})*{mark})")
    marks = "".join(sorted({quote[0] for quote in style.sure_quotes}))
    parts.append(f"(?P<quote>[{re.escape(marks)}])")
    parts.append(r"(?P<number>(?:0[xXbBoO][0-9a-fA-F_]+|\d[\d_]*\.?\d*(?:[eE][+-]?\d+)?|\.\d+)[jJLlFfu]*(?![A-Za-z_]))")
    parts.append(r"(?P<name>[^\W\d]\w*)")
    parts.append(f"(?P<sign>{'|'.join(re.escape(sign) for sign in _SIGNS)}|[-+*/%=<>!&|^~@.,:;?$#\\\\()\\[\\]{{}}])")
    parts.append(r"(?P<odd>\d+\w*|.)")
    return re.compile("|".join(parts))


def lex(text: str, style: Style) -> list[Token]:
    """Return the tokens, blanks left out.

    Args:
        text: any text.
        style: how the language writes comments and texts.
    """
    found: list[Token] = []
    line = 1
    for match in _pattern(style).finditer(text):
        sort = (match.lastgroup or "odd").rstrip("0123456789")
        if sort != "blank":
            found.append(Token("comment" if sort == "block" else sort, match[0], match.start(), match.end(), line))
        line += match[0].count("\n")
    return found


def classes(tokens: list[Token], keywords: frozenset[str], text: str) -> list[str]:
    """Return what each token counts as when sequences are counted: words of the language and signs as they are.

    A line's end tells whether the next line stands further in or out.
    """
    found: list[str] = []
    for place, token in enumerate(tokens):
        if token.sort == "name":
            found.append(token.text if token.text in keywords else "N")
        elif token.sort == "number":
            found.append("0")
        elif token.sort == "text":
            found.append("S")
        elif token.sort == "line":
            found.append("L" + _indented(tokens, place, text))
        else:
            found.append(token.text)
    return found


def _indented(tokens: list[Token], place: int, text: str) -> str:
    after = next((token for token in tokens[place + 1 : place + 12] if token.sort not in ("line", "comment")), None)
    if after is None:
        return ""
    here = _width(text, tokens[place].start)
    there = _width(text, after.start)
    return ">" if there > here else "<" if there < here else ""


def _width(text: str, at: int) -> int:
    begin = text.rfind("\n", 0, at) + 1
    row = text[begin : begin + 200]
    return len(row) - len(row.lstrip(" \t"))
