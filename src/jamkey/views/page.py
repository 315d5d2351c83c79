"""A reading as one self-contained HTML file: no request leaves it, all text is escaped."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam, Root, Step
from jamkey.text import line_at, shorten
from jamkey.views.drawing import Node, Picture, picture
from jamkey.views.outline import WORDS, Line, Outline, Shown, at, code_of, outline, values_of, visible

#: What tells a page of ours from a user's own file.
MADE_BY = '<meta name="generator" content="Jam Key">'
#: Own frames drawn; of a longer path the ones in the middle are counted.
_MOST_FRAMES = 40
#: Characters of the whole message and frames, and of the printed text, kept at the end of the page.
_MOST_RAW = 40_000
#: Tables of a watched run that are listed.
_MOST_TABLES = 40
#: Lines between a frame's place and a step of the value that are still shown in one piece of code.
_NEAR = 30


class Row(msgspec.Struct):
    """One line of code, with the steps of the value that happen there; no line for a gap."""

    line: Line | None
    #: (number along the value's way, what happens)
    steps: tuple[tuple[int, str], ...] = ()


class Stop(msgspec.Struct):
    """One place on the path: an own frame, a place of the value's way elsewhere, or folded library frames."""

    name: str = ""
    place: str = ""
    snag: bool = False
    root: bool = False
    #: Not a call on the path: a place where the value was before.
    aside: bool = False
    reason: str = ""
    rows: tuple[Row, ...] = ()
    values: tuple[tuple[str, str, str], ...] = ()
    folded: tuple[str, ...] = ()
    #: What the folded calls are.
    folded_as: str = "in libraries"
    #: How often the same call follows itself.
    times: int = 1


class TableRow(msgspec.Struct):
    """A table that a line of a watched run gave a name; widths are shares of the longest of them, in percent."""

    place: str
    code: str
    name: str
    before: str
    after: str
    width_before: int
    width_after: int
    gaps: str
    #: Whether the line changed how many rows there are, and how many values are missing.
    other_rows: bool
    other_gaps: bool
    times: int


class Page(msgspec.Struct):
    """One jam as the template sees it."""

    view: Outline
    stops: list[Stop]
    drawn: Picture
    frames: str
    tables: list[TableRow]


def render(jams: Sequence[Jam], sources: Sources) -> str:
    """Return the page of one or several readings."""
    pages = [_page(jam, sources, f"j{number}") for number, jam in enumerate(jams, 1)]
    printed = "\n".join(visible(shorten(line, 2000)) for line in sources.printed[:_MOST_RAW].split("\n"))
    return str(_template().render(pages=pages, printed=printed.strip("\n"), made_by=MADE_BY))


def _page(jam: Jam, sources: Sources, name: str) -> Page:
    stops = _stops(jam, sources, name)
    nodes = [
        Node(
            name=stop.name,
            title=stop.place,
            times=stop.times,
            small=f"{len(stop.folded)} {stop.folded_as}" if stop.folded else "",
            snag=stop.snag,
            root=stop.root,
            aside=stop.aside,
            steps=tuple(number for row in stop.rows for number, _ in row.steps),
        )
        for stop in stops
    ]
    return Page(outline(jam, sources), stops, picture(nodes), _frames(jam), _tables(jam, sources))


def _tables(jam: Jam, sources: Sources) -> list[TableRow]:
    """Return what a watched run did with its tables, with bars for the rows that went in and came out."""
    longest = max((max(step.rows_before or 0, step.rows_after) for step in jam.watched), default=0) or 1
    rows: list[TableRow] = []
    for step in jam.watched[:_MOST_TABLES]:
        before, gaps = step.rows_before, step.gaps_before
        rows.append(
            TableRow(
                place=visible(at(step.file, step.line)),
                code=visible(shorten(" ".join(line_at(sources.text(step.file) or "", step.line).split()), 90)),
                name=visible(step.name),
                before="" if before is None else f"{before:,}",
                after=f"{step.rows_after:,}",
                width_before=_width(before or 0, longest),
                width_after=_width(step.rows_after, longest),
                gaps=f"{step.gaps_after:,}" if gaps in (None, step.gaps_after) else f"{gaps:,} → {step.gaps_after:,}",
                other_rows=before not in (None, step.rows_after),
                other_gaps=gaps not in (None, step.gaps_after),
                times=step.times,
            )
        )
    return rows


