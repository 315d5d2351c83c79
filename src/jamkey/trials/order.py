"""Which of two failures a program comes to first: one that is met before the other is no way past it.

An edit that fails in its turn, above the line that failed, ends the program before it ever came there. Two calls of one
function cannot be told apart where something calls it over and over; then nothing is said.
"""

from __future__ import annotations

from collections.abc import Sequence

from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.model import Edit, Frame, Jam

#: Functions that are called once: the file itself, and where a program begins.
_ONCE = ("", "main")
#: Where a line that an edit inserted stands: between the line above and the one that it was put in front of.
_BETWEEN = 0.5


def is_no_way_on(before: Jam, after: Jam, edits: Sequence[Edit], sources: Sources, told: str) -> bool:
    """Tell whether the failure after some edits is one that they made, or is met before the one they were made for.

    Args:
        before: the failure that is to be mended.
        after: the one that the edited program has.
        edits: made between the two.
        sources: of the project as it was.
        told: what the runtime printed of the first run.
    """
    if before.phase == "compile":
        return after.phase == "compile" and _made_by(before, after, edits, told)
    return after.phase == "compile" or is_earlier(before, after, edits, sources)


def is_earlier(before: Jam, after: Jam, edits: Sequence[Edit], sources: Sources) -> bool:
    """Tell whether a run failed before it came to where it had failed; False too where that cannot be told."""
    for depth, (was, now) in enumerate(zip(_own(before), _own(after), strict=False)):
        if was.line is None or now.line is None or was.repeated or now.repeated:
            return False
        if (was.file, was.cell, was.function) != (now.file, now.cell, now.function):
            return False
        code = sources.code(was.file, before.runtime) if was.cell is None else None
        if code is None or (not depth and code.scope_at(was.line).rpartition(".")[2] not in _ONCE):
            return False
        line, _ = line_before(now, edits)
        around = {loop.span for loop in code.loops(was.line)}
        statement = code.statement(was.line)
        if line != was.line and not (statement and statement.span.line <= line <= statement.span.end_line):
            both = [span for span in around if span.line <= line <= span.end_line]
            return line < was.line and not both
        if around:
            return False  # which of its rounds it is, the two traces do not say
    return False


def line_before(frame: Frame, edits: Sequence[Edit]) -> tuple[float, bool]:
    """Return the line on which a line of the edited file stood, and whether an edit wrote what stands there.

    A line that was put in stands between two.
    """
    line, shift = frame.line or 0, 0
    here = [edit for edit in edits if (edit.file, edit.cell) == (frame.file, frame.cell)]
    for edit in sorted(here, key=lambda edit: (edit.line, edit.column)):
        first = edit.line + shift
        whole = edit.new_text.endswith("\n") and edit.end_column == 1
        last = first + edit.new_text.count("\n") - whole
        if line < first:
            break
        if line <= last:
            put_in = whole and edit.line == edit.end_line and edit.column == 1
            return (edit.line - _BETWEEN if put_in else min(edit.line + line - first, edit.end_line)), True
        shift += edit.new_text.count("\n") - (edit.end_line - edit.line)
    return line - shift, False


def _own(jam: Jam) -> list[Frame]:
    """Return the frames up to the first that is not the user's: what a library calls it may call many times."""
    found: list[Frame] = []
    for frame in jam.frames:
        if frame.owner == "yours":
            found.append(frame)
        elif found:
            break
    return found


def _made_by(before: Jam, after: Jam, edits: Sequence[Edit], told: str) -> bool:
    """Tell what a compiler refuses in the text that an edit wrote, and had not refused there before."""
    snag = after.snag_frame
    if snag is None or before.kind == "broken-syntax" or not traits_of(before.runtime).compiled:
        return False
    return line_before(snag, edits)[1] and (after.message or "") not in told
