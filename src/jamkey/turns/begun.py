"""Give a first value to a name that is only declared: a variable, a field."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Statement
from jamkey.turns.base import Ground, Made, Plain

#: A class before a declared name, its parameters left out.
_CLASS = re.compile(r"\b([A-Z]\w*)(?:<[^;=]*>)?\s*$")


class Begun(Plain):
    """`List<String> names;` becomes `List<String> names = new ArrayList<>();`."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose every small value of the language for what is declared and has none."""
        initial = ground.words.get("initial", "")
        if not initial or statement.span.line != statement.span.end_line:
            return
        row = ground.row(statement.span.line)
        for definition in ground.code.definitions():
            own = definition.statement == statement.span and definition.sort in ("assigned", "member")
            if not own or definition.value is not None or row[definition.span.end_column - 1 :].strip(" ;"):
                continue
            values = list(ground.words.get("plain", ()))
            kind = _CLASS.search(row[: definition.span.column - 1])
            if kind is not None and (made := ground.words.get("made", "")):
                values.append(made.format(kind[1]))
            for value in values:
                yield Made(f"begun:{value}", definition.span.end, initial + value)


TURN = Begun()
