"""Whether a statement can have run when the program stopped: the stack tells how far each of its functions had come."""

from __future__ import annotations

from jamkey.follow.scene import MARGIN, Scene
from jamkey.languages.base import Code


def not_yet(scene: Scene, file: str, code: Code, line: int) -> str:
    """Return `never` where the statement cannot have run, `now` where not in the call that stopped; else nothing.

    Args:
        scene: the jam with its frames.
        file: of the statement.
        code: of the file.
        line: first line of the statement.
    """
    scope = code.scope_at(line)
    outer = _outermost(code, line) if scope else line
    found = ""
    for frame in scene.jam.frames:
        if frame.owner != "yours" or frame.file != file or not frame.line:
            continue
        reached = code.statement(frame.line)
        last = reached.span.end_line if reached is not None and reached.sort not in ("function", "class") else frame.line
        there = code.scope_at(frame.line)
        if not there and frame.function in MARGIN and outer > last and not _together(code, frame.line, outer):
            return "never"
        if scope and there == scope and line > last and not _together(code, frame.line, line):
            found = "now"
    return found


def _outermost(code: Code, line: int) -> int:
    """Return where the definition begins that stands at the margin and holds the line."""
    return min((one.span.line for one in code.functions() if one.span.line <= line <= one.span.end_line), default=line)


def _together(code: Code, one: int, other: int) -> bool:
    """Tell whether a loop around the one line runs the other too."""
    return any(loop.span.line <= other <= loop.span.end_line for loop in code.loops(one))
