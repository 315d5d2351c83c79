"""What goes round without end takes a step: another sign, a result kept, another name, a statement that was left out."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from jamkey.follow.unending import Unending
from jamkey.languages.base import Span, Statement
from jamkey.turns.base import Ground, Made, Plain, around_sign, before_line
from jamkey.turns.convert import filled_in
from jamkey.turns.literal import is_one

#: Signs that change a name by a value, and those that undo them.
_UNDO = {"+=": "-=", "-=": "+=", "*=": "/=", "/=": "*=", "++": "--", "--": "++"}
_CHANGES = re.compile(r"(?<![-+*/=!<>])(?:[-+*/]=(?!=)|\+\+|--)")
_LITERALS = {"True": "False", "False": "True", "true": "false", "false": "true", "TRUE": "FALSE", "FALSE": "TRUE"}
_LITERAL = re.compile(rf"\b(?:{'|'.join(_LITERALS)})\b")
#: Names of a condition, and statements like one that is missing, that are taken.
_NAMES, _DONORS = 4, 6
_CLOSING = re.compile(r"(?:end\w*|[})\]]|until\b.*)\s*;?$")


class Step(Plain):
    """Only for a program that was stopped in a loop."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose what brings the loop nearer to its end."""
        loops = ground.scene.unending
        if not loops or ground.place.line != statement.span.line:
            return
        yield from _undone(statement, ground)
        yield from _kept(statement, ground)
        yield from _named(statement, ground, loops)
        for item in loops:
            if item.file == ground.place.file and item.loop.span.line == statement.span.line:
                yield from _put_in(item, ground)


def _undone(statement: Statement, ground: Ground) -> Iterator[Made]:
    row = ground.row(statement.span.line)
    for match in _CHANGES.finditer(row):
        if row[: match.start()].count('"') % 2 == 0 == row[: match.start()].count("'") % 2:
            line = statement.span.line
            yield Made("step:sign", Span(line, match.start() + 1, line, match.end() + 1), _UNDO[match[0]])


def _kept(statement: Statement, ground: Ground) -> Iterator[Made]:
    """`n / 2` becomes `n /= 2`."""
    top = statement.parts[0] if len(statement.parts) == 1 and not statement.targets else None
    if top is None or top.sort != "binary" or top.span.line != top.span.end_line:
        return
    left, right = top.child("left"), top.child("right")
    pieces = around_sign(top, left, right) if left is not None and right is not None else None
    if left is not None and pieces is not None and left.sort in ("name", "member", "index"):
        before, sign, behind = pieces
        if behind[:1] == "(" and behind[-1:] == ")" and is_one(behind[1:-1]):
            behind = behind[1:-1]
        yield Made("step:kept", top.span, _changed(ground, before.strip(), sign.strip(), behind.strip()))


def _named(statement: Statement, ground: Ground, loops: Sequence[Unending]) -> Iterator[Made]:
    """A name that ends the loop is set instead of another."""
    targets = [
        part
        for target in statement.targets
        for part in ([target] if target.sort == "name" else [p for _, p in target.children])
    ]
    names = dict.fromkeys(name for item in loops if item.file == ground.place.file for name in _words(item))
    for part in targets:
        for name in list(names)[:_NAMES] if part.sort == "name" else ():
            if name != part.name:
                yield Made("step:name", part.span, name)


def _put_in(item: Unending, ground: Ground) -> Iterator[Made]:
    """A statement at the end of the loop, or at its beginning, that sets what its condition reads."""
    first, last = item.loop.span.line, item.loop.span.end_line
    body = next((line for line in range(first + 1, last + 1) if ground.row(line).strip()), 0)
    if not body:
        return
    closed = _CLOSING.match(ground.row(last).strip()) is not None
    end = last if closed else last + 1
    indent, ends = ground.indent(body), ";" if ground.row(body).rstrip().endswith(";") else ""
    inside = {text for line in range(first + 1, last + 1) if (text := ground.row(line).strip())}
    for name in _words(item)[:_NAMES]:
        for turn, text in _steps(item, name, ground):
            if text in inside:
                continue
            row = f"{indent}{text}{ends}\n"
            yield Made(f"step:{turn} at the end", before_line(end), row)
            yield Made(f"step:{turn} at the beginning", before_line(body), row)


def _steps(item: Unending, name: str, ground: Ground) -> Iterator[tuple[str, str]]:
    for sign in "+-":
        yield f"{sign} 1", _changed(ground, name, sign, "1")
    count = 0
    for definition in ground.code.definitions(name):
        span = definition.statement
        same = definition.scope in (item.scope, "") and span is not None and span.line == span.end_line
        if span is None or not same or definition.sort not in ("assigned", "changed") or count >= _DONORS:
            continue
        count += 1
        text = ground.row(span.line).strip().rstrip(";")
        if text.endswith((":", "{", "do")):
            continue
        yield "as elsewhere", text
        if flipped := _LITERAL.sub(lambda match: _LITERALS[match[0]], text):
            if flipped != text:
                yield "the opposite", flipped
    for member in _members(name, ground):
        yield "member", _set(ground, name, f"{name}{ground.words.get('asks', ['.'])[0]}{member}")


def _members(name: str, ground: Ground) -> list[str]:
    """Return the members that hold another of the same: of what the name holds, what is such a thing or nothing yet."""
    value = ground.scene.value(name)
    return [member for member in value.members if member.isidentifier()][:_DONORS] if value is not None else []


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
