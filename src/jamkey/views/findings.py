"""Findings in the terminal: file by file, each with its line, the reason and the change."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from rich.console import Console
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from jamkey.model import Finding
from jamkey.text import line_at, shorten, splice, visible

_MOST = 200
#: Characters of a line that are shown, and how many of them before the place in question.
_WIDE, _AHEAD = 200, 40


def show_findings(findings: Sequence[Finding], text_of: Callable[[str], str], out: Console) -> None:
    """Print findings below their files, then how many there are.

    Args:
        findings: in the order to show.
        text_of: file name -> text; empty where it cannot be had.
        out: where to.
    """
    file = ""
    for finding in findings[:_MOST]:
        if finding.file != file:
            file = finding.file
            out.print()
            out.print(Text(visible(file), style="bold"))
        _one(finding, text_of(file), out)
    out.print()
    files = len({finding.file for finding in findings})
    more = f", the first {_MOST} shown" if len(findings) > _MOST else ""
    counted = (
        "nothing that looks wrong"
        if not findings
        else f"{len(findings)} finding{'s' if len(findings) > 1 else ''} in {files} file{'s' if files > 1 else ''}{more}"
    )
    out.print(Text(counted, style="bold green" if not findings else "bold"))


def _one(finding: Finding, text: str, out: Console) -> None:
    place = f"cell {finding.cell + 1} line {finding.line}" if finding.cell is not None else f"line {finding.line}"
    head = Text(visible(finding.reason), style="bold red" if finding.kind == "broken-syntax" else "bold")
    head.append(
        f"   {finding.kind}, {finding.rule}" if finding.rule != "grammar" else f"   {finding.kind}",
        style="not bold dim default",
    )
    grid = Table.grid(padding=(0, 2, 0, 0))
    grid.add_column(width=9, justify="right")
    grid.add_row(Text(place, style="bold blue"), head)
    out.print(grid)
    row = visible(line_at(text, finding.line)) if finding.cell is None else ""
    if row.strip():
        inset = len(row) - len(row.lstrip())
        start = max(finding.column - 1 - inset, 0)
        end = finding.end_column - 1 - inset if finding.end_column and finding.end_line == finding.line else start + 1
        shown = Text(row.strip())
        shown.stylize("underline red", start, max(end, start + 1))
        if len(shown) > _WIDE:
            begin = max(min(start - _AHEAD, len(shown) - _WIDE), 0)
            dots = "..." if begin else "", "..." if begin + _WIDE < len(shown) else ""
            shown = Text.assemble(dots[0], shown[begin : begin + _WIDE], dots[1])
        out.print(Padding(shown, (0, 0, 0, 11)))
    if finding.title:
        out.print(Padding(Text(f"key: {visible(finding.title)}", style="green"), (0, 0, 0, 11)))
        for sign, line in _difference(finding, text) if finding.cell is None else ():
            out.print(
                Padding(Text(f"{sign} {shorten(visible(line), _WIDE)}", style="red" if sign == "-" else "green"), (0, 0, 0, 11))
            )


def _difference(finding: Finding, text: str) -> list[tuple[str, str]]:
    import difflib

    if not text or any(edit.file != finding.file for edit in finding.edits):
        return []
    try:
        new = splice(text, finding.edits)
    except ValueError:
        return []
    rows = list(difflib.ndiff(text.split("\n"), new.split("\n"))) if len(text) < 20_000 else []
    changed = [(row[0], row[2:].rstrip()) for row in rows if row[:1] in "+-"][:6]
    inset = min((len(row) - len(row.lstrip()) for _, row in changed if row.strip()), default=0)
    return [(sign, row[inset:]) for sign, row in changed]
