"""A reading in the terminal: one screen, a narrow column of labels, plain words."""

from __future__ import annotations

import codecs
import io
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import IO

from rich.cells import cell_len
from rich.console import Console, Group, RenderableType
from rich.text import Text

from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.views.columns import Columns, Narrow
from jamkey.views.outline import Line, Outline, Shown, outline

_LABEL = "bold blue"
_BAD = "bold red"
_GOOD = "green"
_DIM = "dim"
#: Lines of a key's diff.
_MOST_DIFF = 6
#: What our own signs become where they cannot be printed.
_PLAIN = {"▌": "|", "▔": "~", "…": ".", "█": "#", **dict.fromkeys("▉▊▋▍▎▏", "#")}
_OUTCOME_STYLE = {"runs": "bold green", "moved": "yellow", "same": _DIM, "worse": _DIM, "timeout": _DIM, "untried": _DIM}


def console(file: IO[str] | None = None, *, stderr: bool = False, width: int | None = None) -> Console:
    """Return a console that respects NO_COLOR, the width, the encoding and whether it is a terminal."""
    _fit(file or (sys.stderr if stderr else sys.stdout))
    return Console(
        file=file, stderr=stderr, width=width, highlight=False, emoji=False, markup=False, soft_wrap=False, force_jupyter=False
    )


def _fit(stream: IO[str]) -> None:
    """Let a stream whose encoding lacks our signs print plain ones in their place, and figures for what else it lacks."""
    if isinstance(stream, io.TextIOWrapper) and not stream.encoding.lower().startswith("utf"):
        codecs.register_error("jamkey-plain", _plain)
        stream.reconfigure(errors="jamkey-plain")


