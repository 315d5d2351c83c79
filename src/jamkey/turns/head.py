"""Change how something is declared: its type, a word before it, what it may throw; take a condition from what it rules."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part, Span, Statement
from jamkey.turns.base import Ground, Made, Plain, whole_lines

_FIRST = re.compile(
    r"((?:final|static|const|public|private|protected)\s+)*(?P<type>(?:unsigned\s+)?[A-Za-z_][\w:]*)(?=[\s<*&])"
)
_FUNCTION = re.compile(r"function\s*\(([^()]*)\)\s*\{")
#: Lines that a block may have to be taken out of.
_LONGEST = 30


class Head(Plain):
    """`int best` becomes `double best`, `int price()` becomes `static int price()`, the rows of an `if` lose it."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose that a function keeps the object it stands in."""
        if bound := ground.words.get("bound", ""):
            owner = part.child("object")
            if part.sort == "member" and owner is not None and ground.role(part).startswith("argument"):
                yield Made("function:bound", part.span, bound.format(part.source, owner.source))
            head = _FUNCTION.match(part.source) if part.sort == "function" else None
            if head is not None and "\n" not in head[0]:
                end = part.span.column + len(head[0])
                yield Made("function:arrow", Span(part.span.line, part.span.column, part.span.line, end), f"({head[1]}) => {{")

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose other heads of the statement, and its block without one."""
        line, column = statement.span.line, statement.span.column
        row = ground.row(line)[column - 1 :]
        if statement.sort == "functiondef":
            yield from _function(row, line, column, ground)
        first = _FIRST.match(row)
        types = ground.words.get("types", ())
        if first is not None and first["type"] in types:
            told = [fact for name, fact in ground.scene.facts.items() if name in ("left", "right", "type", "expected", "given")]
            place = Span(line, column + first.start("type"), line, column + first.end("type"))
            for other in dict.fromkeys([*(str(fact).strip("const &*") for fact in told), *types]):
                if other != first["type"] and re.fullmatch(r"[\w:<> ]+", other):
                    yield Made(f"declared:{first['type']} to {other}", place, other)
            for word in ground.words.get("modifiers", ()):
                if not row.startswith(word):
                    yield Made(f"modifier:{word.strip()}", Span(line, column, line, column), word)
        yield from _unwrapped(line, ground)


def _function(row: str, line: int, column: int, ground: Ground) -> Iterator[Made]:
    for word in ground.words.get("modifiers", ()):
        if word not in row:
            yield Made(f"modifier:{word.strip()}", Span(line, column, line, column), word)
    throws, brace = ground.words.get("throws", ""), row.rfind("{")
    if throws and brace > 0 and throws.split()[0] not in row:
        at = column + len(row[:brace].rstrip())
        for name in dict.fromkeys([*(name for name in ground.told if name.endswith("Exception")), "Exception"]):
            yield Made("declared:throws", Span(line, at, line, at), throws.format(name))


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
