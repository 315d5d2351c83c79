"""Brackets and quotes of a text that need not be grammatical: one pass, linear."""

from __future__ import annotations

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


class Style(msgspec.Struct, frozen=True):
    """How a language writes comments and texts."""

    line_comments: tuple[str, ...] = ("#",)
    block_comments: tuple[tuple[str, str], ...] = ()
    quotes: tuple[str, ...] = ('"""', "'''", '"', "'")
    #: Quotes whose text may run over line ends.
    long_quotes: tuple[str, ...] = ('"""', "'''")
    escape: str = "\\"


PYTHON = Style()
C_LIKE = Style(line_comments=("//",), block_comments=(("/*", "*/"),), quotes=('"', "'", "`"), long_quotes=("`",))


def scan(text: str, style: Style = PYTHON) -> Scan:
    """Return the brackets and quotes that do not pair up."""
    stack: list[Mark] = []
    mismatched: list[tuple[Mark | None, Mark]] = []
    open_quotes: list[Mark] = []
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
        mark = next((m for m in style.line_comments if text.startswith(m, position)), None)
        if mark is not None:
            end = text.find("\n", position)
            position = size if end < 0 else end
            continue
        block = next((b for b in style.block_comments if text.startswith(b[0], position)), None)
        if block is not None:
            end = text.find(block[1], position + len(block[0]))
            end = size if end < 0 else end + len(block[1])
            line, start = _advance(text, position, end, line, start)
            position = end
            continue
        quote = next((q for q in style.quotes if text.startswith(q, position)), None)
        if quote is not None:
            place = Mark(quote, line, position - start + 1)
            end, closed = _text_end(text, position + len(quote), quote, style)
            if not closed:
                open_quotes.append(place)
            line, start = _advance(text, position, end, line, start)
            position = end
            continue
        if character not in "([{)]}":
            position += 1  # the first sign of a comment, and no comment
            continue
        place = Mark(character, line, position - start + 1)
        if character in PAIRS:
            stack.append(place)
        elif stack and PAIRS[stack[-1].text] == character:
            stack.pop()
        else:
            mismatched.append((stack[-1] if stack else None, place))
            if len(stack) > 1 and PAIRS[stack[-2].text] == character:
                del stack[-2:]
        position += 1
    return Scan(tuple(stack), tuple(mismatched), tuple(open_quotes))


def _text_end(text: str, position: int, quote: str, style: Style) -> tuple[int, bool]:
    """Return where a text literal ends and whether it is closed there."""
    long = quote in style.long_quotes
    while position < len(text):
        character = text[position]
        if character == style.escape:
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
