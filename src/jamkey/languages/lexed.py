"""Sources cut into tokens by the lexers of pygments, as our model wants them."""

from __future__ import annotations

from jamkey.languages.base import Span
from jamkey.languages.token_shapes import SIGNS, Token, is_open
from jamkey.late import pattern

#: Sources longer than this are not cut into tokens, in characters.
_LONGEST = 250_000
#: A text literal that comes in pieces is joined up to so many characters.
_LONGEST_TEXT = 2000
_WORDY = pattern(r"[A-Za-z_]")
_PIECES = pattern(r"[A-Za-z_]\w*|\d+(?:\.\d+)?|[^\s\w]")
#: What stands before a member.
MEMBERS = (".", "?.", "->", "::", "$")


def lexed(text: str, lexer_name: str) -> list[Token]:
    """Return the tokens without white space and comments.

    Args:
        text: a source.
        lexer_name: as pygments names it.
    """
    from pygments.lexers import get_lexer_by_name
    from pygments.token import Comment, Keyword, Name, Number, Operator, Punctuation, String, Text, Whitespace

    lexer = get_lexer_by_name(lexer_name, stripnl=False, ensurenl=False)
    found: list[Token] = []
    line = column = 1
    for sort, value in lexer.get_tokens(text[:_LONGEST]):
        start = (line, column)
        breaks = value.count("\n")
        line += breaks
        column = len(value) - value.rfind("\n") if breaks else column + len(value)
        if not value.strip() or sort in Comment or (sort in Text and not value.strip()) or sort in Whitespace:
            continue
        name = "other"
        if sort in String:
            name = "string"
        elif sort in Number:
            name = "number"
        elif sort in Keyword.Constant or sort in Name.Builtin.Pseudo:
            name = "name"
        elif sort in Keyword:
            name = "keyword"
        elif sort in Name:
            name = "name"
        elif sort in Operator or sort in Punctuation:
            name = "operator"
        if name == "operator" and len(value) > 1 and all(c in "()[]{};," for c in value):
            for shift, character in enumerate(value):
                place = Span(start[0], start[1] + shift, start[0], start[1] + shift + 1)
                found.append(Token(name, character, place))
            continue
        if name == "other" and not breaks and _WORDY.search(value):
            # a lexer that gives a stretch as plain text
            for piece in _PIECES.finditer(value):
                sort_of = (
                    "name" if piece[0][0].isalpha() or piece[0][0] == "_" else "number" if piece[0][0].isdigit() else "operator"
                )
                at = start[1] + piece.start()
                found.append(Token(sort_of, piece[0], Span(start[0], at, start[0], at + len(piece[0]))))
            continue
        last = found[-1] if found else None
        if name == "keyword" and last is not None and last.text in MEMBERS and len(found) > 1 and value[0].isalpha():
            name = "name"  # a member may be called like a word of the language
        token = Token(name, value, Span(*start, line, column))
        if last is not None and name == last.sort and (last.span.end_line, last.span.end_column) == start:
            # some lexers give signs one character at a time, and texts in pieces
            joined = last.text + value
            goes_on = name == "string" and len(joined) < _LONGEST_TEXT and is_open(last.text)
            if goes_on or (name == "operator" and joined in SIGNS):
                found[-1] = Token(name, joined, Span(last.span.line, last.span.column, line, column))
                continue
        found.append(token)
    return found
