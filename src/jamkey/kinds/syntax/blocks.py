"""Blocks that words or braces close, and statements that a sign ends, in languages other than Python."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.kinds.syntax.sheet import Page, Suggestion

#: Language -> (words that open a block at the start of a line or behind `=`, words that close one, what to insert).
_WORDS = {
    "lua": (r"(?:local\s+)?function\b|if\b|for\b|while\b|do\b|.*\bfunction\s*\(|.*\bdo\s*$|.*\bthen\s*$", r"end\b", "end"),
    "octave": (
        r"(?:function|if|for|while|switch|do|try|unwind_protect|parfor)\b",
        r"(?:end|endfunction|endif|endfor|endwhile|endswitch|end_try_catch|until|end_unwind_protect)\b",
        "end",
    ),
    "julia": (r"(?:function|if|for|while|begin|let|try|struct|mutable|module|macro|quote)\b|.*\bdo\b[^#]*$", r"end\b", "end"),
    "basic": (
        r"(?:(?:Public|Private)\s+)?(?:Sub|Function)\b|If\b.*\bThen\s*$|For\b|Do\b|While\b|With\b|Select\b",
        r"(?:End|Next|Loop|Wend)\b",
        "End If",
    ),
}
_BRACED = ("c", "java", "javascript", "swift", "r", "supercollider", "stata")
_TERMINATED = ("c", "java", "supercollider")
_COMMENT = {"lua": "--", "octave": "%", "julia": "#", "basic": "'", "r": "#"}


def suggest(page: Page) -> Iterator[Suggestion]:
    """Propose the missing end of a block, and the missing sign at the end of a statement."""
    name = page.language.name
    if name in _WORDS:
        yield from _worded(page, *_WORDS[name])
    elif name in _BRACED:
        yield from _braced(page)
    if name in _TERMINATED and re.search(r"[;‘']|unexpected|expected", page.message):
        yield from _terminator(page)


def _one_line(row: str, closes: str) -> bool:
    return re.search(rf"\b(?:{closes})", row) is not None


def _worded(page: Page, opens: str, closes: str, end: str) -> Iterator[Suggestion]:
    """Walk the lines with a stack: an end that stands further left than the innermost opener belongs to one further out."""
    opening, closing = re.compile(opens), re.compile(closes)
    mark = _COMMENT.get(page.language.name, "#")
    stack: list[int] = []
    for number in range(1, len(page.rows) + 1):
        row = page.row(number).split(mark, 1)[0].strip() if mark != "'" else page.row(number).strip()
        if not row:
            continue
        width = page.width(number)
        if closing.match(row):
            left_open = []
            while stack and page.width(stack[-1]) > width:
                left_open.append(stack.pop())
            if left_open:
                yield from _end_of(page, left_open[-1], number, end)
                return
            if stack:
                stack.pop()
        elif opening.match(row) and not _one_line(row, closes):
            while stack and page.width(stack[-1]) == width and not row.startswith(("else", "elseif", "elif", "case", "catch")):
                # a block of the same depth begins: the one before was never ended
                yield from _end_of(page, stack[-1], number, end)
                return
            stack.append(number)
    if stack:
        yield from _end_of(page, stack[-1], len(page.rows) + 1, end)


def _end_of(page: Page, opener: int, before: int, end: str) -> Iterator[Suggestion]:
    """Put the end behind the last line that is indented deeper than the opener."""
    last = opener
    for number in range(opener + 1, min(before, len(page.rows) + 1)):
        if page.row(number).strip():
            if page.width(number) <= page.width(opener) and not page.row(number).strip().startswith(
                ("else", "elseif", "case", "catch", "Else", "ElseIf")
            ):
                break
            last = number
    yield Suggestion(
        "end-block",
        f"End the block of line {opener} below line {last}: `{end}`",
        f"the block that begins on line {opener} is never ended",
        (page.line_below(last, page.indent(opener) + end),),
        opener,
    )


def _braced(page: Page) -> Iterator[Suggestion]:
    """A brace that is never closed: the opener whose closing line is indented otherwise."""
    unclosed = [mark for mark in page.scan.unclosed if mark.text == "{"]
    if not unclosed:
        return
    stack: list[int] = []
    for number in range(1, len(page.rows) + 1):
        row = re.sub(r"//.*|#.*|\"[^\"]*\"|'[^']*'", "", page.row(number))
        for character in row:
            if character == "{":
                stack.append(number)
            elif character == "}" and stack:
                if page.row(number).lstrip().startswith("}") and page.width(stack[-1]) > page.width(number):
                    yield from _end_of(page, stack[-1], number, "}")
                    return
                stack.pop()
    if stack:
        yield from _end_of(page, stack[-1], len(page.rows) + 1, "}")


def _terminator(page: Page) -> Iterator[Suggestion]:
    """The statement before the place where reading stopped lacks its sign."""
    line = page.line
    before = page.row(line)[: page.column - 1].strip() if page.column else ""
    if not before:
        line = page.above(page.line) or page.line
    row = page.row(line)
    end = page.code_end(line)
    if page.column and line == page.line and page.column < end - 1 and "';' expected" not in page.message:
        return
    if row.rstrip().endswith((";", "{", "}", ",", "(")) or row.lstrip().startswith(("#", "//", "*")):
        return
    place = (
        min(end, page.column)
        if line == page.line and page.column and "expected" in page.message and page.column >= end - 1
        else end
    )
    yield Suggestion(
        "end-statement",
        f"Put a `;` at the end of line {line}",
        "a statement ends with this sign",
        (page.put(line, max(place, 1), ";"),),
        line,
    )
