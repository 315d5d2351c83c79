"""Edits of statements that failed, run in the very frame: which of them get past the failure there.

One more run of the program to its failure answers for hundreds of edits, where a trial answers for one. It says nothing
of what follows, so it is a reason to try an edit sooner or later, and no more.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Sequence
from pathlib import Path

import msgspec

from jamkey.languages.base import Span
from jamkey.search.weights import Proposed
from jamkey.trials.warm import Warm

_AGENT = Path(__file__).parent.parent / "observe" / "agents" / "in_place.py"
#: Forms of one statement, and rows that it may have.
_MOST, _ROWS = 2500, 40


class _Asked(msgspec.Struct):
    file: str
    first: int
    last: int
    text: str
    forms: list[str]


def judged_in_place(found: Sequence[Proposed], runner: Warm, limit: float, seconds: float) -> list[Proposed]:
    """Return what is proposed with what running it in the failed frame says, where that can be asked.

    Args:
        found: what is proposed for a failure that the program raises.
        runner: a warm interpreter of Python.
        limit: seconds for the run.
        seconds: for all forms together.
    """
    asked: dict[tuple[str, int], _Asked] = {}
    places: dict[tuple[str, int], list[tuple[int, int]]] = {}
    for number, item in enumerate(found):
        made, ground = item.made, item.ground
        if made is None or ground is None or ground.place.frame is None or made.more or made.skips:
            continue
        span = ground.statement.span
        line = ground.place.frame.line or 0
        if not span.holds(made.span) or not span.line <= line <= span.end_line or span.end_line - span.line > _ROWS:
            continue
        key = (ground.place.file, span.line)
        rows = [ground.row(number) for number in range(span.line, span.end_line + 1)]
        statement = asked.get(key)
        if statement is None:
            statement = asked[key] = _Asked(*key, span.end_line, "\n".join(rows), [])
        if len(statement.forms) < _MOST:
            places.setdefault(key, []).append((number, len(statement.forms)))
            statement.forms.append(_changed(rows, span.line, made.span, made.text))
    if not asked:
        return list(found)
    said = _answers(list(asked.values()), runner, limit, seconds)
    result = list(found)
    for key, words in zip(asked, said, strict=False):
        for number, form in places[key]:
            word = words[form] if form < len(words) else None
            if word is not None:
                result[number] = msgspec.structs.replace(found[number], here=word)
    return result


def _changed(rows: Sequence[str], first: int, span: Span, text: str) -> str:
    """Return the rows of a statement with one edit."""
    above, below = rows[: span.line - first], rows[span.end_line - first + 1 :]
    row = rows[span.line - first][: span.column - 1] + text + rows[span.end_line - first][span.end_column - 1 :]
    return "\n".join((*above, row, *below))


def _answers(asked: Iterable[_Asked], runner: Warm, limit: float, seconds: float) -> list[list[str | None]]:
    out = runner.folder / "in_place.json"
    wanted = {
        "agent": str(shutil.copy(_AGENT, runner.folder / "in_place.py")),
        "out": str(out),
        "seconds": seconds,
        "project": str(runner.place.project),
        "asked": list(asked),
    }
    if runner.run({}, limit + seconds, wanted) is None:
        return []
    try:
        return msgspec.json.decode(out.read_bytes(), type=list[list[str | None]])
    except (OSError, msgspec.MsgspecError):
        return []
