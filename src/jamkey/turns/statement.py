"""Change a statement as a whole: give back, keep the result, leave out, move, declare, copy."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from jamkey.languages.base import Function, Part, Span, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line, whole_lines
from jamkey.turns.convert import filled_in

#: Rows of a function that is moved, and what ends a block.
_LONGEST = 60
#: Lines above and below that rows may go to.
_PLACES = 5
#: A list, a set or a mapping whose first item or key is a text, as it is shown.
_OF_TEXTS = re.compile(r"""(?:\w+\()?[\[({]['"]""")
_CLOSING = re.compile(r"end\b|[})\]]")


class Whole(Plain):
    """`f(x)` becomes `return f(x)` or `x = f(x)`; a line goes, moves in, out, up or down."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose other forms of the statement."""
        first, last = statement.span.line, statement.span.end_line
        if statement.sort == "functiondef" and ground.place.line == first:
            yield from _moved_function(ground, first)
        if ground.place.line != first or last - first > 12:
            yield from _function_end(ground)
            return
        start = Span(first, statement.span.column, first, statement.span.column)
        row = ground.row(first).strip()
        scope = ground.code.scope_at(first)
        top = statement.parts[0] if statement.parts else None
        simple = not ground.row(last).rstrip().endswith((":", "{", "then", "do")) and statement.sort != "functiondef"
        simple = simple and _CLOSING.match(row) is None
        valued = (
            top is not None and not statement.targets and top.sort not in ("call", "name", "member", "binary", "index", "text")
        )
        if simple and valued and scope and len(statement.parts) == 1 and re.match(r"(?!return\b)[^\W\d]|[(\[{'\"`\d-]", row):
            yield Made("statement:return", start, "return ")
        if simple and top is not None and not statement.targets and top.sort in ("call", "name", "member", "binary", "index"):
            if scope and not row.startswith("return"):
                yield Made("statement:return", start, "return ")
            callee = top.child("callee") if top.sort == "call" else None
            owner = callee.child("object") if callee is not None else None
            if owner is not None and owner.sort in ("name", "member", "index") and not row.startswith("return"):
                yield Made("statement:keep", start, f"{owner.source} = ")
            if owner is not None and owner.sort == "index":
                yield from _first_set(owner, ground.words.get("empties", ()), ground)
            kept_as = ground.words.get("kept_as", "") if top.sort == "call" else ""
            asked = (
                {part.name for part in ground.scene.parts_of(ground.scene.frame) if part.sort == "name"} if kept_as else set()
            )
            for name in [name for name in ground.told if name in asked]:
                if not any(item.scope == scope for item in ground.code.definitions(name)):
                    yield Made("statement:keep told", start, kept_as.format(name))
            kept, awaited = ground.words.get("kept", ""), ground.words.get("awaited", "")
            if kept and top.sort == "call" and top.arguments and top.arguments[0][1].sort == "name":
                yield Made("statement:keep", start, kept.format(top.arguments[0][1].source))
            if awaited and top.sort == "call":
                yield Made("statement:await", start, awaited)
        if simple and len(statement.targets) == 1 and top is not None:
            yield from _targets(statement, ground)
        yield from _rewound(statement, ground)
        if simple:
            yield Made("statement:leave out", whole_lines(first, last), "", skips=True)
            yield from _moved(statement, ground)
        if row.startswith("return") and simple:
            for name in [name for name in ground.visible if ground.code.reaching(name, first)][:12]:
                if ground.code.scope_at(ground.code.reaching(name, first)[0].span.line) == scope:
                    yield Made("statement:return other", statement.span, f"return {name}{ground.ends}")
        if row.startswith("break"):
            yield Made("statement:continue", statement.span, "continue")
        if scope:
            yield from _declared(statement, ground, scope)
        yield from _function_end(ground)


def _rewound(statement: Statement, ground: Ground) -> Iterator[Made]:
    """Propose to go back to the beginning of what has been read to its end."""
    forms: dict[str, str] = ground.words.get("rewound", {})
    parts = [part for top in statement.parts for part in top.walk() if part.sort == "name"] if forms else []
    line = statement.span.line
    for name in dict.fromkeys(part.name for part in parts):
        value = next((ground.value(part) for part in parts if part.name == name), None)
        form = forms.get(value.type.rpartition(".")[2], "") if value is not None else ""
        if form:
            yield Made("statement:rewound", before_line(line), ground.indent(line) + form.format(name) + "\n")


def _targets(statement: Statement, ground: Ground) -> Iterator[Made]:
    (target,) = statement.targets
    value = next((part for part in reversed(statement.parts) if not target.span.holds(part.span)), None)
    if value is None:
        return
    for form in ground.words.get("set_by", ()) if statement.sort != "augassign" else ():
        whole = Span(target.span.line, target.span.column, value.span.end_line, value.span.end_column)
        yield Made(f"statement:set by {form}", whole, form.format(target.source, value.source))
    if target.sort == "name" and value.sort == "call":
        yield Made("statement:no target", Span(target.span.line, target.span.column, value.span.line, value.span.column), "")
    receiver = ground.words.get("receiver")
    if target.sort == "name" and receiver and ground.code.scope_at(ground.place.line):
        yield Made("statement:own", target.span.start, f"{receiver}.")
    if target.sort == "member" and (owner := target.child("object")) is not None and owner.source == receiver:
        yield Made("statement:not own", target.span, target.name)
    unpacks = ground.words.get("unpacks", False) and statement.sort != "augassign" and not _gives_text(value, statement, ground)
    if unpacks and target.sort == "name" and value.sort in ("call", "index", "name"):
        yield Made("statement:first of", target.span, f"{target.name}, _")
        yield Made("statement:first of", target.span, f"{target.name}, *_")
        yield Made("statement:one of", target.span, f"{target.name},")
    if unpacks and target.sort == "tuple":
        names = [child.source for _, child in target.children]
        plain = ", ".join(names)
        yield Made("statement:rest", target.span, f"{plain}, *_")
        yield Made("statement:rest", target.span, f"{plain}, _")
        yield Made("statement:fewer", target.span, ", ".join(names[:-1]))
        for index, name in enumerate(names):
            yield Made("statement:star", target.span, ", ".join([*names[:index], f"*{name}", *names[index + 1 :]]))
    owner, key = (target.child("object"), target.child("key")) if target.sort == "index" else (None, None)
    if owner is not None and key is not None:
        appended = ground.words.get("appended", "")
        if appended:
            yield Made("statement:append", statement.span, appended.format(owner.source, value.source) + ground.ends)
        yield from _first_set(target, ("0",), ground)
        if owner.sort == "index":
            yield from _first_set(owner, ground.words.get("empties", ()), ground)


def _gives_text(value: Part, statement: Statement, ground: Ground) -> bool:
    """Tell what is taken apart into letters: a text, or what gives texts one by one."""
    held = ground.value(value)
    if held is None:
        return False
    return _OF_TEXTS.match(held.text) is not None if statement.sort == "for" else held.type == "str"


def _first_set(part: Part, values: Sequence[str], ground: Ground) -> Iterator[Made]:
    """Propose to set what is looked up before it is asked for, where it is not there yet."""
    first_set: str = ground.words.get("first_set", "")
    owner, key, line = part.child("object"), part.child("key"), ground.statement.span.line
    if first_set and owner is not None and key is not None:
        for value in values:
            text = ground.indent(line) + filled_in(first_set, owner.source, key.source, value) + "\n"
            yield Made(f"statement:first set {value}", before_line(line), text)


def _moved(statement: Statement, ground: Ground) -> Iterator[Made]:
    first, last = statement.span.line, statement.span.end_line
    rows = [ground.row(line) for line in range(first, last + 1)]
    text = "\n".join(rows) + "\n"
    indent = ground.indent(first)
    if step := ground.words.get("step", ""):
        unit = "\t" if indent.startswith("\t") else step
        if indent:
            outer = indent[: -len(unit)] if len(indent) >= len(unit) else ""
            yield Made("move:out", whole_lines(first, last), "".join(outer + row[len(indent) :] + "\n" for row in rows))
        yield Made("move:in", whole_lines(first, last), "".join(unit + row + "\n" for row in rows))
    above, below = _neighbour(ground, first - 1), _neighbour(ground, last + 1)
    for other, turn in ((above, "up"), (below, "down")):
        if other is None or not ground.row(other.span.line).strip():
            continue
        begin, end = other.span.line, other.span.end_line
        if ground.indent(begin) == indent and end - begin < 12:
            block = "\n".join(ground.row(line) for line in range(begin, end + 1)) + "\n"
            joined = Span(min(first, begin), 1, max(last, end) + 1, 1)
            if joined.end_line - joined.line == (last - first + 1) + (end - begin + 1):
                yield Made(f"move:{turn}", joined, text + block if turn == "up" else block + text)
    yield from _moved_far(ground, first, last)


def _moved_function(ground: Ground, first: int) -> Iterator[Made]:
    """Propose to define a function elsewhere: above what calls it."""
    whole = [function.span for function in ground.code.functions() if function.span.line == first]
    if whole and whole[0].end_line - first <= _LONGEST:
        yield from _moved_far(ground, first, whole[0].end_line, nearest=True)


def _moved_far(ground: Ground, first: int, last: int, nearest: bool = False) -> Iterator[Made]:
    """Propose rows further away: at the head of their block, above their first use, below what they need."""
    text = "".join(ground.row(line) + "\n" for line in range(first, last + 1))
    for line in _heads(ground, first, last, nearest):
        turn = "move:far up" if line < first else "move:far down"
        yield Made(turn, whole_lines(first, last), "", more=((ground.place.file, before_line(line), text),))


def _heads(ground: Ground, first: int, last: int, nearest: bool) -> list[int]:
    """Return the lines before which rows can stand, in the block that they are in; next to them where `nearest` says so."""
    indent, scope, count = ground.indent(first), _scope(ground, first), ground.code.text.count("\n") + 1

    def fits(line: int) -> bool:
        row = ground.row(line).strip()
        in_block = row and ground.indent(line) == indent and _scope(ground, line) == scope
        return bool(in_block) and _CLOSING.match(row) is None

    above = [line for line in range(first - 1, 0, -1) if fits(line)][: _PLACES + 1]
    below = [line for line in range(last + 1, count + 1) if fits(line)][:_PLACES]
    below = [line + 1 if line == count else line for line in below]
    return [*above, *below] if nearest else [*above[1:], *below[1:]]


def _scope(ground: Ground, line: int) -> str:
    """Return the function that a line stands in; the head of one stands in what is around it."""
    own = next((function.qualified for function in ground.code.functions() if function.span.line == line), None)
    return own.rpartition(".")[0] if own is not None else ground.code.scope_at(line)


def _neighbour(ground: Ground, line: int) -> Statement | None:
    return ground.code.statement(line) if line > 0 and ground.row(line).strip() else None


def _declared(statement: Statement, ground: Ground, scope: str) -> Iterator[Made]:
    function = _around(ground)
    words = ground.words.get("declares", ())
    if function is None or not function.body_line or not words:
        return
    indent = ground.indent(function.body_line)
    for target in statement.targets:
        name = target.name if target.sort == "name" else ""
        if not name:
            continue
        outer = [d for d in ground.code.definitions(name) if d.scope != scope]
        for definition in outer[:1]:
            word = words[-1 if definition.scope else 0]
            yield Made(f"declare:{word}", before_line(function.body_line), f"{indent}{word.format(name)}\n")


def _around(ground: Ground) -> Function | None:
    best: Function | None = None
    for function in ground.code.functions():
        if function.span.line <= ground.place.line <= function.span.end_line:
            best = function
    return best


def _function_end(ground: Ground) -> Iterator[Made]:
    """Propose that the function gives back what it has made, where it gives nothing."""
    function = _around(ground)
    gives = ground.words.get("gives", "")
    if not gives or function is None or not function.last_line or not (function.falls_off or not ground.code.whole):
        return
    if ground.place.line not in (function.last_line, function.span.line):
        return
    indent = ground.indent(function.body_line or function.last_line)
    local = [
        d.name
        for d in ground.code.definitions()
        if d.scope == function.qualified and d.sort in ("assigned", "changed", "parameter", "opened", "loop", "function")
    ]
    inner = [f.name for f in ground.code.functions() if function.span.holds(f.span) and f.span != function.span]
    closing = ground.row(function.last_line).strip().startswith(("}", "end"))
    line = function.last_line if closing else function.last_line + 1
    names = list(dict.fromkeys([*inner, *reversed(local)]))[:8]
    if ground.scene.jam.phase == "compile":
        names += ground.words.get("plain", ())  # whatever it gives, without it nothing runs
    tail = "" if ground.code.text.count("\n") >= function.last_line else "\n"
    for name in names:
        inserted = f"{indent}{gives.format(name)}"
        text = f"\n{inserted}" if tail else f"{inserted}\n"
        if tail:
            end = len(ground.row(function.last_line)) + 1
            yield Made("return:end", Span(function.last_line, end, function.last_line, end), text)
        else:
            yield Made("return:end", before_line(line), text)


class Copied(Plain):
    """What is repeated or shared becomes one thing each."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose a fresh item for every place of a repeated list."""
        each = ground.words.get("each", "")
        if not each or part.sort != "binary" or part.name != "*":
            return
        left, right = part.child("left"), part.child("right")
        if left is not None and right is not None and left.sort == "list" and len(left.children) == 1:
            yield Made("copied:each", part.span, each.format(left.children[0][1].source, right.source))


TURN = Whole()
COPIED = Copied()
