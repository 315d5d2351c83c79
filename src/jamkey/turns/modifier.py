"""Put in or take out a word that modifies what is declared: `static`, `final`, `const`."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Span, Statement
from jamkey.turns.base import Ground, Made, Plain


class Modifier(Plain):
    """`int square(int x) {` becomes `static int square(int x) {`, `final int kilos` becomes `int kilos`."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose the modifiers that the head of a function, a field or a variable lacks, and each that it has to go."""
        words: list[str] = ground.words.get("modifiers", [])
        line = ground.place.line
        start = _begins(statement, ground, line) if words or ground.words.get("declared") else None
        if start is None:
            return
        row = ground.row(line)
        yield from _assigned_only(statement, ground, start)
        head = re.split(r"[=({;]", row[start - 1 :])[0]
        for word in words:
            found = re.search(rf"\b{word}\b\s*", head)
            if found is None:
                place = Span(line, start, line, start)
                yield Made(f"modifier:{word}", place, f"{word} ")
            elif len(head.split()) > 1:
                place = Span(line, start + found.start(), line, start + found.end())
                yield Made(f"modifier:no {word}", place, "")


def _assigned_only(statement: Statement, ground: Ground, start: int) -> Iterator[Made]:
    """Propose to set the name that is there around, where a new one hides it: `int n = 0;` becomes `n = 0;`."""
    for definition in ground.code.definitions():
        span = definition.span
        if definition.statement != statement.span or definition.sort != "assigned" or span.line != statement.span.line:
            continue
        others = [other for other in ground.code.definitions(definition.name) if other.scope != definition.scope]
        if span.column > start and others:
            yield Made("modifier:not declared", Span(span.line, start, span.line, span.column), "")


def _begins(statement: Statement, ground: Ground, line: int) -> int | None:
    """Return the column where a function or a name that is declared at the line begins; None where none is."""
    for function in ground.code.functions():
        if function.span.line == line:
            return function.span.column
    for definition in ground.code.definitions():
        if (
            definition.statement == statement.span
            and definition.sort in ("assigned", "member")
            and definition.span.line == line
        ):
            # a name with a type, or a word that declares it, before it
            return statement.span.column if definition.span.column > statement.span.column else None
    return None


TURN = Modifier()
