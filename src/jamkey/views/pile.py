"""A pile in the terminal, as CSV and as Markdown."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Callable

from rich.console import Console
from rich.table import Table
from rich.text import Text

from jamkey.errors import UsageError
from jamkey.follow.sources import Sources
from jamkey.journal.statistics import shares_of
from jamkey.model import Kin, Pile
from jamkey.text import shorten, visible
from jamkey.views.outline import outline
from jamkey.views.tally import bar
from jamkey.views.terminal import reading

#: Rows of a list, of the jobs that did not end well, and signs of a bar in a list of families.
_MOST, _MOST_JOBS, _BAR, _NARROW = 30, 12, 10, 6
#: What a pile can be counted by, beside its families.
GROUPS: dict[str, Callable[[Kin], dict[str, int]]] = {
    "kind": lambda kin: {kin.kind or "unknown": kin.count},
    "type": lambda kin: {kin.exception_type or "(none)": kin.count},
    "own-line": lambda kin: {place(kin) or "(none of yours)": kin.count},
}


def days(kin: Kin) -> dict[str, int]:
    """Return day -> count of a family."""
    found: Counter[str] = Counter()
    for hour, count in kin.hours.items():
        found[hour[:10]] += count
    without = kin.count - found.total()
    return {**found, **({"(no time)": without} if without > 0 else {})}


GROUPS["day"] = days
#: What `--by` takes.
BY = ("family", *GROUPS, "file")


def place(kin: Kin) -> str:
    """Return a family's own line, as it is shown; empty where none is known."""
    frame = kin.jam.snag_frame
    return f"{frame.file.rpartition('/')[2]}:{frame.line}" if frame is not None else ""


def headline(kin: Kin) -> str:
    """Return the type and message of a family in one line."""
    if kin.exception_type is None and not kin.message:
        return "(cut off before it says what it is)"
    return visible(": ".join(part for part in (kin.exception_type, kin.message) if part))


def size(count: int) -> str:
    """Return bytes as people say them."""
    value, unit = float(count), "bytes"
    for name in ("kB", "MB", "GB", "TB"):
        if value < 1000:
            break
        value, unit = value / 1000, name
    return f"{value:.3g} {unit}" if unit != "bytes" else f"{count:,} bytes"


def counted(pile: Pile, by: str) -> dict[str, int]:
    """Return name -> count of a pile's failures.

    Raises:
        UsageError: it cannot be counted by that.
    """
    if by == "file":
        return {job.file: job.failures for job in pile.jobs if job.failures}
    group = GROUPS.get(by)
    if group is None:
        raise UsageError(f"--by {by}: a pile is counted by {', '.join(BY)}")
    counts: Counter[str] = Counter()
    for kin in pile.families:
        counts.update(group(kin))
    return counts


def show_pile(pile: Pile, out: Console, *, by: str = "family", chosen: int = 1, sources: Sources | None = None) -> None:
    """Print a pile: how much, its families with bars, the reading of one of them, and the jobs that did not end well.

    Args:
        pile: gathered.
        out: where to.
        by: family, or one of `GROUPS`, or file.
        chosen: number of the family whose reading is shown, from 1; 0 for none.
        sources: of the project.
    """
    out.print(Text(summary(pile), style="bold"))
    if not pile.families:
        if pile.failures == 0:
            out.print("No failure is in them.")
        _jobs(pile, out)
        return
    out.print()
    if by == "family":
        _families(pile, out)
    else:
        _shares(pile, by, out)
    _jobs(pile, out)
    if by == "family" and 0 < chosen <= len(pile.families):
        kin = pile.families[chosen - 1]
        out.print()
        where = f"{visible(kin.file)}, line {kin.line:,}" if kin.line else visible(kin.file)
        out.rule(Text(f" {chosen}  as in {where} ", style="bold"), align="left", style="dim")
        out.print()
        out.print(reading(outline(kin.jam, sources), "jam", out))


def summary(pile: Pile) -> str:
    """Return one line: how much was looked at, when, and what was found."""
    times = [time for kin in pile.families for time in (kin.first, kin.last) if time is not None]
    span = f", {spoken(min(times))} to {spoken(max(times))}" if times else ""
    files = f"{len(pile.jobs):,} log{'s' if len(pile.jobs) != 1 else ''}"
    fresh = sum(kin.fresh for kin in pile.families)
    failures = f"{pile.failures:,} failure{'s' if pile.failures != 1 else ''}"
    kinds = f"{len(pile.families):,} famil{'ies' if len(pile.families) != 1 else 'y'}"
    new = f" ({fresh:,} new)" if 0 < fresh < len(pile.families) else ""
    return f"{size(pile.bytes)} in {files}{span}: {failures}, {kinds}{new}"


def spoken(time: str | None) -> str:
    """Return a logger's time to the minute."""
    return (time or "")[:16].replace("T", " ")


