"""Blocks by indentation: a body not indented, a line indented for no reason, levels that do not match, tabs."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.kinds.syntax.sheet import Page, Suggestion

_GOES_ON = ("else", "elif", "except", "finally", "case")


def suggest(page: Page) -> Iterator[Suggestion]:
    """Propose other indentations for the line and the lines that belong to it."""
    if not page.is_python:
        return
    message = page.message
    if "expected an indented block" in message:
        yield from _body(page)
    if "unexpected indent" in message or "bad input" in message:
        yield from _for_no_reason(page)
    if "unindent does not match" in message or "dedent" in message:
        yield from _no_level(page)
    if "tab" in message.lower():
        yield from _tabs(page)
    if "outside function" in message or "outside loop" in message or "not properly in loop" in message:
        yield from _into_block(page)
    row = page.row(page.line).strip()
    if row.startswith(_GOES_ON):
        yield from _continued(page)
    previous = page.above(page.line)
    if previous and page.row(previous).rstrip().endswith(":") and page.width(page.line) <= page.width(previous):
        yield from _body(page)


def _unit(page: Page) -> str:
    """Return one level of indentation as this file writes it."""
    for number in range(1, len(page.rows) + 1):
        indent = page.indent(number)
        if indent and page.row(number).strip():
            return "\t" if indent[0] == "\t" else indent if len(indent) <= 4 else "    "
    return "    "


def _run(page: Page, line: int) -> list[int]:
    """Return the line and those directly below it at the same depth or deeper, up to an empty line."""
    depth = page.width(line)
    found = [line]
    number = line + 1
    while number <= len(page.rows) and page.row(number).strip() and page.width(number) >= depth:
        found.append(number)
        number += 1
    return found


def _body(page: Page) -> Iterator[Suggestion]:
    header = page.above(page.line)
    if not header:
        return
    wanted = page.indent(header) + _unit(page)
    reason = f"line {header} opens a block, and its body must be indented"
    run = _run(page, page.line)
    same = [n for n in run if page.width(n) == page.width(page.line)]
    shift = page.width(page.line)
    head = page.row(header).strip().split(" ")[0].split("(")[0]
    whole = tuple(page.reindent(n, wanted + page.indent(n).expandtabs(8)[shift:]) for n in run)
    # below a function's or class's header the whole run is its body; below a loop or condition often one line
    first = 0.78 if head in ("def", "class", "async") else 0.93
    if len(run) > 1:
        yield Suggestion(
            "indent-block",
            f"Indent lines {run[0]} to {run[-1]} below line {header}",
            reason,
            0.93 if first < 0.9 else 0.8,
            whole,
            page.line,
        )
    yield Suggestion(
        "indent-line",
        f"Indent line {page.line} below line {header}",
        reason,
        first if len(same) > 1 else 0.94,
        (page.reindent(page.line, wanted),),
        page.line,
    )


def _for_no_reason(page: Page) -> Iterator[Suggestion]:
    previous = page.above(page.line)
    wanted = page.indent(previous) if previous else ""
    reason = "nothing above opens a block that this line could belong to"
    run = _run(page, page.line)
    if page.indent(page.line) == wanted:
        return
    shift = page.width(page.line)
    yield Suggestion(
        "outdent-line",
        f"Take the indentation of line {page.line} back",
        reason,
        0.93,
        (page.reindent(page.line, wanted),),
        page.line,
    )
    if len(run) > 1:
        edits = tuple(page.reindent(n, wanted + page.indent(n).expandtabs(8)[shift:]) for n in run)
        yield Suggestion(
            "outdent-block", f"Take the indentation of lines {run[0]} to {run[-1]} back", reason, 0.92, edits, page.line
        )


def _levels(page: Page, line: int) -> list[str]:
    """Return the indentations of the blocks that are open above a line, nearest width first."""
    levels: dict[int, str] = {}
    limit = 10**9
    number = page.above(line)
    while number:
        width = page.width(number)
        if width < limit:
            levels[width] = page.indent(number)
            limit = width
        number = page.above(number)
        if limit == 0:
            break
    own = page.width(line)
    return [levels[width] for width in sorted(levels, key=lambda w: (abs(w - own), -w))]


def _no_level(page: Page) -> Iterator[Suggestion]:
    row = page.row(page.line).strip()
    run = _run(page, page.line)
    shift = page.width(page.line)
    for rank, wanted in enumerate(_levels(page, page.line)[:3]):
        edits = tuple(page.reindent(n, wanted + page.indent(n).expandtabs(8)[shift:]) for n in run)
        yield Suggestion(
            f"to-level-{len(wanted)}",
            f"Indent line {page.line} by {len(wanted)} spaces",
            f"`{row[:40]}` stands between two levels of indentation",
            0.92 - 0.1 * rank,
            edits,
            page.line,
        )


def _tabs(page: Page) -> Iterator[Suggestion]:
    """Write the indentation of the tabbed lines in spaces, each way a tab may have been meant."""
    rows = [n for n in range(1, len(page.rows) + 1) if "\t" in page.indent(n) and page.row(n).strip()]
    for rank, width in enumerate((8, 4, 2)):
        edits = tuple(page.reindent(n, page.indent(n).expandtabs(width)) for n in rows)
        yield Suggestion(
            f"tabs-as-{width}",
            f"Write the tabs as spaces ({width} each)",
            "tabs and spaces are mixed in the indentation",
            0.93 - 0.05 * rank,
            edits,
            page.line,
        )
    for wanted in _levels(page, page.line)[:2]:
        spaces = wanted.expandtabs(8)
        yield Suggestion(
            f"tab-to-level-{len(spaces)}",
            f"Indent line {page.line} by {len(spaces)} spaces",
            "tabs and spaces are mixed in the indentation",
            0.8,
            (page.reindent(page.line, spaces),),
            page.line,
        )


def _into_block(page: Page) -> Iterator[Suggestion]:
    """A return, break or continue that stands outside: indent it as the line above."""
    previous = page.above(page.line)
    if not previous:
        return
    wide = [page.indent(n) for n in range(1, page.line) if page.row(n).strip()]
    for rank, wanted in enumerate(sorted({text for text in wide if len(text) > len(page.indent(page.line))}, key=len)[:3]):
        yield Suggestion(
            f"indent-to-{len(wanted)}",
            f"Indent line {page.line} by {len(wanted)} spaces, into the block above",
            "it belongs inside the block",
            0.92 - 0.06 * rank,
            (page.reindent(page.line, wanted),),
            page.line,
        )


def _continued(page: Page) -> Iterator[Suggestion]:
    """An `else` without its `if`: lines above fell out of the block, or the word is at the wrong depth."""
    word = page.row(page.line).strip().split(":")[0].split(" ")[0]
    depth = page.width(page.line)
    number = page.above(page.line)
    fallen: list[int] = []
    while (
        number
        and page.width(number) == depth
        and not page.row(number).strip().startswith(("if ", "for ", "while ", "try", "elif ", "with "))
    ):
        fallen.append(number)
        number = page.above(number)
    if fallen and number:
        deeper = page.indent(number) if page.width(number) > depth else page.indent(page.line) + _unit(page)
        edits = tuple(page.reindent(n, deeper) for n in fallen)
        first = min(fallen)
        yield Suggestion(
            "into-branch",
            f"Indent line {first} into the block above",
            f"it ends the block too early, and `{word}` then has nothing to belong to",
            0.93,
            edits,
            first,
        )
    for wanted in _levels(page, page.line)[:3]:
        if wanted != page.indent(page.line):
            yield Suggestion(
                f"{word}-to-{len(wanted)}",
                f"Indent `{word}` on line {page.line} by {len(wanted)} spaces",
                f"`{word}` must stand exactly below its `if`, `for` or `try`",
                0.82,
                (page.reindent(page.line, wanted),),
                page.line,
            )
