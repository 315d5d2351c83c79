"""What goes round without end takes a step: another sign, a value that is added and not set, a statement that was left out."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.follow.unending import Unending, stands
from jamkey.languages.base import Span, Statement
from jamkey.repair.lex import lex
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.convert import filled_in

#: Signs that change a name by a value, and those that undo them.
_UNDO = {"+=": "-=", "-=": "+=", "*=": "/=", "/=": "*=", "++": "--", "--": "++"}
#: Names of a condition, and members of what one holds, that are taken.
_NAMES, _MEMBERS = 4, 6


class Step(Plain):
    """Only for a program that was stopped in a loop."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose what brings the loop nearer to its end."""
        loops = ground.scene.unending
        if not loops or ground.place.line != statement.span.line:
            return
        yield from _undone(statement, ground)
        if stands(ground.place.file, ground.place.line, loops, ground.code) == "in":
            yield from _added(statement, ground)
        for item in loops:
            if item.file == ground.place.file and item.loop.span.line == statement.span.line:
                yield from _put_in(item, ground)


def _undone(statement: Statement, ground: Ground) -> Iterator[Made]:
    """`days += 1` becomes `days -= 1`."""
    line, language = statement.span.line, ground.scene.sources.language(ground.place.file, ground.scene.jam.runtime)
    for token in lex(ground.row(line), language.style) if language is not None else ():
        if token.sort == "sign" and token.text in _UNDO:
            yield Made("step:sign", Span(line, token.start + 1, line, token.end + 1), _UNDO[token.text])


def _added(statement: Statement, ground: Ground) -> Iterator[Made]:
    """`total = 3` becomes `total += 3`."""
    target = statement.targets[0] if len(statement.targets) == 1 and statement.sort == "assign" else None
    value = next((part for part in reversed(statement.parts) if target is not None and not target.span.holds(part.span)), None)
    if target is not None and target.sort == "name" and value is not None:
        for sign in "+-":
            text = _changed(ground, target.source, sign, value.source.lstrip("+ "))
            whole = Span(target.span.line, target.span.column, value.span.end_line, value.span.end_column)
            yield Made(f"step:added {sign}", whole, text)


def _put_in(item: Unending, ground: Ground) -> Iterator[Made]:
    """A statement at the end of the loop that sets what its condition reads."""
    first, last = item.loop.span.line, item.loop.span.end_line
    body = next((line for line in range(first + 1, last + 1) if ground.row(line).strip()), 0)
    if not body:
        return
    end = last + 1 if ground.indent(last) >= ground.indent(body) else last
    ends = ";" if ground.row(body).rstrip().endswith(";") else ""
    for name in _words(item)[:_NAMES]:
        for turn, text in _steps(item, name, ground):
            yield Made(f"step:{turn}", before_line(end), f"{ground.indent(body)}{text}{ends}\n")


def _steps(item: Unending, name: str, ground: Ground) -> Iterator[tuple[str, str]]:
    for sign in "+-":
        yield f"{sign} 1", _changed(ground, name, sign, "1")
    value = ground.scene.value(name, item.frame)
    for member in value.members[:_MEMBERS] if value is not None else ():
        if member.isidentifier():
            yield "member", _set(ground, name, f"{name}{ground.words.get('asks', ['.'])[0]}{member}")


def _changed(ground: Ground, name: str, sign: str, by: str) -> str:
    """Return a change of a name by a value as the language writes it."""
    written: str = ground.words.get("changed", "")
    return filled_in(written, name, sign, by) if written else _set(ground, name, f"{name} {sign} {by}")


def _set(ground: Ground, name: str, text: str) -> str:
    """Return an assignment as the language writes it."""
    written: str = ground.words.get("assigned", "{0} = {1}")
    return filled_in(written, name, text)


def _words(item: Unending) -> list[str]:
    """Return the names that the condition reads and that stand by themselves."""
    condition = item.loop.condition
    parts = list(condition.walk()) if condition is not None else []
    return list(dict.fromkeys(part.name for part in parts if part.sort == "name" and part.name in item.names))


TURN = Step()