def _plain(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    signs = error.object[error.start : error.end]
    return "".join(_PLAIN.get(sign, f"\\u{ord(sign):04x}") for sign in signs), error.end


def show(jams: Sequence[Jam], sources: Sources, out: Console, *, link: str = "") -> None:
    """Print the readings, with their number where there are several.

    Args:
        jams: diagnosed.
        sources: where code is read.
        out: the terminal.
        link: the settings' form of links to places; empty for the usual one.
    """
    form = ""
    if out.is_terminal:
        from jamkey.views.links import link_form

        form = link_form(link, os.environ)
    for number, jam in enumerate(jams, 1):
        if number > 1:
            out.print()
        out.print(reading(outline(jam, sources), f"jam {number}/{len(jams)}" if len(jams) > 1 else "jam", out, form=form))


def render_plain(jams: Sequence[Jam], sources: Sources) -> str:
    """Return the readings as text without colour, 100 columns wide."""
    buffer = io.StringIO()
    out = Console(file=buffer, width=100, color_system=None, highlight=False, emoji=False, markup=False, force_jupyter=False)
    show(jams, sources, out)
    return "\n".join(line.rstrip() for line in buffer.getvalue().split("\n"))


class _Places:
    """Writes places as text, linked to their file where there is a form for links."""

    def __init__(self, view: Outline, form: str) -> None:
        self.spots, self.form = view.spots, form

    def __call__(self, place: str, style: str = "") -> Text:
        spot = self.spots.get(place) if self.form else None
        if spot is None:
            return Text(place, style=style)
        from jamkey.views.links import link_to

        # a span, so that what is padded around it is no link
        return Text().append(place, style=f"{style} link {link_to(Path(spot[0]), spot[1], self.form)}".strip())


def reading(view: Outline, name: str, out: Console, *, form: str = "") -> RenderableType:
    """Return one reading: labels left, what they name right.

    Without colour the failing part is marked by a line of signs below it, else by its own colour.
    """
    grid = Columns(Narrow(9, _LABEL, "right"), gap=1, indent=1)
    places = _Places(view, form)
    head = Text(view.headline, style=_BAD)
    if view.count > 1:
        head.append(f"   {view.count} times", style=_DIM)
    grid.add_row(name, Group(head, *(Text(line) for line in view.more_message), Text(view.subtitle, style=_DIM)))
    if view.place:
        _row(grid, "your line", Group(places(view.place, "bold"), *code_lines(view.code, signs=out.color_system is None)))
    if view.values:
        _row(grid, "values", _values(view, out.width - 11))
    if view.root or view.steps:
        _row(grid, "root", _root(view, places))
    _row(grid, "means", Group(Text(view.meaning), *([Text(view.look_at, style=_DIM)] if view.look_at else [])))
    if view.causes and not view.keys:
        _row(grid, "usually", Group(*(Text(f"- {cause}") for cause in view.causes)))
    if view.keys:
        _row(grid, "keys", _keys(view, places))
    if view.chain:
        _row(grid, "chain", Group(*(Text(line) for line in view.chain)))
    if len(view.path) > 1 or view.folded:
        _row(grid, "path", _path(view, places))
    return grid


def _row(grid: Columns, label: str, content: RenderableType) -> None:
    grid.add_blank()
    grid.add_row(label, content)


def code_lines(lines: Sequence[Line], *, signs: bool) -> list[RenderableType]:
    """Return source lines, numbered, the failing part marked: by colour, or with signs below it."""
    width = max((len(str(line.number)) for line in lines), default=1)
    found: list[RenderableType] = []
    for line in lines:
        text = Text(no_wrap=True, overflow="ellipsis")
        text.append(f"{line.number:>{width}} ", style="bold" if line.here else _DIM)
        text.append("▌" if line.here else " ", style="red")
        text.append(" ")
        start = len(text)
        text.append(line.text, style="" if line.here else _DIM)
        if line.mark is not None:
            text.stylize("bold underline red", start + line.mark[0], start + line.mark[1])
        found.append(text)
        if line.mark is not None and signs:
            under = Text(" " * (width + 3 + line.mark[0]), no_wrap=True, overflow="ellipsis")
            under.append("▔" * min(line.mark[1] - line.mark[0], 200), style="red")
            found.append(under)
    return found


def _values(view: Outline, room: int) -> RenderableType:
    """Return the names, what they hold and of what type, in so many columns."""
    view_names, view_kinds = [name for name, _, _ in view.values], [kind for _, _, kind in view.values]
    # where there is little room names and types are still read, the values are cut
    names, kinds = (min(max(map(cell_len, column), default=0), most) for column, most in ((view_names, 32), (view_kinds, 24)))
    texts = min(max(cell_len(text) for _, text, _ in view.values), max(min(72, room - names - kinds - 4), 12))
    table = Columns(Narrow(names, "cyan"), Narrow(texts))
    for name, text, kind in view.values:
        table.add_row(Text(name), Text(text), Text(kind, style=_DIM, no_wrap=True, overflow="ellipsis"))
    return table


def _root(view: Outline, places: _Places) -> RenderableType:
    lines: list[RenderableType] = []
    if view.root:
        place, colon, reason = view.root.partition(": ")
        lines.append(Text.assemble(places(place, "bold"), colon, reason))
    steps = Columns(
        Narrow(max((cell_len(place) for place, _, _ in view.steps), default=0), "cyan", keeps_end=True),
        Narrow(max((cell_len(what) for _, what, _ in view.steps), default=0), _DIM),
    )
    for place, what, code in view.steps:
        steps.add_row(places(place), Text(what), Text(code))
    return Group(*lines, *([steps] if view.steps else []))


def _keys(view: Outline, places: _Places) -> RenderableType:
    lines: list[RenderableType] = []
    for shown in view.keys:
        lines += key_lines(shown, places)
    if view.more_keys:
        lines.append(Text(f"and {view.more_keys} more", style=_DIM))
    return Group(*lines)


def key_lines(shown: Shown, places: _Places | None = None) -> list[RenderableType]:
    """Return one key: title, reason, diff, trial."""
    title = Text()
    title.append(f"{shown.number}  ", style="bold")
    title.append(shown.key.title, style="bold")
    style = "yellow" if shown.key.skips_work else _OUTCOME_STYLE[shown.key.trial.outcome]
    trial = Text("   " + shown.trial, style=style)
    lines: list[RenderableType] = [title]
    if shown.key.reason and shown.number <= 2:
        lines.append(Text("   " + shown.key.reason, style=_DIM))
    for file, line, sign, code in shown.diff[:_MOST_DIFF]:
        text = Text("   ", no_wrap=True, overflow="ellipsis")
        text.append_text(places(f"{file}:{line}", _DIM) if places is not None else Text(f"{file}:{line}", style=_DIM))
        text.append(" ")
        text.append(f"{sign} {code}", style="red" if sign == "-" else _GOOD)
        lines.append(text)
    if len(shown.diff) > _MOST_DIFF:
        lines.append(Text("   ...", style=_DIM))
    if shown.key.trial.outcome != "untried":
        lines.append(trial)
    for row, words in zip(shown.printed, ("prints", ""), strict=False):
        lines.append(Text(f"   {words:6}  {row}", style=_DIM, no_wrap=True, overflow="ellipsis"))
    return lines


def _path(view: Outline, places: _Places) -> RenderableType:
    text = Text()
    for index, call in enumerate(view.path):
        text.append(" > " if index else "", style=_DIM)
        before, bracket, rest = call.rpartition(" (")
        place, end, more = rest.partition(")")
        text.append(before + bracket)
        text.append_text(places(place))
        text.append(end + more)
    if view.folded:
        text.append(f"   ({view.folded} library and runtime frames folded)", style=_DIM)
    return text
