"""Change how something is declared; take a condition from what it rules."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Span, Statement
from jamkey.turns.base import Ground, Made, Plain, whole_lines
from jamkey.turns.convert import filled_in
from jamkey.turns.imports import needed

_FIRST = re.compile(
    r"((?:final|static|const|public|private|protected)\s+)*(?P<type>(?:unsigned\s+)?[A-Za-z_][\w:]*)(?=[\s<*&])"
)
#: What stands beside a type where a message tells it.
_NO_TYPE = re.compile(r"\bconst\b|[&*]")
_FAILURE = re.compile(r"[\w.]*(?:Exception|Error)")
#: A type that may hold others and is declared without: `Deque queue`.
_RAW = re.compile(r"\b([A-Z]\w*)(?=\s+[a-z]\w*\s*[=;,)])")
#: Ways to say what a type holds that are proposed.
_DONORS = 4
#: One step of indentation of what is put around rows.
_STEP = "    "
#: Lines that a block may have to be taken out of.
_LONGEST = 30


class Head(Plain):
    """`int best` becomes `double best`; the rows of an `if` lose it."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose other heads of the statement, and its block without one."""
        line, column = statement.span.line, statement.span.column
        row = ground.row(line)[column - 1 :]
        first = _FIRST.match(row)
        types = ground.words.get("types", ())
        if first is not None and first["type"] in types:
            told = [
                fact
                for name, fact in ground.scene.facts.items()
                if name in ("left", "right", "type", "expected", "given", "wanted")
            ]
            place = Span(line, column + first.start("type"), line, column + first.end("type"))
            for other in dict.fromkeys([*(_NO_TYPE.sub("", str(fact)).strip() for fact in told), *types]):
                if other != first["type"] and re.fullmatch(r"[\w:<> ]+", other):
                    yield Made(f"declared:{first['type']} to {other}", place, other)
        yield from _typed(line, ground)
        yield from _throwing(line, ground)
        yield from _caught(statement, ground)
        yield from _unwrapped(line, ground)


def _typed(line: int, ground: Ground) -> Iterator[Made]:
    """Propose what a type holds that is declared without it: as the program has it elsewhere, or as the message tells."""
    if ground.words.get("holding", False):
        texts = [ground.code.text, *(code.text for _, code in ground.scene.project_codes() if code is not ground.code)]
        for found in _RAW.finditer(ground.row(line)):
            donors = [
                each
                for text in texts
                for each in re.findall(rf"\b{found[1]}(<\w[^;(){{}}]{{0,60}}?>+)(?=\s*\w+\s*[=;,)])", text)
            ]
            told = [f"<{name}>" for name in ground.told if name.isidentifier() and name[:1].isupper()]
            place = Span(line, found.end(1) + 1, line, found.end(1) + 1)
            for holds in list(dict.fromkeys([*donors, *told]))[:_DONORS]:
                yield Made("declared:holding", place, holds)


def _caught(statement: Statement, ground: Ground) -> Iterator[Made]:
    """Propose to catch what may be thrown, and to throw it on as what nobody needs to declare."""
    form = ground.words.get("caught", "")
    told = [name for name in ground.told if _FAILURE.fullmatch(name)] if form else []
    if not told:
        return
    line = ground.place.line
    row = ground.row(line)
    declared = re.search(rf"\s*\bthrows\s+{re.escape(told[0])}(?=\s*\{{)", row)
    function = next((item for item in ground.code.functions() if item.span.line == line), None)
    if declared is not None and function is not None and function.last_line > line + 1:
        first, last = line + 1, function.last_line - 1
        more = ((ground.place.file, whole_lines(first, last), _tried(form, ground, first, last, told[0])),)
        yield Made("caught:whole", Span(line, declared.start() + 1, line, declared.end() + 1), "", more=more)
    elif function is None and line == statement.span.line and row.rstrip().endswith(";"):
        last = statement.span.end_line
        yield Made("caught:statement", whole_lines(line, last), _tried(form, ground, line, last, told[0]))


def _tried(form: str, ground: Ground, first: int, last: int, name: str) -> str:
    indent = ground.indent(first)
    rows = "".join((_STEP + row if row else row) + "\n" for row in (ground.row(line) for line in range(first, last + 1)))
    return filled_in(form, rows, name, indent, _STEP)


def _throwing(line: int, ground: Ground) -> Iterator[Made]:
    """Propose that the method around the line says what it throws, where the message tells it."""
    throws = ground.words.get("throws", "")
    told = [name for name in ground.told if _FAILURE.fullmatch(name)] if throws else []
    around = [function for function in ground.code.functions() if function.span.line <= line <= function.last_line]
    for function in around[-1:] if told else ():
        row = ground.row(function.span.line)
        opening = row.rfind("{")
        if opening > 0:
            others = re.search(r"\bthrows\s+[\w., ]+", row)
            place = len(row[:opening].rstrip()) + 1
            text = f", {told[0]}" if others else throws.format(told[0])
            more = needed(told[0], ground)
            yield Made("declared:throws", Span(function.span.line, place, function.span.line, place), text, more=more)


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
