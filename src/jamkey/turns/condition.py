"""Ask first whether there is a value, before it is used in a condition, in a comprehension, in a function."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from jamkey.follow.value_sorts import is_missing
from jamkey.languages.base import Function, Part, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.convert import filled_in
from jamkey.turns.meanings import plain_meaning

#: Statements that go on by a condition; in languages of tokens also those that begin by a bracket.
_CONDITIONAL = ("if", "while", "tokens")
_CONDITIONS = ("compare", "other", "unary", "call", "index", "member")
_OPERANDS = ("name", "member", "index")
#: Things asked for at one place, and parameters of one function.
_MOST, _PARAMETERS = 8, 4
#: What a function gives back early.
_GIVEN = ("nothing", "zero", "one", "no text", "no items", "no pairs", "no")


class Condition(Plain):
    """`if a.left > 3` becomes `if a and a.left > 3`, `[1 / n for n in all]` becomes `[1 / n for n in all if n]`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose a condition that asks first, and a comprehension that leaves out what it fails for."""
        joined: str = ground.words.get("joined", "")
        if not joined:
            return
        if ground.statement.sort in _CONDITIONAL and part.sort in _CONDITIONS and _is_condition(part, ground):
            for turn, test in _tests(part, ground):
                yield Made(f"condition:{turn}", part.span, filled_in(joined, test, part.source))
        if part.sort == "comprehension" and (element := part.child("element")) is not None and part.source[-1:] in ")]}":
            last = part.children[-1]
            word = " " + filled_in(joined, "", "").strip() + " {0}" if last[0] == "test" else " if {0}"
            for turn, test in _tests(element, ground):
                yield Made(f"filter:{turn}", last[1].span.end, word.replace("{0}", test))


class Early(Plain):
    """A function begins by giving back a plain value where a parameter has none: `if node is None: return 0`."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose that at the head of the function around the statement."""
        leaves, gives = ground.words.get("leaves", ""), ground.words.get("gives", "")
        function = _around(ground) if leaves and gives else None
        if function is None or not function.body_line or function.body_line == function.span.line:
            return
        if ground.place.distance and ground.place.line not in (function.span.line, function.body_line):
            return
        indent = ground.indent(function.body_line)
        receiver = ground.words.get("receiver", "")
        for param in [param.name for param in function.params if param.star == "" and param.name != receiver][:_PARAMETERS]:
            values = [word for word in ground.words.get("plain", ()) if plain_meaning(word) in _GIVEN]
            value = ground.scene.value(param, ground.scene.frame) if ground.scene.frame is not None else None
            test = ground.idioms.is_missing.format(param)
            for word in values if value is None or is_missing(value) else ():
                text = indent + filled_in(leaves, test, indent, gives.format(word).rstrip(";")) + "\n"
                yield Made(f"early:missing {word}", before_line(function.body_line), text)


def _is_condition(part: Part, ground: Ground) -> bool:
    """Tell a whole condition, and a comparison in one."""
    if part.sort == "compare":
        return True
    tops = [top for top in ground.statement.parts if top.sort in _CONDITIONS]
    return any(top.span == part.span for top in tops) and not any(
        other.span != part.span and other.span.holds(part.span) for other in tops
    )


def _tests(part: Part, ground: Ground) -> Iterator[tuple[str, str]]:
    """Yield what can be asked of the parts of something before it is used: what it asks, and the condition."""
    operands = (inner for inner in part.walk() if inner.sort in _OPERANDS and ground.role(inner) != "callee")
    for source in dict.fromkeys(inner.source for inner in itertools.islice(operands, _MOST)):
        for word in ground.words.get("there", ()):
            yield "there", word.replace("{0}", source)


def _around(ground: Ground) -> Function | None:
    found = [item for item in ground.code.functions() if item.span.line <= ground.place.line <= item.last_line]
    return max(found, key=lambda item: item.span.line, default=None)


TURN = Condition()
EARLY = Early()
