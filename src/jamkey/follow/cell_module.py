"""A notebook as one module: its cells one below the other, so that whatever follows values need not know of cells.

`placed` puts a jam's frames into that module before it is diagnosed, `back_in_cells` puts what was found back.
"""

from __future__ import annotations

import ast
import re
from bisect import bisect_right
from collections.abc import Sequence

import msgspec

from jamkey.follow.sources import Sources
from jamkey.ipynb import Cell, cell_number, cells_of, with_sources
from jamkey.model import Edit, Frame, Jam, Key, Root, Step
from jamkey.text import line_at, splice

ENDING = ".ipynb"
_LINE_WORDS = re.compile(r"\bline (\d{1,6})\b")
_MAGIC = re.compile(r"(\s*)([%!?].*|\S.*\?)$")


class Module:
    """The code cells of a notebook below one another, in the order in which they ran, the others behind.

    Args:
        name: the notebook's file.
        cells: of the file.
        keep: place of a cell that stays as it is even if it does not parse.
    """

    def __init__(self, name: str, cells: Sequence[Cell], keep: int | None = None) -> None:
        self.name = name
        self.cells = [cell for cell in cells if cell.code]
        runs = [cell.run for cell in self.cells if cell.run is not None]
        if len(set(runs)) == len(runs):
            self.cells.sort(key=lambda cell: (cell.run is None, cell.run or 0, cell.index))
        self._starts: list[int] = []
        parts: list[str] = []
        line = 1
        for cell in self.cells:
            self._starts.append(line)
            body = _without_magic(cell.source, whole=cell.index != keep)
            parts.append(body + "\n")
            line += body.count("\n") + 1
        self.text = "".join(parts)

    def line(self, index: int, line: int) -> int | None:
        """Return the module's line for a line of a cell."""
        for cell, start in zip(self.cells, self._starts, strict=True):
            if cell.index == index:
                return start + line - 1
        return None

    def cell_line(self, line: int) -> tuple[int, int]:
        """Return (place of the cell, line in it) for a line of the module."""
        at = max(bisect_right(self._starts, line) - 1, 0)
        return self.cells[at].index, line - self._starts[at] + 1

    def ran_as(self, run: int, source: str | None, line: int | None) -> int | None:
        """Return the place of the cell that a frame shows: by the number of its run, else by the line it shows."""
        fitting = [c.index for c in self.cells if source and line and line_at(c.source, line).strip() == source.strip()]
        numbered = [cell.index for cell in self.cells if cell.run == run]
        both = [index for index in numbered if index in fitting or not source]
        return next(iter([*both, *fitting]), None)


def _without_magic(source: str, *, whole: bool) -> str:
    """Return a cell's source with what is not Python turned into comments, line by line."""
    lines = source.replace("\r\n", "\n").split("\n")
    if lines and lines[0].startswith("%%"):
        return "\n".join("#" + line[1:] if line else "" for line in lines)
    rows = [_plain_row(row) for row in lines]
    if whole and not _parses("\n".join(rows)):
        rows = ["#" + row[1:] if row else "" for row in rows]
    return "\n".join(rows)


def _plain_row(row: str) -> str:
    match = _MAGIC.match(row)
    if match is None or (match[2].endswith("?") and not match[2].rstrip("?").replace(".", "").isidentifier()):
        return row
    return f"{match[1]}pass  # {match[2][1:]}"


def _parses(text: str) -> bool:
    try:
        ast.parse(text)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return False
    return True


def placed(jam: Jam, sources: Sources) -> tuple[Jam, Module | None]:
    """Return the jam with its cells' frames led to lines of the notebook's module, and the module; or the jam as it is."""
    module = _module_of(jam, sources)
    if module is None:
        return jam, None
    sources.put(module.name, module.text)
    return _led(jam, module), module


def numbered(jams: Sequence[Jam], sources: Sources, name: str) -> list[Jam]:
    """Return the jams of a notebook run from top to bottom: the nth run is the nth cell of code that is not empty."""
    order = [cell.index for cell in sources.cells(name) if cell.code and cell.source.strip()]
    place = sources.resolve(name) or name

    def one(jam: Jam) -> Jam:
        frames = []
        for frame in jam.frames:
            run = cell_number(frame.file)
            if run is not None and 1 <= run <= len(order):
                frame = msgspec.structs.replace(frame, file=place, cell=order[run - 1])
            frames.append(frame)
        chain = tuple(msgspec.structs.replace(link, jam=one(link.jam)) for link in jam.chain)
        return msgspec.structs.replace(jam, frames=tuple(frames), chain=chain)

    return [one(jam) for jam in jams]


def _module_of(jam: Jam, sources: Sources) -> Module | None:
    in_cells = [frame for frame in jam.frames if frame.cell is not None or cell_number(frame.file) is not None]
    if not in_cells:
        return None
    named = [frame.file for frame in in_cells if frame.file.endswith(ENDING)]
    best: Module | None = None
    most = 0
    for name in named[:1] or [name for name in sources.files() if name.endswith(ENDING)]:
        cells = sources.cells(name)
        if not cells:
            continue
        module = Module(sources.resolve(name) or name, cells)
        found = [_cell_of(frame, module) for frame in in_cells]
        fitting = len([index for index in found if index is not None])
        if fitting > most:
            best, most = Module(module.name, cells, keep=found[-1]), fitting
    return best


