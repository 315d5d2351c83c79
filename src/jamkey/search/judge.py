"""What edits would do, asked of the running program before any trial: hundreds in one more run, where a trial answers for one.

An edit of a statement that failed is run in the very frame that failed: it gets past the failure there or it does not.
Of an expression elsewhere the program says what it would give beside what it gives: whether that fails, is the same, is of
another type, holds a word that the message tells. Neither says what follows; both are reasons to try an edit sooner or later.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from jamkey.follow.scene import Scene
from jamkey.follow.told import words_told
from jamkey.languages.base import Part, Span
from jamkey.search.asking import ASKING, Asked, Expression, Statement
from jamkey.search.survey import MORE, can_be_called_around, seconds_of
from jamkey.search.weights import Proposed
from jamkey.trials.warm import Warm
from jamkey.turns.base import Ground, Made

#: Forms of one statement or expression, and rows that it may have.
_MOST, _ROWS = 2500, 40


def judged(
    scene: Scene, found: Sequence[Proposed], runner: Warm, limit: float, seconds: float, base: Mapping[str, bytes] | None = None
) -> list[Proposed]:
    """Return what is proposed with what the running program says of it, where it can be asked.

    Args:
        scene: the failure, diagnosed, with its sources.
        found: what is proposed for it.
        runner: where quick trials of the program are made.
        limit: seconds for the run.
        seconds: for all forms together.
        base: files that are changed already.
    """
    asking = ASKING.get(scene.jam.runtime)
    if asking is None or (scene.jam.phase == "hang" and not asking.runs_statements):
        return list(found)  # where it would never end, only Python is asked meanwhile
    asked: dict[tuple[str, Span], Asked] = {}
    places: dict[tuple[str, Span], list[int]] = {}
    tops: dict[tuple[str, Span], Part] = {}
    # many edits change the same part
    changed: dict[tuple[int, Span], Part | None] = {}
    for number, item in enumerate(found):
        made, ground = item.made, item.ground
        if made is None or ground is None or made.skips:
            continue
        in_frame = asking.runs_statements and _is_in_frame(ground, made)
        if made.more and not (in_frame and _is_of_statement(ground, made)):
            continue
        if in_frame:
            span = ground.statement.span
            text = "\n".join(ground.row(line) for line in range(span.line, span.end_line + 1))
            whole = Span(span.line, 1, span.end_line, len(ground.row(span.end_line)) + 1)
            key = (ground.place.file, whole)
            if key not in asked:
                asked[key] = Statement(ground.place.file, span.line, span.end_line, text, [])
        else:
            where = (id(ground), made.span)
            if where not in changed:
                changed[where] = _top(ground, made)
            top = changed[where]
            if top is None:
                continue
            key, text, whole = (ground.place.file, top.span), top.source, top.span
            if key not in asked:
                asked[key] = Expression(-1, text, [])
                tops[key] = top
        if len(asked[key].forms) < _MOST:
            places.setdefault(key, []).append(number)
            form = text
            # the last first, so that what stands before keeps its place
            for span, new in sorted(
                [(made.span, made.text), *((span, new) for _, span, new in made.more)], key=_start, reverse=True
            ):
                form = _changed(form, whole, span, new)
            asked[key].forms.append(form)
    data, chosen = asking.calls(scene, runner, ((file, part) for (file, _), part in tops.items()))
    sites = {(file, part.span): number for number, (file, part) in enumerate(chosen)}
    for key, entry in list(asked.items()):
        if isinstance(entry, Expression):
            if key in sites:
                entry.site = sites[key]
            else:
                del asked[key]
    if not asked:
        return list(found)
    # what failed is asked first: it says most
    order = sorted(asked, key=lambda key: isinstance(asked[key], Expression))
    texts = [asked[key] for key in order]
    failure = scene.jam.exception_type or ""
    wanted = asking.prepare(runner, texts, words_told(scene), seconds_of(scene, limit), seconds, failure)
    until = min(limit, 2 * seconds_of(scene, limit)) + seconds + MORE
    if runner.run({**(base or {}), **data}, until, wanted) is None:
        return list(found)
    said = asking.answers(runner)
    result = list(found)
    for key, answers in zip(order, said, strict=False):
        for number, answer in zip(places[key], answers, strict=False):
            if isinstance(answer, str):
                result[number] = msgspec.structs.replace(found[number], here=answer)
            elif answer is not None:
                result[number] = msgspec.structs.replace(found[number], there=answer)
    return result


def _is_in_frame(ground: Ground, made: Made) -> bool:
    """Tell an edit of a statement, or of a block's head, that a frame of the failure stands in."""
    span, frame = ground.statement.span, ground.place.frame
    if frame is None or frame.line is None or not span.holds(made.span) or span.end_line - span.line > _ROWS:
        return False
    return any(head.span == span for head in ground.code.heads(frame.line))


def _is_of_statement(ground: Ground, made: Made) -> bool:
    """Tell an edit of several places of one statement, each on a line of its own."""
    whole = ground.statement.span
    return all(
        file == ground.place.file and whole.holds(span) and span.line == span.end_line and "\n" not in new
        for file, span, new in ((ground.place.file, made.span, made.text), *made.more)
    )


def _start(edit: tuple[Span, str]) -> tuple[int, int]:
    return edit[0].line, edit[0].column


def _top(ground: Ground, made: Made) -> Part | None:
    """Return the outermost expression of the statement that an edit changes and that has a value of its own."""
    found = [
        part
        for top in (*ground.statement.parts, *ground.statement.targets)
        for part in top.walk()
        if part.span.holds(made.span) and not ground.is_stored(part) and can_be_called_around(part)
    ]
    whole = max(found, key=lambda part: len(part.source), default=None)
    return whole if whole is not None and whole.source.count("\n") <= _ROWS else None


def _changed(text: str, whole: Span, span: Span, new: str) -> str:
    """Return a text that stands at `whole` with one edit at `span`."""
    rows = text.split("\n")
    first, last = span.line - whole.line, span.end_line - whole.line
    start = span.column - (whole.column if first == 0 else 1)
    end = span.end_column - (whole.column if last == 0 else 1)
    row = rows[first][:start] + new + rows[last][end:]
    return "\n".join((*rows[:first], row, *rows[last + 1 :]))
