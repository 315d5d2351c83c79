"""Calls of ours put into a program's text, where something can go wrong without a word; what is worked out stays the same.

One walk over the parts for all languages that have them; R weaves its own code (`agents/watch.R`). A call of ours is given
the values that meet at a place, and gives what the text gave before: `a + b` becomes `op(7, "+", a, b)`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

import msgspec

from jamkey.languages.base import Code, Language, Part, Span, Statement
from jamkey.languages.members import own_members
from jamkey.languages.traits import traits_of
from jamkey.languages.walk import statements
from jamkey.text import lines_of, newlines, offset

_OPENER = re.compile(r"[\s(]*$")
_SIGN = re.compile(r"[\s)]*([^\s\w()\"'\[\]{}]+)[\s(]*", re.ASCII)
_STEPPED = re.compile(r"^(?:\+\+|--)|(?:\+\+|--)$|^(?:delete|typeof|void|&)\b")


#: Operators whose left side may be nothing, and how languages write that.
_OR_ELSE = frozenset({"or", "||", "??", "and", "&&"})
_NOTHING = frozenset({"nil", "undefined", "null"})
#: Signs that join texts, or count their signs.
_COUNTING = frozenset({"+", "-", ".."})


class Way(msgspec.Struct, frozen=True):
    """How one language is woven.

    Attributes:
        call: begins a call of ours; `{0}` is what it asks, `{1}` the number of the place.
        signs: operators whose operands are looked at.
        members: whether members and keys that are not there give nothing, and are asked for.
        indexed: whether a call of a variable takes one of its places.
        numbers: functions that read a text as a number.
        order: functions and methods that put in order when they are given nothing else.
        over: functions around what a loop goes over.
        conditions: whether a condition may be anything.
        uncounted: the sign that counts what a thing has, where it may miscount.
        unnamed: begins a function without a name that has no end of its own.
        dropped: whether a statement may be a call whose value is lost.
    """

    call: str
    signs: frozenset[str]
    members: bool = False
    indexed: bool = False
    numbers: frozenset[str] = frozenset()
    order: frozenset[str] = frozenset()
    over: frozenset[str] = frozenset()
    conditions: bool = True
    uncounted: str = ""
    unnamed: str = ""
    dropped: bool = False


WAYS = {
    "javascript": Way(
        call="__jamkey.{0}({1}, ",
        signs=frozenset("+ - * / % ** < > <= >= == != === !==".split()),
        members=True,
        numbers=frozenset({"Number", "parseInt", "parseFloat"}),
        order=frozenset({"sort", "toSorted"}),
        dropped=True,
    ),
    "lua": Way(
        call="__jamkey.{0}({1}, ",
        signs=frozenset("+ - * / % ^ .. < > <= >= == ~=".split()),
        members=True,
        numbers=frozenset({"tonumber"}),
        order=frozenset({"sort"}),
        over=frozenset({"pairs", "ipairs"}),
        uncounted="#",
        dropped=True,
    ),
    "octave": Way(
        call="__jamkey_{0}__ ({1}, ",
        signs=frozenset("+ - * / .* ./ < > <= >= == != ~=".split()),
        indexed=True,
        numbers=frozenset({"str2double", "str2num"}),
        order=frozenset({"sort"}),
        unnamed="@(",
    ),
}
#: Languages whose own code puts the calls in.
BY_THEMSELVES = frozenset({"r"})


class Site(NamedTuple):
    """A place at which something is asked."""

    file: str
    line: int
    code: Part
    #: Whether the text asks there whether it is there at all.
    is_asked_for: bool = False


class _Put(NamedTuple):
    """Text that is put in for what stands between two places."""

    start: int
    end: int
    #: At one place what ends comes before what begins; the inner ends first, the outer begins first.
    order: tuple[int, int]
    text: str


class Weaver:
    """One text that is woven.

    Args:
        code: of the text.
        language: its language.
        file: its name in the project.
        first: the number of its first place.
    """

    def __init__(self, code: Code, language: Language, file: str, first: int) -> None:
        self._code, self._way, self._file, self._first = code, WAYS[language.name], file, first
        self._text = newlines(code.text)
        self._lines = lines_of(self._text)
        self._put: list[_Put] = []
        self._unused: set[Span] = set()
        self.sites: list[Site] = []
        #: What is asked whether it is there at all.
        self.asked_for: set[Span] = set()
        own = code.definitions()
        self._own = {item.name for item in own} | {item.name for item in code.functions()}
        self._functions = {item.name for item in own if item.sort == "function"} | {item.name for item in code.functions()}
        self._named = {item.span for item in own}
        self._gives = traits_of(language.name).silent_without_return
        self._members = {name for names in own_members(language.name).values() for name in names}

    def woven(self) -> str:
        """Return the text with the calls in it."""
        for statement in statements(self._code):
            self._of_statement(statement)
        self.sites = [site._replace(is_asked_for=site.code.span in self.asked_for) for site in self.sites]
        made, at = [], 0
        for put in sorted(self._put, key=lambda put: (put.start, put.order)):
            if put.start < at:
                continue  # what is no whole in its language's text overlaps
            made += [self._text[at : put.start], put.text]
            at = put.end
        return "".join(made) + self._text[at:]

    def _of_statement(self, statement: Statement) -> None:
        if statement.sort in ("import", "functiondef", "classdef", "tokens"):
            return
        self._unused = {part.span for part in statement.parts[:1]} if statement.sort == "expr" else set()
        if statement.sort == "augassign":
            self._of_addition(statement)
        banned = {target.span for target in statement.targets}
        done: set[Span] = set()
        for part in statement.parts:
            for found in self._below(part, banned, done):
                self._of_part(found, banned)
        if statement.parts and statement.sort == "expr" and self._way.dropped:
            self._of_unused(statement.parts[0])
        if statement.parts and statement.sort in ("if", "elif", "while"):
            first = min(statement.parts, key=lambda part: (part.span.line, part.span.column, -len(part.source)))
            for condition in _truths(first):
                self.asked_for.add(condition.span)
                if self._way.conditions:
                    self._around("cond", condition)
        self._of_loop(statement)

    def _below(self, part: Part, banned: set[Span], done: set[Span]) -> Iterator[Part]:
        """Yield the parts in which something can be asked, each once."""
        if part.span in done:
            return
        if part.span in banned:
            # what is stored into is looked up all the same
            done.add(part.span)
            for role, child in part.children:
                if role in ("object", "key"):
                    yield from self._below(child, banned, done)
            return
        done.add(part.span)
        if part.name in _OR_ELSE or (part.sort == "compare" and any(child.source in _NOTHING for _, child in part.children)):
            self.asked_for |= {child.span for _, child in part.children}
        yield part
        stepped = part.sort == "unary" and _STEPPED.search(part.source)
        for role, child in part.children:
            if stepped or role == "callee":
                # what is called keeps the object it is a member of, what is stepped its place
                for inner_role, inner in child.children:
                    if inner_role in ("object", "key"):
                        yield from self._below(inner, banned, done)
            elif role != "target":
                yield from self._below(child, banned, done)

    def _of_part(self, part: Part, banned: set[Span]) -> None:
        if part.sort in ("binary", "compare") and part.name in self._way.signs:
            self._of_operands(part)
        elif part.sort in ("member", "index") and self._way.members:
            self._of_member(part)
        elif part.sort == "function" and part.children:
            self._unused.add(part.children[-1][1].span)  # whoever calls it may not ask for what it gives
        elif part.sort == "call":
            self._of_call(part, banned)
        elif part.sort == "unary" and self._way.uncounted and part.source.startswith(self._way.uncounted):
            counted = part.child("value")
            if counted is not None and counted.sort in ("name", "member", "index"):
                self._around("length", counted)

    def _of_operands(self, part: Part) -> None:
        left, right = part.child("left"), part.child("right")
        if left is None or right is None or (part.name in _COUNTING and (_is_label(left) or _is_label(right))):
            return  # what is written as text there is meant as text
        between = self._between(left, right)
        if between is None:
            return
        sign = _SIGN.fullmatch(self._text[between[0] : between[1]])
        if sign is None or sign[1] != part.name:
            return
        at = between[0] + sign.start(1)
        if self._around("op", part, more=f'"{part.name}", '):
            self._put.append(_Put(at, at + len(part.name), (1, 0), ", "))

    def _of_addition(self, statement: Statement) -> None:
        """Look at the operands of `total += kilos`, which is written in full for that."""
        if len(statement.targets) != 1 or statement.targets[0].sort != "name" or len(statement.parts) != 2:
            return
        target, value = statement.targets[0], statement.parts[1]
        start, end = self._end(target), self._start(value)
        sign = re.fullmatch(r"\s*([^\s\w=]{1,2})=\s*", self._text[start:end]) if start < end else None
        if sign is None or sign[1] not in self._way.signs or (sign[1] in _COUNTING and _is_label(value)):
            return
        if self._around("op", value, more=f'"{sign[1]}", {target.name}, '):
            self._put.append(_Put(start, end, (1, 0), " = "))

    def _of_member(self, part: Part) -> None:
        thing = part.child("object")
        if thing is None or "?." in part.source or thing.source in ("super", "new", "import", "_G", "_ENV"):
            return
        end, whole = self._end(thing), self._end(part)
        if part.sort == "member":
            tail = re.fullmatch(r"([\s)]*)\.\s*([\w$]+)", self._text[end:whole])
            if tail is None or self._is_library(thing):
                return
            if self._around("get", part, closed=False):
                self._put.append(_Put(end + len(tail[1]), whole, (1, 0), f', "{tail[2]}")'))
            return
        key = part.child("key")
        if key is None:
            return
        opens = self._text.find("[", end, self._start(key))
        closes = self._text.rfind("]", self._end(key), whole)
        if opens < 0 or closes != whole - 1 or self._text[end:opens].strip(" )"):
            return
        if self._around("get", part, closed=False):
            self._put += [_Put(opens, opens + 1, (1, 0), ", "), _Put(closes, closes + 1, (1, 0), ")")]

    def _is_library(self, thing: Part) -> bool:
        """Tell what is no object of the program's own: `math.pi`, `Math.PI`."""
        return thing.sort == "name" and thing.name not in self._own and thing.name not in ("this", "self")

    def _of_call(self, part: Part, banned: set[Span]) -> None:
        given = [argument for _, argument in part.arguments]
        called, callee = part.called, part.child("callee")
        if callee is None:
            return
        if self._way.indexed and callee.sort == "name" and called in self._own and called not in self._functions:
            plain = given and all(item.sort in ("name", "binary", "literal") and "end" not in item.source for item in given)
            whole = self._text[self._start(part) : self._end(part)]
            opens = self._text.find("(", self._end(callee))
            if plain and whole.endswith(")") and part.span not in banned and self._around("at", part, closed=False):
                self._put.append(_Put(opens, opens + 1, (1, 0), ", "))
            return
        if called in self._functions:
            own = callee.sort == "name" or (callee.sort == "member" and called not in self._members)
            if self._gives and own and part.span not in self._unused:
                self._around("given", part)
            return
        first = callee.child("object") if callee.sort == "member" and not given else given[0] if len(given) == 1 else None
        if called in self._way.order and first is not None and (_is_value(first) or first.sort == "list"):
            self._around("order", first)
        if called in self._way.numbers and given and callee.sort == "name" and (_is_value(given[0]) or given[0].sort == "text"):
            kept = self._around("keep", given[0])
            if kept:
                self._around("got", part, more=f"{kept}, ")

    def _of_unused(self, part: Part) -> None:
        """Ask of a call whose value nobody uses whether it changed what it was given."""
        callee = part.child("callee")
        thing = callee.child("object") if callee is not None else None
        if part.sort != "call" or callee is None or callee.sort != "member" or thing is None or part.called in self._functions:
            return
        if re.search(r"\b(?:await|yield)\b|\?\.", part.source):
            return
        if self._is_library(thing):
            given = [argument for _, argument in part.arguments]
            thing = given[0] if given and given[0].sort == "name" else None
        if thing is None or not _is_value(thing):
            return
        kept = self._around("keep", thing)
        if kept:
            self._around("dropped", part, more=f"{kept}, ")

    def _of_loop(self, statement: Statement) -> None:
        if statement.sort != "for":
            return
        line = statement.span.line
        over = next((loop.over for loop in self._code.loops(line) if loop.span.line == line and loop.over is not None), None)
        if over is None:
            return
        if self._way.over:
            given = [argument for _, argument in over.arguments]
            if over.sort == "call" and over.called in self._way.over and len(given) == 1 and _is_value(given[0]):
                self._around("over", given[0], last=f', "{over.called}"')
        elif _is_value(over):
            self._around("over", over)

    def _around(self, asked: str, part: Part, *, more: str = "", last: str = "", closed: bool = True) -> int:
        """Put a call around a part; return its number, 0 where none can stand there."""
        start, end = self._start(part), self._end(part)
        if not part.source or part.source != self._text[start:end] or any(span.holds(part.span) for span in self._named):
            return 0
        if part.source.startswith(self._way.unnamed or "\0"):
            return 0  # what stands behind its list of parameters belongs to it, and no operand begins there
        self.sites.append(Site(self._file, part.span.line, part))
        number = self._first + len(self.sites) - 1
        size = end - start
        # what looks at a value that another call of ours gives stands around that
        inner = 0 if asked in ("op", "get", "at") else 1
        self._put.append(_Put(start, start, (2, -2 * size - inner), self._way.call.format(asked, number) + more))
        if closed:
            self._put.append(_Put(end, end, (0, 2 * size + inner), last + ")"))
        return number

    def _between(self, left: Part, right: Part) -> tuple[int, int] | None:
        start, end = self._end(left), self._start(right)
        return (start, end) if start < end else None

    def _start(self, part: Part) -> int:
        return offset(self._lines, part.span.line, part.span.column)

    def _end(self, part: Part) -> int:
        return offset(self._lines, part.span.end_line, part.span.end_column)


def _is_value(part: Part) -> bool:
    return part.sort in ("name", "member", "index", "call", "binary") and not part.source.startswith(("...", "function"))


def _is_label(part: Part) -> bool:
    """Tell an operand with a written text in it: what is put together there is meant as text."""
    return any(inner.sort == "text" for inner in part.walk() if inner.sort in ("text", "binary")) and (
        part.sort == "text" or (part.sort == "binary" and part.name in ("+", ".."))
    )


def _truths(part: Part) -> Iterator[Part]:
    """Yield what is taken for true or false as it is, with no comparison."""
    if part.sort in ("binary", "unary") and part.name in ("and", "or", "&&", "||", "not", "!", ""):
        for _, child in part.children:
            yield from _truths(child)
    elif part.sort in ("name", "member", "index", "call", "compare"):
        yield part
