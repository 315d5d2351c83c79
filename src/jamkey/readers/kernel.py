"""The layout in which notebook kernels for Python print a traceback.

Cells stand in place of files, source lines are numbered, an arrow marks the failing one, and the type stands before
the header. Three generations of the layout are in use; all are read here, for the Python reader.
"""

from __future__ import annotations

import re
from collections.abc import Callable

import msgspec

from jamkey.ipynb import CELL
from jamkey.model import Frame, Jam, Link, Relation
from jamkey.readers.base import Cursor
from jamkey.text import whole

_TYPED_HEADER = re.compile(r"[A-Za-z_][\w.]* {2,}Traceback \(most recent call last\)$")
_IN_CELL = re.compile(r"\s*(?:Cell|Input) In ?\[(\d+)\](?:, line (\d+))?(?:, in (.*))?$")
_IN_FILE = re.compile(r"File ([^\s].*?):(\d+)(?:, in (.*))?$")
#: A cell of a notebook that a service runs: a command with a number.
_IN_COMMAND = re.compile(r"File <[a-z]+-(\d+)>(?:, line |:)(\d+)(?:, in (.*))?$")
#: A cell that the tokenizer gave up on: neither its number nor its name is said.
_IN_TOKENS = re.compile(r"\s*File <tokenize>:(\d+)$")
_OLDER = re.compile(r"(?:<ipython-input-(\d+)-\w+>|([~/.].*|[A-Za-z]:\\.*|\S+\.py)) in (\S.*)$")
_ARROW = re.compile(r"-*> ?(\d+)(?: (.*))?$")
_NUMBERED = re.compile(r"\s*\d+(?: |$)")
_MARKS = re.compile(r" *\^[\^~ ]*$")

Summary = Callable[[Cursor, list[Frame]], "Jam | None"]
ChainSentence = Callable[[Cursor], "Relation | None"]


def starts(cursor: Cursor) -> bool:
    """Tell whether a kernel's trace, or its syntax error, begins at the cursor."""
    line = cursor.peek()
    if _TYPED_HEADER.match(line):
        return True
    return bool(_IN_CELL.match(line) or _IN_TOKENS.match(line)) and _offers_marks(cursor)


def _offers_marks(cursor: Cursor) -> bool:
    return any(_MARKS.match(cursor.peek(ahead)) for ahead in (2, 3))


def read(cursor: Cursor, summary: Summary, chain_sentence: ChainSentence) -> Jam | None:
    """Read a whole chain at the cursor.

    Args:
        cursor: at a line for which `starts` holds.
        summary: the Python reader's own reading of the last line.
        chain_sentence: its reading of the sentence between two tracebacks; the cursor then stands on the next header.
    """
    jam = _one(cursor, summary)
    while jam is not None:
        place = cursor.position
        relation = chain_sentence(cursor)
        if relation is None:
            return jam
        while cursor.more and cursor.peek().strip("- ") == "":
            cursor.take()
        later = _one(cursor, summary) if _TYPED_HEADER.match(cursor.peek()) else None
        if later is None:
            cursor.position = place
            return jam
        jam = msgspec.structs.replace(later, chain=(Link(relation=relation, jam=jam),))
    return jam


def _one(cursor: Cursor, summary: Summary) -> Jam | None:
    if _TYPED_HEADER.match(cursor.peek()):
        cursor.take()
    frames: list[Frame] = []
    while cursor.more:
        while cursor.more and not cursor.peek().strip():
            cursor.take()
        frame = _frame(cursor)
        if frame is None:
            break
        frames.append(frame)
    return summary(cursor, frames)


def _frame(cursor: Cursor) -> Frame | None:
    line = cursor.peek()
    if match := _IN_CELL.match(line):
        file, number, function = CELL.format(match[1]), match[2], match[3]
    elif match := _IN_TOKENS.match(line):
        file, number, function = CELL.format(0), match[1], None
    elif match := _IN_COMMAND.match(line):
        file, number, function = CELL.format(match[1]), match[2], match[3]
    elif match := _IN_FILE.match(line):
        file, number, function = match[1], match[2], match[3]
    elif match := _OLDER.match(line):
        file, number, function = CELL.format(match[1]) if match[1] else match[2], None, match[3]
    else:
        return None
    cursor.take()
    source: str | None = None
    marked: tuple[int, int] | None = None
    while cursor.more:
        row = cursor.peek()
        arrow = _ARROW.match(row.strip()) if ">" in row else None
        if arrow:
            number, source = arrow[1], (arrow[2] or "").strip()
        elif not _NUMBERED.match(row):
            break
        cursor.take()
    if source is None and _offers_marks(Cursor(cursor.lines, cursor.position - 1)):
        # a syntax error: the line and, below it, the mark
        body = cursor.take()
        source = body.strip()
        if _MARKS.match(cursor.peek()):
            inset = len(body) - len(body.lstrip())
            marks = cursor.take()
            start = len(marks) - len(marks.lstrip())
            marked = (max(start - inset, 0) + 1, max(len(marks.rstrip()) - inset, 0) + 1)
    return Frame(file=file, line=whole(number) if number else None, function=_function(function), source=source, marked=marked)


def _function(text: str | None) -> str | None:
    """Return the function's name without its arguments; code of a cell itself is the module."""
    if text is None or text.startswith(("<module>", "<cell line")):
        return None if text is None else "<module>"
    return text.split("(", 1)[0] or None