def _width(rows: int, longest: int) -> int:
    """Return the width of a bar in percent; a table with any row has one that can be seen."""
    return max(round(100 * rows / longest), 1 if rows else 0)


def room() -> Any:
    """Return the environment of our templates: everything is escaped, a missing name is an error."""
    import jinja2

    made = jinja2.Environment(autoescape=True, trim_blocks=True, undefined=jinja2.StrictUndefined)
    made.filters["plain"] = lambda text: visible(shorten(text, 400))
    made.filters["spoken"] = _spoken
    made.filters["copied"] = _copied
    return made


@cache
def _template() -> Any:
    return room().from_string((Path(__file__).parent / "templates" / "page.html").read_text(encoding="utf-8"))


def _spoken(text: str) -> str:
    """Return our own sentence as markup: escaped, with what stands in backticks as code."""
    import markupsafe

    parts = text.split("`")
    if len(parts) % 2 == 0:
        return str(markupsafe.escape(text))
    return markupsafe.Markup("").join(
        markupsafe.Markup("<code>{}</code>").format(part) if place % 2 else markupsafe.escape(part)
        for place, part in enumerate(parts)
    )


def _copied(shown: Shown) -> str:
    return "\n".join(text for _, _, sign, text in shown.diff if sign == "+")


_Place = tuple[str, int, int | None]


def _way(root: Root | None) -> dict[_Place, list[tuple[int, str]]]:
    """Return place -> numbered steps: the value's way in the order in which it went, from the root to the failing line."""
    found: dict[_Place, list[tuple[int, str]]] = {}
    if root is None or not root.steps:
        return found
    steps = list(reversed(root.steps))
    if (root.file, root.line, root.cell) not in {(step.file, step.line, step.cell) for step in steps}:
        steps.insert(0, Step(file=root.file, line=root.line, cell=root.cell, what="starts here", text=""))
    for number, step in enumerate(steps, 1):
        found.setdefault((step.file, step.line, step.cell), []).append((number, visible(WORDS.get(step.what, step.what))))
    return found


def _shares(own: Sequence[Frame], way: dict[_Place, list[tuple[int, str]]]) -> dict[int, set[int]]:
    """Return place in `own` -> lines of the value's way drawn there: each once, at the call that had just passed it."""
    found: dict[int, set[int]] = {}
    for file, line, cell in way:
        near = [
            (abs(frame.line - line) + (2 * _NEAR if frame.line < line else 0), index)
            for index, frame in enumerate(own)
            if (frame.file, frame.cell) == (file, cell) and frame.line is not None and abs(frame.line - line) <= _NEAR
        ]
        if near:
            found.setdefault(min(near)[1], set()).add(line)
    return found


