"""Give a value to what has none: what is only declared, a member that nobody sets, a key that a record lacks."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Function, Part, Span, Statement
from jamkey.text import line_at
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.convert import filled_in
from jamkey.turns.meanings import plain_meaning

#: What ends a declaration that gives no value.
_NOTHING = re.compile(r"[ \t]*(?:;|$|//|--|#)")
_TYPE = re.compile(r"([A-Za-z_]\w*)\s*(?:<[^;=(){}]*>)?\s*$")
#: What a member or a key is first set to: nothing that runs on with it.
_FIRST = ("zero", "one", "no text", "no items", "no pairs", "no set", "nothing", "no")
#: Names that are given a value at one place.
_MOST = 4


class Given(Plain):
    """`List<String> books;` becomes `List<String> books = new ArrayList<>();`; a constructor sets what is asked for."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose values for what is declared here without one, and for members that the constructor around it never sets."""
        yield from _declared(statement, ground)
        yield from _set_when_made(ground)

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the wanted keys for a record that is written here."""
        paired = ground.words.get("paired", "")
        if not paired or part.sort != "dict" or not part.source.endswith("}"):
            return
        inner = part.source[1:-1].rstrip().rstrip(",")
        for name in [name for name in _wanted(ground) if not re.search(rf"\b{re.escape(name)}\b", part.source)][:_MOST]:
            for value in _values(ground):
                text = filled_in(paired, name, value)
                pairs = f"{inner}, {text}" if inner.strip() else text
                space = part.source[1:-1][len(part.source[1:-1].rstrip()) :]
                yield Made(f"given:paired {value}", part.span, f"{part.source[0]}{pairs}{space}{part.source[-1]}")


def _declared(statement: Statement, ground: Ground) -> Iterator[Made]:
    for definition in ground.code.definitions():
        if definition.statement != statement.span or definition.sort != "assigned":
            continue
        span, value = definition.span, definition.value
        row = ground.row(span.end_line)
        missing = value is not None and plain_meaning(value.source) == "nothing"
        if not missing and (value is not None or _NOTHING.match(row, span.end_column - 1) is None):
            continue
        end = Span(span.end_line, span.end_column, span.end_line, span.end_column)
        kind = _TYPE.search(row[: span.column - 1])
        made = ground.words.get("made", "")
        if made and kind is not None and kind[1][:1].isupper():
            text = filled_in(made, f"{kind[1]}{'<>' if '<' in kind[0] else ''}")
            yield Made("given:made", value.span if value is not None and missing else end, text if missing else f" = {text}")
        if missing:
            continue
        for value in ground.words.get("plain", ()):
            yield Made(f"given:declared {value}", end, f" = {value}")


def _set_when_made(ground: Ground) -> Iterator[Made]:
    """Propose that a constructor sets the members that are asked for and that it does not set, behind all that it does."""
    sets, name = ground.words.get("sets", ""), ground.words.get("constructor", "")
    function = _constructor(ground, name) if sets and name else None
    if function is None:
        return
    last = function.last_line
    if ground.row(last).strip().startswith("}") and last > function.span.line:
        last -= 1
    if ground.place.line not in (function.span.line, last):
        return
    rows = "\n".join(ground.row(line) for line in range(function.span.line, function.last_line + 1))
    indent = ground.indent(function.body_line or last)
    column = len(ground.row(last)) + 1
    for wanted in [name for name in _wanted(ground) if not re.search(rf"\.{re.escape(name)}\b\s*=", rows)][:_MOST]:
        for value in _values(ground):
            text = f"\n{indent}{filled_in(sets, wanted, value)}"
            yield Made(f"given:set {value}", Span(last, column, last, column), text)


def _constructor(ground: Ground, name: str) -> Function | None:
    for function in ground.code.functions():
        if function.name == name and function.span.line <= ground.place.line <= function.last_line:
            return function
    return None


def _wanted(ground: Ground) -> list[str]:
    """Return the names of members that may be missing: what the message tells, and what the failing line asks of its object."""
    receiver, frame = ground.words.get("receiver", ""), ground.scene.frame
    own = rf"\b{receiver}\s*\.\s*(\w+)\b(?!\s*\()" if receiver else ""
    text = ground.scene.sources.text(frame.file) if own and frame is not None and frame.line else None
    row = line_at(text, frame.line) if text is not None and frame is not None and frame.line else ""
    return [name for name in dict.fromkeys([*ground.told, *(re.findall(own, row) if own else ())]) if name.isidentifier()]


def _values(ground: Ground) -> list[str]:
    return [value for value in ground.words.get("plain", ()) if plain_meaning(value) in _FIRST]


TURN = Given()
