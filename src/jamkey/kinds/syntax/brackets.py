"""Brackets that are not closed, closed by another sort, or closed twice."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.kinds.syntax.sheet import Page, Suggestion
from jamkey.languages.scan import PAIRS, Mark


def suggest(page: Page) -> Iterator[Suggestion]:
    """Propose closers where the bracket's content ends, and the right closer for a wrong one."""
    for opener, closer in page.scan.mismatched[:2]:
        yield from _mismatch(page, opener, closer)
    for opener in reversed(page.scan.unclosed[-3:]):
        yield from _unclosed(page, opener)


def _mismatch(page: Page, opener: Mark | None, closer: Mark) -> Iterator[Suggestion]:
    if opener is None:
        yield Suggestion(
            "extra-closer",
            f"Take out the `{closer.text}` on line {closer.line}",
            "nothing opens it",
            (page.edit(closer.line, closer.column, closer.column + 1, ""),),
            closer.line,
        )
        return
    wanted = PAIRS[opener.text]
    if not page.is_python and closer.line > opener.line and opener.text != "{":
        # statements end with their line, most of them: the bracket is missing there
        end = page.code_end(opener.line)
        end -= page.row(opener.line)[: end - 1].endswith(";")
        yield Suggestion(
            "close-line",
            f"Put a `{wanted}` at the end of line {opener.line}",
            f"the `{opener.text}` on line {opener.line} is never closed",
            (page.put(opener.line, end, wanted),),
            opener.line,
        )
    yield Suggestion(
        "extra-closer",
        f"Take out the `{closer.text}` on line {closer.line}",
        f"it closes nothing: `{opener.text}` is open there",
        (page.edit(closer.line, closer.column, closer.column + 1, ""),),
        closer.line,
    )
    yield Suggestion(
        "right-closer",
        f"Close the `{opener.text}` of line {opener.line} with `{wanted}` instead of `{closer.text}`",
        f"`{closer.text}` does not belong to `{opener.text}`",
        (page.edit(closer.line, closer.column, closer.column + 1, wanted),),
        opener.line,
    )
    yield Suggestion(
        "missing-closer",
        f"Put a `{wanted}` before the `{closer.text}` on line {closer.line}",
        f"the `{opener.text}` of line {opener.line} is still open there",
        (page.put(closer.line, closer.column, wanted),),
        opener.line,
    )


def _unclosed(page: Page, opener: Mark) -> Iterator[Suggestion]:
    wanted = PAIRS[opener.text]
    reason = f"the `{opener.text}` on line {opener.line} is never closed"
    base = page.width(opener.line)
    line = opener.line
    same_line = page.row(line)[opener.column :].strip()
    if page.is_python and page.row(line).rstrip().endswith(":") and same_line:
        end = page.code_end(line) - 1
        yield Suggestion(
            "close-before-colon",
            f"Put a `{wanted}` before the `:` on line {line}",
            reason,
            (page.put(line, end, wanted),),
            line,
        )
    if same_line and not same_line.startswith(("#", "//")):
        end = page.code_end(line)
        tail = page.row(line)[: end - 1]
        if tail.endswith((";", "{")) and not page.is_python:
            end -= 1
            while end > 1 and page.row(line)[end - 2] in " {;":
                end -= 1
        yield Suggestion(
            "close-on-line", f"Put a `{wanted}` at the end of line {line}", reason, (page.put(line, end, wanted),), opener.line
        )
    if page.is_python:
        yield from _close_below(page, opener, wanted, reason, base)
    else:
        yield from _close_block(page, opener, wanted, reason, base)


def _close_below(page: Page, opener: Mark, wanted: str, reason: str, base: int) -> Iterator[Suggestion]:
    """Close after the last line that is indented deeper than the opener's line: own line, or its end."""
    last = opener.line
    number = opener.line + 1
    while number <= len(page.rows):
        row = page.row(number).strip()
        if row and page.width(number) <= base and row[0] not in ")]}":
            break
        if row:
            last = number
        number += 1
    if last > opener.line:
        hanging = not page.row(opener.line)[opener.column :].strip()
        own_line = Suggestion(
            "close-below",
            f"Put a `{wanted}` on a line of its own below line {last}",
            reason,
            (page.line_below(last, page.indent(opener.line) + wanted),),
            opener.line,
            rank=int(not hanging),
        )
        at_end = Suggestion(
            "close-at-end",
            f"Put a `{wanted}` at the end of line {last}",
            reason,
            (page.put(last, page.code_end(last), wanted),),
            opener.line,
            rank=int(hanging),
        )
        yield from (own_line, at_end) if hanging else (at_end, own_line)
        previous = page.above(last)
        if previous > opener.line and not hanging:
            yield Suggestion(
                "close-earlier",
                f"Put a `{wanted}` at the end of line {previous}",
                reason,
                (page.put(previous, page.code_end(previous), wanted),),
                opener.line,
            )


def _close_block(page: Page, opener: Mark, wanted: str, reason: str, base: int) -> Iterator[Suggestion]:
    """Close a block where the indentation goes back to that of its first line."""
    candidates = [opener]
    if opener.text == "{":
        # the innermost block whose content goes back to its own depth before a closer is the one left open
        candidates = [mark for mark in _openers_within(page, opener) if _returns_without_closer(page, mark)] or [opener]
    for mark in candidates[:2]:
        depth = page.width(mark.line)
        last = mark.line
        number = mark.line + 1
        while number <= len(page.rows):
            row = page.row(number).strip()
            if row and page.width(number) <= depth:
                break
            if row:
                last = number
            number += 1
        text = page.indent(mark.line) + wanted
        yield Suggestion(
            "close-below",
            f"Put a `{wanted}` on a line of its own below line {last}",
            f"the `{mark.text}` on line {mark.line} is never closed",
            (page.line_below(last, text),),
            last,
        )


def _openers_within(page: Page, opener: Mark) -> list[Mark]:
    """Return the opener and the block openers at the end of lines below it, innermost depth last."""
    found = [opener]
    for number in range(opener.line + 1, len(page.rows) + 1):
        row = page.row(number).rstrip()
        if row.endswith(opener.text):
            found.append(Mark(opener.text, number, len(row)))
    return list(reversed(found))


def _returns_without_closer(page: Page, mark: Mark) -> bool:
    """Tell whether the line that goes back to the opener's depth does not start with a closer."""
    depth = page.width(mark.line)
    for number in range(mark.line + 1, len(page.rows) + 1):
        row = page.row(number).strip()
        if row and page.width(number) <= depth:
            return not row.startswith(PAIRS[mark.text])
    return True
