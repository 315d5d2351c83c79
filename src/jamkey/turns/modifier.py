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
        yield from _behind(ground)
        start = _begins(statement, ground, line) if words else None
        if start is None:
            return
        row = ground.row(line)
        head = re.split(r"[=({;]", row[start - 1 :])[0]
        for word in words:
            found = re.search(rf"\b{word}\b\s*", head)
            if found is None:
                place = Span(line, start, line, start)
                yield Made(f"modifier:{word}", place, f"{word} ")
            elif len(head.split()) > 1:
                place = Span(line, start + found.start(), line, start + found.end())
                yield Made(f"modifier:no {word}", place, "")


def _behind(ground: Ground) -> Iterator[Made]:
    """Propose the words that a method's head has behind its parameters: `std::string name() const {`."""
    words: list[str] = ground.words.get("modifiers_behind", [])
    told = ground.said & {function.name for function in ground.code.functions()} if words else frozenset()
    for function in ground.code.functions() if words else ():
        near = function.span.line == ground.place.line or (ground.place.distance == 0 and function.name in told)
        if not near or not function.owner:
            continue
        row = ground.row(function.span.line)
        head = re.match(r"[^{;]*\)", row)
        for word in words if head is not None else ():
            place = head.end() + 1 if head is not None else 0
            if re.match(rf"\s*{word}\b", row[place - 1 :]) is None:
                line = function.span.line
                yield Made(f"modifier:{word} behind", Span(line, place, line, place), f" {word}")


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
