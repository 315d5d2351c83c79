"""Errors of R as the packages of data analysis word them: a call, bullets, what caused them, a tree of calls.

Error in `mutate()`:
! Problem while computing `pounds = kgs * 2.2`.
Caused by error in `mask$eval_all_mutate()`:
! object 'kgs' not found
Backtrace:
  1. |-hives %>% mutate(pounds = kgs * 2.2)
"""

from __future__ import annotations

import re

import msgspec

from jamkey.late import pattern
from jamkey.model import Frame, Jam, Link
from jamkey.readers.base import Cursor

_HEAD = pattern(r"Error(?: in `(.*)`)?\s?:\s*$")
_OLD_HEAD = pattern(r"Error: (Problem with .*)$")
_CAUSE = pattern(r"Caused by error(?: in `(.*)`)?\s?:\s*$")
_BULLET = pattern(r"([!ℹ✖•ixv*]) (\S.*)$")
#: What only says where a failure was met: the argument, the index, the layer.
_WHERE = pattern(r"(?:Problem (?:while|with the|with `[\w.]+\(\)`)|In (?:argument|index|group|row)\b|Error occurred in the \d)")
_ARGUMENT = pattern(r"(?:Problem while computing|In argument:) `(?:\.\.\d+ = )?(.*)`\.?$")
_ROW = pattern(r"\s*\d+\. [\s│├└─|+\\-]*(.*)$")
_LIBRARY = pattern(r"[\w.]+:::?|[\w.]+ \(local\) ")
_NAME = pattern(r"[A-Za-z.][\w.]*(?=\()")
#: Lines of one message, and rows of one tree.
_LONGEST, _ROWS = 40, 200


class Block(msgspec.Struct):
    """One condition: the call that it names, and its bullets."""

    call: str = ""
    bullets: list[str] = []

    def said(self) -> list[str]:
        """Return what says more than where it was met; all of it where nothing does."""
        return [text for text in self.bullets if not _WHERE.match(text)] or self.bullets


def bulleted(cursor: Cursor) -> Jam | None:
    """Read one such error at the cursor, which is moved behind it; None where none begins there."""
    head, old = _HEAD.match(cursor.peek()), _OLD_HEAD.match(cursor.peek())
    if head is None and old is None:
        return None
    after = cursor.peek(1)
    if not (_BULLET.match(after) or (head is not None and _CAUSE.match(after))):
        return None
    cursor.take()
    blocks = [Block(head[1] or "") if head is not None else Block("", [old[1]] if old is not None else [])]
    for _ in range(_LONGEST):
        line = cursor.peek()
        if (cause := _CAUSE.match(line)) is not None:
            blocks.append(Block(cause[1] or "", []))
        elif (bullet := _BULLET.match(line)) is not None:
            blocks[-1].bullets.append(bullet[2])
        elif line.startswith("  ") and line.strip() and blocks[-1].bullets:
            blocks[-1].bullets[-1] += " " + line.strip()
        else:
            break
        cursor.take()
    rows = _rows(cursor)
    return _jam(blocks, rows)


def _rows(cursor: Cursor) -> list[str]:
    """Return the calls of the tree, outermost first, as they are written."""
    rows: list[str] = []
    while cursor.more and cursor.peek().startswith(("Backtrace:", "Run `rlang", "Calls:", "Execution halted")):
        cursor.take()
        for _ in range(_ROWS):
            match = _ROW.match(cursor.peek())
            if match is None and "▆" not in cursor.peek():
                break
            cursor.take()
            if match is not None:
                rows.append(match[1])
    return rows


def _jam(blocks: list[Block], rows: list[str]) -> Jam:
    inner, outer = blocks[-1], blocks[0]
    facts: dict[str, str] = {}
    where = [found[1] for block in blocks for text in block.bullets if (found := _ARGUMENT.match(text)) is not None]
    if where:
        facts["argument"] = where[-1]
    # the call as it was written, if the tree shows it; what went into a pipe stands there as a dot
    name = outer.call.partition("(")[0]
    bare = [_LIBRARY.sub("", row, count=1) for row in rows if ":::" not in row.partition("(")[0]]
    shown = (row for row in bare if _NAME.match(row) and not row.endswith("(...)"))
    written = next((row for row in shown if not name or row.startswith(f"{name}(")), "")
    call = inner.call if len(blocks) > 1 and _tells(inner.call) else written.replace("(., ", "(", 1) or outer.call
    if call:
        facts["call"] = call
    entered = [row.removeprefix("global ") for row in rows if row.startswith("global ")]
    names = [found[0] for row in entered if (found := _NAME.match(row)) is not None]
    if not name and (found := _NAME.match(written)) is not None:
        names.append(found[0])
    names += [own for block in blocks if (own := block.call.partition("(")[0]) and re.fullmatch(r"[A-Za-z.][\w.]*", own)]
    frames = [Frame(file="<script>", function=one) for one in dict.fromkeys(names)]
    last = Frame(file="<script>", function=frames[-1].function if frames else None, source=call or None)
    frames = [*frames[:-1], last]
    jam = Jam(runtime="r", message="\n".join(inner.said()), frames=tuple(frames), facts=facts)
    for block in blocks[:-1]:
        if block.said() != block.bullets or not all(_WHERE.match(text) for text in block.bullets):
            around = Jam(runtime="r", message="\n".join(block.said()), frames=(last,))
            jam = msgspec.structs.replace(jam, chain=(*jam.chain, Link(relation="while-handling", jam=around)))
    return jam


def _tells(call: str) -> bool:
    """Tell a call that shows more than a name: of an operator, or with what it was given."""
    return bool(call) and not call.endswith("()") and "$" not in call.partition("(")[0]
