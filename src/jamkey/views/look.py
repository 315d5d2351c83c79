"""What somebody who looks around is shown, on the terminal."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
from rich.console import Console
from rich.table import Table
from rich.text import Text

from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam, Step, Value
from jamkey.text import line_at, shorten
from jamkey.views.outline import WORDS, at, code_of, outline, visible
from jamkey.views.terminal import code_lines, key_lines, reading


def show_code(frame: Frame, sources: Sources, out: Console, *, count: int = 0) -> None:
    """Print the code around a frame's line, as many lines as asked for."""
    place = at(frame.file, frame.line, frame.cell)
    out.print(Text(visible(f"{place}" + (f", in {frame.function}" if frame.function else "")), style="bold"))
    lines = code_of(frame, sources, above=count // 2, below=count - count // 2) if count else code_of(frame, sources)
    for line in code_lines(lines, signs=out.color_system is None):
        out.print(line)
    if not lines and frame.source:
        out.print(Text(visible(shorten(frame.source, 200))))


def show_values(values: tuple[Value, ...], out: Console) -> None:
    """Print values with type, shape and element type."""
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(style="cyan", no_wrap=True, max_width=32, overflow="ellipsis")
    table.add_column(overflow="fold")
    table.add_column(style="dim", no_wrap=True)
    for value in values:
        table.add_row(Text(visible(value.name)), Text(visible(shorten(value.text, 200))), Text(visible(sort_of(value))))
    out.print(table)


def sort_of(value: Value) -> str:
    """Return type, shape, length and element type in short."""
    found = value.type.rpartition(".")[2]
    if value.shape is not None:
        found += " " + " x ".join(map(str, value.shape))
    elif value.length is not None:
        found += f", {value.length}"
    return found + (f" of {value.dtype}" if value.dtype else "")


def show_asked(value: Value | None, shown: str, printed: str, error: str, out: Console) -> None:
    """Print the answer to an expression; what it printed stands before it."""
    if printed:
        out.print(Text(visible(printed.rstrip("\n")).replace("\\x0a", "\n"), style="dim"))
    if error:
        out.print(Text(visible(error), style="yellow"))
        return
    if value is None:
        return
    for line in shown.split("\n")[:60]:
        out.print(Text(visible(line)))
    text = sort_of(value)
    if value.members and value.type.rpartition(".")[2] in ("DataFrame", "dict"):
        text += ": " + ", ".join(value.members[:12]) + (" ..." if len(value.members) > 12 else "")
    out.print(Text(visible(text), style="dim"))


def show_path(jam: Jam, here: int, out: Console) -> None:
    """Print the calls, outermost first, the one that is looked at marked; library calls are dim."""
    for indices in _runs(jam.frames, here):
        index, frame = indices[-1], jam.frames[indices[-1]]
        text = Text("   > " if index == here else "     ", style="bold red")
        style = "bold" if index == here else "" if frame.owner == "yours" else "dim"
        text.append(visible(f"{frame.function or 'the script'}  {at(frame.file, frame.line, frame.cell)}"), style=style)
        if len(indices) > 1:
            text.append(f"  {len(indices)} times", style="dim")
        if index == jam.snag:
            text.append("  your line", style="red")
        out.print(text)


def _runs(frames: Sequence[Frame], here: int) -> list[list[int]]:
    """Return the indices of the frames, the same call after itself in one list; the one that is looked at stands alone."""
    found: list[list[int]] = []
    for index, frame in enumerate(frames):
        before = frames[index - 1] if index else None
        same = before is not None and (before.file, before.line, before.function) == (frame.file, frame.line, frame.function)
        if same and here not in (index, index - 1):
            found[-1].append(index)
        else:
            found.append([index])
    return found


def show_steps(steps: tuple[Step, ...], sources: Sources, out: Console) -> None:
    """Print the way back of a value."""
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(style="cyan", no_wrap=True)
    table.add_column(style="dim", no_wrap=True)
    table.add_column()
    for step in steps:
        text = step.text or line_at(sources.text(step.file) or "", step.line).strip()
        table.add_row(
            Text(visible(at(step.file, step.line, step.cell))),
            Text(WORDS.get(step.what, step.what)),
            Text(visible(shorten(text, 100))),
        )
    out.print(table)


def show_keys(jam: Jam, number: int, sources: Sources, out: Console) -> None:
    """Print the keys, or one of them whole."""
    one = msgspec.structs.replace(jam, keys=(jam.keys[number - 1],)) if number else jam
    view = outline(one, sources)
    for shown in view.keys:
        for line in key_lines(msgspec.structs.replace(shown, number=number or shown.number)):
            out.print(line)
    if view.more_keys:
        out.print(Text(f"and {view.more_keys} more: keys {len(view.keys) + 1}", style="dim"))


def show_reading(jam: Jam, sources: Sources, out: Console) -> None:
    """Print the whole reading."""
    out.print(reading(outline(jam, sources), "jam", out))


def show_words(words: dict[str, str], out: Console, *, alive: bool) -> None:
    """Print what can be typed."""
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(style="bold", no_wrap=True)
    table.add_column()
    for word, does in words.items():
        table.add_row(word, does)
    table.add_row("anything else", "an expression, worked out in this call" if alive else "a name: its recorded value")
    table.add_row("= TEXT", "the same, where a name is one of these words")
    out.print(table)