def _stops(jam: Jam, sources: Sources, name: str) -> list[Stop]:
    """Return the path from the outside in; places of the value's way that are no frame of the path stand behind it."""
    root = jam.roots[0] if jam.roots else None
    way = _way(root)
    stops: list[Stop] = []
    folded: list[str] = []
    shown: set[_Place] = set()
    times = _runs(jam)
    own = [index for index, frame in enumerate(jam.frames) if frame.owner == "yours" and index in times]
    shares = {own[index]: lines for index, lines in _shares([jam.frames[index] for index in own], way).items()}
    left_out = set(own[_MOST_FRAMES // 2 : -_MOST_FRAMES // 2]) if len(own) > _MOST_FRAMES else set()
    for index, frame in enumerate(jam.frames):
        if index not in times:
            continue
        mine = {
            place: numbered
            for place, numbered in way.items()
            if place[1] in shares.get(index, ()) and (place[0], place[2]) == (frame.file, frame.cell)
        }
        if frame.owner != "yours" or index in left_out:
            folded.append(visible(f"{frame.function or 'the script'} ({at(frame.file, frame.line)})"))
            continue
        if folded:
            stops.append(_folded(f"{name}s{len(stops)}", folded, yours=bool(left_out) and index > min(left_out)))
            folded = []
        is_root = root is not None and (frame.file, frame.line, frame.cell) == (root.file, root.line, root.cell)
        rows = _rows(frame, sources, mine)
        shown |= {
            (frame.file, row.line.number, frame.cell) for row in rows if row.line is not None and (row.steps or row.line.here)
        }
        stops.append(
            Stop(
                name=f"{name}s{len(stops)}",
                place=_place(frame),
                snag=index == jam.snag,
                root=is_root,
                rows=rows,
                times=times[index],
                reason=visible(root.reason) if root is not None and is_root else "",
                values=values_of(frame) if frame.values else (),
            )
        )
    if folded:
        stops.append(_folded(f"{name}s{len(stops)}", folded, yours=False))
    elsewhere = [place for place in way if place not in shown]
    if root is not None and (root.file, root.line, root.cell) not in {*shown, *elsewhere}:
        elsewhere.insert(0, (root.file, root.line, root.cell))
    for file, line, cell in elsewhere:
        if (file, line, cell) in shown:
            continue
        frame = Frame(file=file, line=line, cell=cell)
        is_root = root is not None and (file, line, cell) == (root.file, root.line, root.cell)
        rows = _rows(frame, sources, {place: numbered for place, numbered in way.items() if place not in shown})
        shown |= {(file, row.line.number, cell) for row in rows if row.line is not None and row.steps}
        reason = visible(root.reason) if root is not None and is_root else ""
        stops.append(Stop(name=f"{name}s{len(stops)}", place=_place(frame), root=is_root, aside=True, reason=reason, rows=rows))
    if root is not None and not any(stop.root for stop in stops):
        # the root's line is shown inside another frame's code
        for stop in stops:
            if any(row.line is not None and row.line.number == root.line and row.steps for row in stop.rows) and not stop.root:
                stop.root, stop.reason = True, visible(root.reason)
                break
    return stops


def _runs(jam: Jam) -> dict[int, int]:
    """Return frame -> how often the same call follows itself; only the last of each such run is kept."""
    times: dict[int, int] = {}
    run = 0
    for index, frame in enumerate(jam.frames):
        run += 1 + frame.repeated
        after = jam.frames[index + 1] if index + 1 < len(jam.frames) else None
        same = after is not None and (after.file, after.line, after.function, after.owner) == (
            frame.file,
            frame.line,
            frame.function,
            frame.owner,
        )
        if not same or index == jam.snag or frame.owner != "yours":
            times[index] = run
            run = 0
    return times


def _folded(name: str, calls: Sequence[str], *, yours: bool) -> Stop:
    return Stop(name=name, folded=tuple(calls), folded_as="more" if yours else "in libraries")


def _rows(frame: Frame, sources: Sources, way: dict[_Place, list[tuple[int, str]]]) -> tuple[Row, ...]:
    """Return the code around a frame's place and the near lines where the value's way comes along."""
    lines = {line.number: line for line in code_of(frame, sources)}
    here = frame.line or 0
    text = sources.text(frame.file, frame.cell)
    for file, number, cell in way:
        if (
            (file, cell) == (frame.file, frame.cell)
            and text is not None
            and abs(number - here) <= _NEAR
            and number not in lines
        ):
            lines[number] = Line(number, visible(shorten(line_at(text, number).expandtabs(4), 300)))
    rows: list[Row] = []
    for number in sorted(lines):
        previous = rows[-1].line if rows else None
        if previous is not None and number > previous.number + 1:
            rows.append(Row(None))
        rows.append(Row(lines[number], tuple(way.get((frame.file, number, frame.cell), ()))))
    return tuple(rows)


def _place(frame: Frame) -> str:
    function = f" in {frame.function}" if frame.function and frame.function != "<module>" else ""
    return visible(at(frame.file, frame.line, frame.cell) + function)


def _frames(jam: Jam) -> str:
    rows = [jam.headline, *(jam.message or "").split("\n")[1:], ""]
    rows += [f"{frame.file}:{frame.line or '?'}  {frame.function or ''}  {frame.source or ''}" for frame in jam.frames]
    return "\n".join(visible(shorten(row, 400)) for row in rows)[:_MOST_RAW]
