"""Change how something is declared; take a condition from what it rules."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Span, Statement
from jamkey.turns.base import Ground, Made, Plain, whole_lines

_FIRST = re.compile(
    r"((?:final|static|const|public|private|protected)\s+)*(?P<type>(?:unsigned\s+)?[A-Za-z_][\w:]*)(?=[\s<*&])"
)
#: What stands beside a type where a message tells it.
_NO_TYPE = re.compile(r"\bconst\b|[&*]")
_MESSAGE = 2000
#: Lines that a block may have to be taken out of.
_LONGEST = 30


class Head(Plain):
    """`int best` becomes `double best`; the rows of an `if` lose it; a head says what is thrown."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose other heads of the statement, and its block without one."""
        line, column = statement.span.line, statement.span.column
        row = ground.row(line)[column - 1 :]
        first = _FIRST.match(row)
        types = ground.words.get("types", ())
        if first is not None and first["type"] in types:
            told = [fact for name, fact in ground.scene.facts.items() if name in ("left", "right", "type", "expected", "given")]
            place = Span(line, column + first.start("type"), line, column + first.end("type"))
            for other in dict.fromkeys([*(_NO_TYPE.sub("", str(fact)).strip() for fact in told), *types]):
                if other != first["type"] and re.fullmatch(r"[\w:<> ]+", other):
                    yield Made(f"declared:{first['type']} to {other}", place, other)
        yield from _unwrapped(line, ground)
        yield from _thrown(statement, ground)


def _thrown(statement: Statement, ground: Ground) -> Iterator[Made]:
    """Propose that a function's head says what its body may throw, and the heads of those that call it."""
    says = ground.words.get("throws", "")
    place = _before_body(statement.span.line, ground) if says and statement.sort == "functiondef" else None
    if place is None:
        return
    message = (ground.scene.jam.wording or "")[:_MESSAGE]
    told = [word for word in re.findall(r"\b[A-Z]\w+", message) if word.endswith(("Exception", "Error"))]
    above = [other for line in _callers(statement.span.line, ground) if (other := _before_body(line, ground)) is not None]
    for name in dict.fromkeys([*told, "Exception"]):
        text = says.format(name)
        how = "told" if name in told else "any"
        yield Made(f"thrown:{how}", place, text)
        if above:
            more = tuple((ground.place.file, other, text) for other in above)
            yield Made(f"thrown:{how} up", place, text, more=more)


def _before_body(line: int, ground: Ground) -> Span | None:
    """Return where a head that says nothing of what is thrown could say it."""
    row = ground.row(line)
    if "{" not in row or ground.words["throws"].split()[0] in row:
        return None
    column = len(row[: row.index("{")].rstrip()) + 1
    return Span(line, column, line, column)


def _callers(line: int, ground: Ground) -> list[int]:
    """Return the heads of the functions of the file that call the one there, and of those that call these."""
    functions = {function.qualified: function for function in ground.code.functions()}
    todo = [function.qualified for function in functions.values() if function.span.line == line]
    seen = set(todo)
    while todo:
        name = functions[todo.pop()].name
        for call in ground.code.calls(name):
            scope = ground.code.scope_at(call.span.line)
            if scope in functions and scope not in seen:
                seen.add(scope)
                todo.append(scope)
    return sorted(functions[scope].span.line for scope in seen if functions[scope].span.line != line)


def _unwrapped(line: int, ground: Ground) -> Iterator[Made]:
    """Propose the rows of the nearest `if` around the line without it."""
    indent = len(ground.indent(line))
    above = line - 1
    while above > 0 and (not ground.row(above).strip() or len(ground.indent(above)) >= indent):
        above -= 1
    head = ground.row(above).strip() if above > 0 else ""
    if not re.match(r"if\b", head) or not head.endswith((":", "{", ")", "then")):
        return
    outer = ground.indent(above)
    below = above + 1
    while below - above < _LONGEST and (not ground.row(below).strip() or len(ground.indent(below)) > len(outer)):
        if below > ground.code.text.count("\n"):
            break
        below += 1
    closing = ground.row(below).strip()
    if closing and (closing.startswith(("else", "elif", "} else", "elseif")) or below - above >= _LONGEST):
        return
    closed = re.fullmatch(r"\}|end\w*;?|fi", closing) is not None
    if not closed and not head.endswith(":"):
        return
    rows = [ground.row(number) for number in range(above + 1, below)]
    cut = len(ground.indent(above + 1)) - len(outer)
    text = "".join((row[cut:] if row.strip() else row) + "\n" for row in rows)
    yield Made("statement:unwrap", whole_lines(above, below if closed else below - 1), text)


TURN = Head()
