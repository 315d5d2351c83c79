"""Notebook files (.ipynb, the open format, version 4): cells, their failures, and new text for a cell.

A change replaces the cell's `source` in the file's own text; no other byte of the file is touched.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator, Mapping

from jamkey.errors import UnreadableInput
from jamkey.late import pattern
from jamkey.model import Struct

TYPE_CHECKING = False
if TYPE_CHECKING:
    import json

#: A frame that lies in a cell bears this name in place of a file: the number of the cell's run.
CELL = "In[{}]"
_IN_CELL = pattern(r"In\[(\d+)\]$|<ipython-input-(\d+)-\w+>$")
#: An escaped character that need not be escaped: the file keeps to ASCII.
_ESCAPED = pattern(r"\\u(?!00[0-7])[0-9a-fA-F]{4}|\\u007[fF]")
_SPACE = " \t\r\n"


def cell_number(file: str) -> int | None:
    """Return the run's number of a cell that stands in place of a file, else None."""
    match = _IN_CELL.match(file)
    return int(match[1] or match[2]) if match else None


class Failure(Struct, frozen=True, kw_only=True):
    """An error output of a cell."""

    exception_type: str
    message: str
    #: The traceback as the kernel laid it out, colour codes included.
    text: str


class Cell(Struct, frozen=True, kw_only=True):
    """One cell of a notebook."""

    #: Place in the list of all cells, from 0.
    index: int
    code: bool
    source: str
    #: Number of the run that made the outputs; None when it was not run.
    run: int | None = None
    failures: tuple[Failure, ...] = ()
    #: Span of the `source` value in the file's text.
    span: tuple[int, int] = (0, 0)


def cells_of(text: str, *, name: str = "the notebook") -> list[Cell]:
    """Return a notebook's cells.

    Raises:
        UnreadableInput: the text is not a notebook.
    """
    try:
        found = [_cell(index, text, start) for index, start in enumerate(_cell_starts(text))]
    except (ValueError, IndexError, TypeError, KeyError, RecursionError):
        raise UnreadableInput(f"{name} is not a notebook that can be read: it should be JSON with a list of cells") from None
    return found


def line_in_file(text: str, index: int, line: int) -> int:
    """Return the line of the file, 1-based, on which a line of a cell is written; 1 when there is no such cell.

    Args:
        text: of the notebook file.
        index: of the cell in the list of all cells, from 0.
        line: in the cell, 1-based.

    Raises:
        UnreadableInput: the text is not a notebook.
    """
    cell = next((cell for cell in cells_of(text) if cell.index == index), None)
    if cell is None:
        return 1
    start, stop = cell.span
    first = text.count("\n", 0, start) + 1
    # written as a list, each line of the cell is a line of the file behind the opening bracket
    return (
        min(first + line, first + text.count("\n", start, stop)) if text[start] == "[" and "\n" in text[start:stop] else first
    )


def with_sources(text: str, new: Mapping[int, str]) -> str:
    """Return the notebook's text with other sources in some cells.

    Args:
        text: the notebook file's text.
        new: place of the cell -> its new source.
    """
    parts: list[str] = []
    position = 0
    for cell in cells_of(text):
        if cell.index in new:
            start, end = cell.span
            parts += (text[position:start], _written(new[cell.index], text, start, end))
            position = end
    return "".join([*parts, text[position:]])


@functools.cache
def _decoder() -> json.JSONDecoder:
    import json  # loaded where there is a notebook

    return json.JSONDecoder()


def _written(source: str, text: str, start: int, end: int) -> str:
    """Write a source as the old one was written: one string, or a list of lines, indented alike."""
    import json

    old = text[start:end]
    plain_ascii = text.isascii() and _ESCAPED.search(text) is not None
    if old.startswith('"'):
        return json.dumps(source, ensure_ascii=plain_ascii)
    lines = [json.dumps(line, ensure_ascii=plain_ascii) for line in source.splitlines(keepends=True)]
    if "\n" not in old and (len(old) > 2 or "\n" not in text.strip()):
        return "[" + ", ".join(lines) + "]"
    row = text[text.rfind("\n", 0, start) + 1 : start]
    outer = row[: len(row) - len(row.lstrip())]
    first = old[1:].split('"', 1)[0] if '"' in old else "\n" + outer + " "
    return "[" + ",".join(first + line for line in lines) + "\n" + outer + "]" if lines else "[]"


def _skip(text: str, position: int) -> int:
    while text[position] in _SPACE:
        position += 1
    return position


def _members(text: str, position: int) -> Iterator[tuple[str, int]]:
    """Yield (key, start of its value) of the object at a position."""
    position = _skip(text, position)
    if text[position] != "{":
        raise ValueError("not an object")
    position = _skip(text, position + 1)
    while text[position] != "}":
        key, position = _decoder().raw_decode(text, position)
        position = _skip(text, _skip(text, position) + 1)
        yield key, position
        _, position = _decoder().raw_decode(text, position)
        position = _skip(text, position)
        if text[position] == ",":
            position = _skip(text, position + 1)


def _cell_starts(text: str) -> list[int]:
    found: list[int] = []
    for key, start in _members(text, 1 if text.startswith("\ufeff") else 0):
        if key != "cells":
            continue
        position = _skip(text, start)
        if text[position] != "[":
            raise ValueError("no list of cells")
        position = _skip(text, position + 1)
        while text[position] != "]":
            found.append(position)
            _, position = _decoder().raw_decode(text, position)
            position = _skip(text, position)
            if text[position] == ",":
                position = _skip(text, position + 1)
        return found
    raise ValueError("no cells")


def _cell(index: int, text: str, start: int) -> Cell:
    content, _ = _decoder().raw_decode(text, start)
    span = (0, 0)
    for key, position in _members(text, start):
        if key == "source":
            span = (position, _decoder().raw_decode(text, position)[1])
    failures = tuple(
        Failure(
            exception_type=str(output.get("ename", "")),
            message=str(output.get("evalue", "")),
            text="\n".join(map(str, output.get("traceback") or ())),
        )
        for output in content.get("outputs") or ()
        if output.get("output_type") == "error"
    )
    run = content.get("execution_count")
    return Cell(
        index=index,
        code=content.get("cell_type") == "code",
        source=_joined(content.get("source", "")),
        run=run if isinstance(run, int) else None,
        failures=failures,
        span=span,
    )


def _joined(source: object) -> str:
    return "".join(map(str, source)) if isinstance(source, list) else str(source)
