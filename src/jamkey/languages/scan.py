"""Brackets and quotes of a text that need not be grammatical: one pass, linear."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

PAIRS = {"(": ")", "[": "]", "{": "}"}


class Mark(msgspec.Struct, frozen=True):
    """A bracket or quote at a 1-based place."""

    text: str
    line: int
    column: int


class Scan(msgspec.Struct, frozen=True):
    """What is not in order in a text."""

    #: Openers that nothing closes, in order.
    unclosed: tuple[Mark, ...]
    #: (opener or None, closer) that do not belong together.
    mismatched: tuple[tuple[Mark | None, Mark], ...]
    #: The start of a text literal that its line (or the file) does not end.
    open_quotes: tuple[Mark, ...]


class Piece(msgspec.Struct, frozen=True):
    """A comment, a text literal or a bracket."""

    sort: str
    #: What it begins with: the comment's sign, the quote, the bracket.
    mark: str
    #: Half-open character range in the text, from 0.
    start: int
    end: int
    #: 1-based.
    line: int
    column: int
    #: Whether a text literal is closed.
    closed: bool = True


class Style(msgspec.Struct, frozen=True):
    """How a language writes comments and texts."""

    line_comments: tuple[str, ...] = ("#",)
    block_comments: tuple[tuple[str, str], ...] = ()
    quotes: tuple[str, ...] = ('"""', "'''", '"', "'")
    #: Quotes whose text may run over line ends.
    long_quotes: tuple[str, ...] = ('"""', "'''")
    escape: str = "\\"
    #: Quotes that are an operator right behind an operand; doubled they stand for themselves, and nothing is escaped.
    shared_quotes: tuple[str, ...] = ()

    @property
    def sure_quotes(self) -> tuple[str, ...]:
        """Return the quotes that are nothing else."""
        return tuple(quote for quote in self.quotes if quote not in self.shared_quotes)


PYTHON = Style()
C_LIKE = Style(line_comments=("//",), block_comments=(("/*", "*/"),), quotes=('"', "'", "`"), long_quotes=("`",))


def scan(text: str, style: Style = PYTHON) -> Scan:
    """Return the brackets and quotes that do not pair up."""
    stack: list[Mark] = []
    mismatched: list[tuple[Mark | None, Mark]] = []
    open_quotes: list[Mark] = []
    for piece in pieces(text, style):
        place = Mark(piece.mark, piece.line, piece.column)
        if piece.sort == "text" and not piece.closed:
            open_quotes.append(place)
        if piece.sort != "bracket":
            continue
        if piece.mark in PAIRS:
            stack.append(place)
        elif stack and PAIRS[stack[-1].text] == piece.mark:
            stack.pop()
        else:
            mismatched.append((stack[-1] if stack else None, place))
            if len(stack) > 1 and PAIRS[stack[-2].text] == piece.mark:
                del stack[-2:]
    return Scan(tuple(stack), tuple(mismatched), tuple(open_quotes))


def pieces(text: str, style: Style = PYTHON) -> Iterator[Piece]:
    """Yield the comments, text literals and brackets of a source, in order; one pass, linear."""
    position, line, start = 0, 1, 0
    size = len(text)
    special = {mark[0] for mark in (*style.line_comments, *style.quotes, *(b[0] for b in style.block_comments))}
    special |= set("([{)]}\n")
    while position < size:
        character = text[position]
        if character not in special:
            position += 1
            continue
        if character == "\n":
            line += 1
            start = position + 1
            position += 1
            continue
        column = position - start + 1
        block = next((b for b in style.block_comments if text.startswith(b[0], position)), None)
        mark = next((m for m in style.line_comments if text.startswith(m, position)), None) if block is None else None
        quote = (
            next((q for q in style.quotes if text.startswith(q, position)), None) if block is None and mark is None else None
        )
        if quote in style.shared_quotes and position and (text[position - 1].isalnum() or text[position - 1] in "_)]}.'\""):
            quote = None
        if mark is not None:
            end = text.find("\n", position)
            end = size if end < 0 else end
            yield Piece("comment", mark, position, end, line, column)
        elif block is not None:
            end = text.find(block[1], position + len(block[0]))
            end = size if end < 0 else end + len(block[1])
            yield Piece("comment", block[0], position, end, line, column)
        elif quote is not None:
            end, closed = _text_end(text, position + len(quote), quote, style)
            yield Piece("text", quote, position, end, line, column, closed)
        else:
            end = position + 1
            if character in "([{)]}":
                yield Piece("bracket", character, position, end, line, column)
        line, start = _advance(text, position, end, line, start)
        position = end


def prose(text: str, style: Style = PYTHON) -> list[tuple[int, int]]:
    """Return where a source only talks: its comments, and text literals that stand alone, as half-open character ranges."""
    found: list[tuple[int, int]] = []
    open_brackets = 0
    for piece in pieces(text, style):
        if piece.sort == "bracket" and piece.mark in "([)]":
            open_brackets = max(open_brackets + (1 if piece.mark in "([" else -1), 0)
        elif piece.sort == "comment" or (piece.sort == "text" and not open_brackets and _alone(text, piece, style)):
            found.append((piece.start, piece.end))
    return found


def _alone(text: str, piece: Piece, style: Style) -> bool:
    """Tell a text literal that is a statement of its own, such as a docstring."""
    row = text[text.rfind("\n", 0, piece.start) + 1 : piece.start]
    line_end = text.find("\n", piece.end)
    after = text[piece.end : line_end if line_end >= 0 else len(text)].strip()
    above = text[max(piece.start - len(row) - 200, 0) : piece.start - len(row)].rstrip()[-1:]
    goes_on = above in tuple("=+&|\\,")
    return row.strip() in ("", "r", "R", "u") and (not after or after.startswith(style.line_comments)) and not goes_on


def _text_end(text: str, position: int, quote: str, style: Style) -> tuple[int, bool]:
    """Return where a text literal ends and whether it is closed there."""
    long, shared = quote in style.long_quotes, quote in style.shared_quotes
    while position < len(text):
        character = text[position]
        if (character == style.escape and not shared) or (shared and text.startswith(2 * quote, position)):
            position += 2
            continue
        if text.startswith(quote, position):
            return position + len(quote), True
        if character == "\n" and not long:
            return position, False
        position += 1
    return min(position, len(text)), False


def _advance(text: str, start: int, end: int, line: int, line_start: int) -> tuple[int, int]:
    breaks = text.count("\n", start, end)
    if not breaks:
        return line, line_start
    return line + breaks, text.rfind("\n", start, end) + 1
