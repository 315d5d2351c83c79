"""Whether a statement differs from those beside it that do the like: `a = int(row["a"])`, `b = row["b"]`."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Code, Part, Statement

#: Statements looked at above and below, and calls of the same name.
_NEAR, _CALLS = 4, 12
#: Parts of a statement looked at.
_PARTS = 40


def unlike(code: Code, statement: Statement) -> Iterator[str]:
    """Yield how a statement differs from its siblings: `less`, `more`, `like` (shape), `fewer`, `others` (arguments)."""
    mine = _shape(statement)
    if mine is not None:
        yield from sorted({how for other in _beside(code, statement) for how in _compared(mine, _shape(other))})
    for call in _calls(statement):
        given = {keyword for keyword, _ in call.arguments if keyword}
        others = [other for other in code.calls(call.called)[:_CALLS] if other.span != call.span]
        if not others:
            continue
        usual = [{keyword for keyword, _ in other.arguments if keyword} for other in others]
        common = set.intersection(*usual)
        known = {keyword for row in usual for keyword in row}
        if common - given or all(len(other.arguments) > len(call.arguments) for other in others):
            yield "fewer"
        elif given - known and len(others) > 1:
            yield "others"


def _calls(statement: Statement) -> list[Part]:
    parts = [part for top in statement.parts for part in top.walk()][:_PARTS]
    return [part for part in parts if part.sort == "call" and part.called]


def _beside(code: Code, statement: Statement) -> Iterator[Statement]:
    """Yield the statements of the same sort that stand right above and below, in the same block."""
    for step in (-1, 1):
        line = statement.span.line if step < 0 else statement.span.end_line
        for _ in range(_NEAR):
            line += step
            other = code.statement(line) if line > 0 else None
            if other is None or other.sort != statement.sort or other.indent != statement.indent:
                break
            if other.span != statement.span:
                yield other
            line = other.span.line if step < 0 else other.span.end_line


def _shape(statement: Statement) -> Part | None:
    values = [part for part in statement.parts if not any(target.span.holds(part.span) for target in statement.targets)]
    return values[-1] if values else None


def _compared(mine: Part, other: Part | None) -> Iterator[str]:
    if other is None:
        return
    here, there = _form(mine), _form(other)
    if here == there:
        yield "like"
    elif _plain(mine) or _plain(other):
        return
    elif any(_form(part) == here for part in other.walk() if part is not other):
        yield "less"
    elif any(_form(part) == there for part in mine.walk() if part is not mine):
        yield "more"


def _plain(part: Part) -> bool:
    """A name or a literal is a part of nearly everything."""
    return not part.children


def _form(part: Part, depth: int = 0) -> tuple[object, ...]:
    """Return what a part is made of, whatever its names and literals are."""
    if depth > 6:
        return ()
    word = part.called if part.sort == "call" else part.name if part.sort in ("binary", "compare", "unary", "other") else ""
    return (part.sort, word, *(_form(child, depth + 1) for _, child in part.children))
