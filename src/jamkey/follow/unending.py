"""The loops that a program was in when it was stopped, and how a line stands to them."""

from __future__ import annotations

import msgspec

from jamkey.follow.sources import Sources
from jamkey.languages.base import Code, Definition, Loop, Part, Statement
from jamkey.model import Frame, Jam

#: Loops that are looked at, innermost first.
_MOST = 8
#: Rows behind the end of a loop in which the next statement is looked for.
_ROWS = 4


class Unending(msgspec.Struct, frozen=True):
    """One loop that was still running."""

    file: str
    #: That stood in it.
    frame: Frame
    loop: Loop
    #: Names that its condition reads, the last word of a member.
    names: frozenset[str]
    #: Line of the statement behind it, at its own level; 0 where none is.
    below: int
    #: Qualified name of the function that it stands in; empty at module level.
    scope: str

    def changes(self, code: Code) -> list[Definition]:
        """Return where its names are set within it."""
        first, last = self.loop.span.line, self.loop.span.end_line
        return [item for item in code.definitions() if first < item.span.line <= last and item.name in self.names]

    def _within(self, code: Code) -> list[Statement]:
        lines = range(self.loop.span.line + 1, self.loop.span.end_line + 1)
        return list({head.span: head for line in lines for head in code.heads(line)}.values())

    def stored(self, code: Code) -> set[str]:
        """Return all that stands in what is set within it, as it is written and by the last words: `hive.kilos`, `kilos`."""
        parts = [part for head in self._within(code) for target in head.targets for part in target.walk()]
        return {name for part in parts for name in (part.source, part.name)}

    def asked(self, code: Code, name: str) -> list[Part]:
        """Return the calls within it of what belongs to a thing, which may change that."""
        parts = (part for head in self._within(code) for top in (*head.parts, *head.targets) for part in top.walk())
        calls = {part.span: part for part in parts if part.sort == "call" and part.span.line > self.loop.span.line}
        return [
            call
            for call in calls.values()
            if (callee := call.child("callee")) is not None
            and callee.sort == "member"
            and (owner := callee.child("object")) is not None
            and owner.source == name
        ]


def unending(jam: Jam, sources: Sources) -> list[Unending]:
    """Return the loops around the lines of your own frames: with a condition first, the innermost of the innermost frame."""
    found: list[Unending] = []
    for frame in reversed(jam.frames):
        code = sources.code(frame.file, jam.runtime) if frame.owner == "yours" and frame.line else None
        if code is None or frame.line is None:
            continue
        for loop in code.loops(frame.line):
            read = loop.condition or loop.over
            names = _names(read) if read is not None else frozenset()
            if all(item.loop.span != loop.span or item.file != frame.file for item in found):
                scope = code.scope_at(loop.span.line)
                found.append(Unending(frame.file, frame, loop, names, _below(code, loop), scope))
        if len(found) >= _MOST:
            break
    # what goes through something comes to its end, nearly always
    return sorted(found[:_MOST], key=lambda item: item.loop.condition is None)


def _names(read: Part) -> frozenset[str]:
    parts = list(read.walk())
    called = {child.span for part in parts if part.sort == "call" for role, child in part.children if role == "callee"}
    return frozenset(part.name for part in parts if part.sort in ("name", "member") and part.span not in called)


def _below(code: Code, loop: Loop) -> int:
    for line in range(loop.span.end_line + 1, loop.span.end_line + 1 + _ROWS):
        statement = code.statement(line)
        if statement is not None and statement.span.line == line:
            return line if statement.span.column == loop.span.column else 0
    return 0


def stands(file: str, line: int, loops: list[Unending], code: Code) -> str:
    """Return how a line stands to the innermost loop that it has to do with: head in below above; far from all."""
    for item in loops:
        if item.file != file:
            continue
        if line == item.loop.span.line:
            return "head"
        if item.loop.span.line < line <= item.loop.span.end_line:
            return "in"
        if line == item.below:
            return "below"
    if any(item.file == file and line < item.loop.span.line and code.scope_at(line) == item.scope for item in loops):
        return "above"
    return "far"


def rules(statement: Statement, loops: list[Unending]) -> bool:
    """Tell a statement that sets what the condition of one of the loops reads."""
    names = {part.name for target in statement.targets for part in target.walk() if part.sort in ("name", "member")}
    return any(names & item.names for item in loops)