def _families(pile: Pile, out: Console) -> None:
    """Print a line for each family; the failure takes what the other columns leave."""
    shown = pile.families[:_MOST]
    top = max(kin.count for kin in shown)
    known = any(not kin.fresh for kin in pile.families)
    wide = out.width >= 110
    columns: list[tuple[str, list[Text], str]] = [
        ("", [Text(str(number), style="bold") for number in range(1, len(shown) + 1)], "right"),
        ("times", [Text(f"{kin.count:,}") for kin in shown], "right"),
        ("", [bar(kin.count, top, _BAR if wide else _NARROW) for kin in shown], "left"),
    ]
    if wide:
        columns.append(("first", [Text(spoken(kin.first)) for kin in shown], "left"))
        columns.append(("last", [Text(spoken(kin.last)) for kin in shown], "left"))
    if len(pile.jobs) > 1:
        columns.append(("logs", [Text(f"{kin.file_count:,}") for kin in shown], "right"))
    columns.append(
        ("your line", [Text(visible(shorten(place(kin), 26 if wide else 20)), style="cyan") for kin in shown], "left")
    )
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim")
    left = out.width
    for title, cells, side in columns:
        width = max([cell.cell_len for cell in cells] + [len(title)])
        table.add_column(title, justify="right" if side == "right" else "left", no_wrap=True, width=width)
        left -= width + 2
    table.add_column("failure", no_wrap=True, overflow="ellipsis", width=max(left, 16))
    for number, kin in enumerate(shown):
        new = ("new ", "bold green") if known and kin.fresh else ("", "")
        kind, separator, rest = headline(kin).partition(": ")
        told = Text.assemble(new, (kind, "bold red"), separator, rest)
        table.add_row(*(cells[number] for _, cells, _ in columns), told)
    out.print(table)
    if len(pile.families) > _MOST:
        out.print(Text(f"and {len(pile.families) - _MOST:,} more", style="dim"))


def _shares(pile: Pile, by: str, out: Console) -> None:
    shares = shares_of(counted(pile, by), in_order=by == "day")
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim")
    table.add_column(by, no_wrap=True, max_width=60, overflow="ellipsis")
    table.add_column("", no_wrap=True)
    table.add_column("times", justify="right")
    top = max((share.count for share in shares), default=1)
    shown = shares[-_MOST:] if by == "day" else shares[:_MOST]
    for share in shown:
        table.add_row(Text(visible(share.name)), bar(share.count, top), f"{share.count:,}")
    out.print(table)
    if len(shares) > len(shown):
        out.print(Text(f"and {len(shares) - len(shown):,} more", style="dim"))


def _jobs(pile: Pile, out: Console) -> None:
    """Say how the runs ended, and name those that did not end well."""
    if not pile.jobs:
        return
    counts: Counter[str] = Counter(job.ended for job in pile.jobs)
    out.print()
    told = [f"{counts[how]:,} {words}" for how, words in ENDS.items() if counts[how]]
    out.print(Text(f"{len(pile.jobs):,} log{'s' if len(pile.jobs) != 1 else ''}: {', '.join(told)}", style="bold"))
    bad = [job for job in pile.jobs if job.ended != "well"]
    for job in bad[:_MOST_JOBS]:
        of = f", family {job.family + 1}" if job.family is not None else ""
        line = Text.assemble((f"  {job.ended}{of}", "yellow"), "  ", visible(shorten(job.file, 100)))
        out.print(line, no_wrap=True, overflow="ellipsis")
    if len(bad) > _MOST_JOBS:
        out.print(Text(f"  and {len(bad) - _MOST_JOBS:,} more", style="dim"))


#: How a run ended -> the words for it.
ENDS = {"well": "ended well", "failed": "failed", "cut off": "cut off", "hung": "hung (no line for long before the end)"}


def table_text(pile: Pile) -> str:
    """Return the families as CSV (RFC 4180), a row each."""
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow(["count", "first", "last", "logs", "kind", "exception_type", "message", "your_line", "new", "log", "line"])
    for kin in pile.families:
        cells = (kin.kind or "", kin.exception_type or "", kin.message, place(kin))
        writer.writerow(
            [
                kin.count,
                kin.first or "",
                kin.last or "",
                kin.file_count,
                *(_cell(visible(cell)) for cell in cells),
                "yes" if kin.fresh else "no",
                _cell(visible(kin.file)),
                kin.line or "",
            ]
        )
    return buffer.getvalue()


def _cell(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t") else text


def markdown(pile: Pile) -> str:
    """Return the families and the jobs that did not end well as Markdown."""
    lines = [f"# {summary(pile)}", "", "| times | first | last | logs | your line | failure |", "|--:|---|---|--:|---|---|"]
    for kin in pile.families:
        place_, told = (_quoted(text) for text in (place(kin), headline(kin)))
        lines.append(f"| {kin.count:,} | {spoken(kin.first)} | {spoken(kin.last)} | {kin.file_count:,} | {place_} | {told} |")
    bad = [job for job in pile.jobs if job.ended != "well"]
    if bad:
        lines += ["", "## Runs that did not end well", ""]
        lines += [f"- {job.ended}: {_quoted(visible(job.file))}" for job in bad]
    return "\n".join(lines) + "\n"


def _quoted(text: str) -> str:
    """Return a text as code of Markdown, within one cell."""
    if not text:
        return ""
    text = text.replace("|", "\\|").replace("\n", " ")
    ticks = "`" * (max((len(run) for run in text.split() if set(run) == {"`"}), default=0) + (2 if "`" in text else 1))
    return f"{ticks} {text} {ticks}" if "`" in text else f"`{text}`"
