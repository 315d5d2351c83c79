"""Make anew, where a function begins, what a parameter stands for when it is not given."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Statement
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.begun import asked_of
from jamkey.turns.convert import filled_in


class Defaulted(Plain):
    """`def add(item, basket=None)` begins with `if basket is None: basket = []`."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose first values for parameters that may hold nothing, by what the function asks of them."""
        form, nothing = ground.words.get("defaulted", ""), ground.words.get("nothing", "")
        if not form or statement.sort != "functiondef":
            return
        for function in ground.code.functions():
            if function.span.line != ground.place.line or not function.body_line or function.body_line == function.span.line:
                continue
            for param in function.params:
                if param.star or (param.default.source if param.default is not None else "") != nothing:
                    continue
                asked = asked_of(param.name, function.qualified, ground)
                for first in ground.words.get("begun", ()):
                    if asked & set(first["asked"]):
                        line = function.body_line
                        value = filled_in(first["text"], param.name)
                        text = filled_in(form, param.name, value, ground.indent(line))
                        yield Made("defaulted", before_line(line), text + "\n")


TURN = Defaulted()
