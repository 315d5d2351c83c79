"""Which line of a pipe failed that runs over several: R knows where a statement begins, and what of it failed."""

from __future__ import annotations

import msgspec

from jamkey.follow.r_scopes import plain
from jamkey.follow.sources import Sources
from jamkey.languages.base import Code
from jamkey.late import pattern
from jamkey.model import Frame, Jam
from jamkey.text import line_at

#: What a line ends with that goes on, and lines that one statement may have.
_GOES_ON = pattern(r"(?:%[^%\s]*%|\|>|[-+*/,(=~&|])\s*(?:#.*)?$")
_LINES = 60


def at_step(jam: Jam, frames: list[Frame], sources: Sources) -> list[Frame]:
    """Lead to the step of a pipe that failed, where a failure tells it and the pipe runs over several lines."""
    wanted = [plain(text) for text in (jam.facts.get("argument"), jam.facts.get("call")) if text]
    last = frames[-1] if frames else None
    code = sources.code(last.file, jam.runtime) if last is not None and last.line and wanted else None
    if code is None or last is None or not last.line:
        return frames
    inside = _going_on(code, last.line)
    for text in wanted:
        found = [line for line in inside if text in plain(line_at(code.text, line))]
        if len(found) == 1 and found[0] != last.line:
            changed = msgspec.structs.replace(last, line=found[0], column=None, end_line=None, end_column=None, source=None)
            return [*frames[:-1], changed]
    return frames


def _going_on(code: Code, line: int) -> range:
    """Return the lines of what begins on a line and goes on at the end of each."""
    end = line
    while end < line + _LINES and _GOES_ON.search(line_at(code.text, end)):
        end += 1
    return range(line, end + 1)