def _cell_of(frame: Frame, module: Module) -> int | None:
    if frame.cell is not None:
        return frame.cell
    run = cell_number(frame.file)
    return module.ran_as(run, frame.source, frame.line) if run is not None else None


def _led(jam: Jam, module: Module) -> Jam:
    frames = []
    message = jam.wording
    for frame in jam.frames:
        index = _cell_of(frame, module)
        line = module.line(index, frame.line) if index is not None and frame.line is not None else None
        if line is not None:
            function = None if frame.function == "<module>" else frame.function
            frame = msgspec.structs.replace(
                frame,
                file=module.name,
                line=line,
                cell=None,
                function=function,
                end_line=line + (frame.end_line - frame.line) if frame.end_line and frame.line else None,
            )
            cell = next(cell for cell in module.cells if cell.index == index)
            for failure in cell.failures:
                # the kernel keeps the whole message, and prints it in part
                if failure.exception_type == jam.exception_type and failure.message.startswith(message or ""):
                    message = failure.message
        frames.append(frame)
    chain = tuple(msgspec.structs.replace(link, jam=_led(link.jam, module)) for link in jam.chain)
    return msgspec.structs.replace(jam, frames=tuple(frames), chain=chain, message=message)


def back_in_cells(jam: Jam, module: Module) -> Jam:
    """Return a diagnosed jam with every place of the module as cell and line in the cell."""

    def words(text: str) -> str:
        def one(match: re.Match[str]) -> str:
            cell, line = module.cell_line(int(match[1]))
            return f"line {line} of cell {cell + 1}"

        return _LINE_WORDS.sub(one, text)

    def frame(item: Frame) -> Frame:
        if item.file != module.name or item.line is None:
            return item
        cell, line = module.cell_line(item.line)
        end = line + (item.end_line - item.line) if item.end_line else None
        return msgspec.structs.replace(item, cell=cell, line=line, end_line=end)

    def step(item: Step) -> Step:
        if item.file != module.name:
            return item
        cell, line = module.cell_line(item.line)
        return msgspec.structs.replace(item, cell=cell, line=line)

    def root(item: Root) -> Root:
        steps = tuple(step(one) for one in item.steps)
        reason = words(item.reason)
        if item.file != module.name:
            return msgspec.structs.replace(item, steps=steps, reason=reason)
        cell, line = module.cell_line(item.line)
        return msgspec.structs.replace(item, cell=cell, line=line, steps=steps, reason=reason)

    def key(item: Key) -> Key:
        edits = tuple(_edit_in_cell(edit, module) for edit in item.edits)
        if item.edits and all(edit.file != module.name for edit in item.edits):
            return item  # its lines are those of another file
        return msgspec.structs.replace(item, edits=edits, title=words(item.title), reason=words(item.reason))

    return msgspec.structs.replace(
        jam,
        frames=tuple(map(frame, jam.frames)),
        roots=tuple(map(root, jam.roots)),
        keys=tuple(map(key, jam.keys)),
        meaning=words(jam.meaning),
        look_at=words(jam.look_at),
        causes=tuple(map(words, jam.causes)),
        chain=tuple(msgspec.structs.replace(link, jam=back_in_cells(link.jam, module)) for link in jam.chain),
    )


def _edit_in_cell(edit: Edit, module: Module) -> Edit:
    if edit.file != module.name:
        return edit
    cell, line = module.cell_line(edit.line)
    last, end_line = module.cell_line(edit.end_line)
    end_column = edit.end_column
    if last != cell:
        # the span ends where the next cell begins: that is the end of this cell's last line
        source = next(item.source for item in module.cells if item.index == cell)
        end_line = source.count("\n") + 1
        end_column = len(line_at(source, end_line)) + 1
    return msgspec.structs.replace(edit, cell=cell, line=line, end_line=end_line, end_column=end_column)


def rewritten(text: str, edits: Sequence[Edit]) -> str:
    """Apply edits to a file's text; those of a notebook change the cells they name.

    Raises:
        ValueError: two edits overlap, or the notebook has no such cell.
    """
    if all(edit.cell is None for edit in edits):
        return splice(text, edits)
    cells = {cell.index: cell for cell in cells_of(text)}
    new: dict[int, str] = {}
    for index in dict.fromkeys(edit.cell for edit in edits):
        if index is None or index not in cells:
            raise ValueError("no such cell")
        changed = splice(cells[index].source, [edit for edit in edits if edit.cell == index])
        new[index] = changed.removesuffix("\n") if not cells[index].source.endswith("\n") else changed
    return with_sources(text, new)


def readable(text: str, file: str) -> str:
    """Return a file's text as a diff should show it: of a notebook only the code, cell by cell."""
    if not file.endswith(ENDING):
        return text
    return "".join(f"# cell {cell.index + 1}\n{cell.source}\n" for cell in cells_of(text) if cell.code)
