"""Classes of the program's own: what their objects hold, so that an object can be asked for that instead of itself."""

from __future__ import annotations

import functools
import re
from collections.abc import Iterator
from typing import NamedTuple

from jamkey.follow.scene import Scene
from jamkey.languages.base import Code, Definition, Part, Span
from jamkey.text import line_at

#: Sort of part -> what a member that is set from it holds.
_SORTS = {
    "text": "text",
    "list": "many",
    "dict": "many",
    "set": "many",
    "tuple": "many",
    "comprehension": "many",
    "table": "many",
}
_NUMBER = re.compile(r"[-+]?\.?\d")
#: Words of a declaration that tell what it holds.
_DECLARED = (
    ("many", re.compile(r"\b(?:\w*(?:List|Map|Set|Deque|Queue)|(?:std::)?(?:vector|map|set|deque|list|array))\b|\[\s*\]")),
    ("text", re.compile(r"\b(?:String|str|(?:std::)?string|char)\b")),
    ("number", re.compile(r"\b(?:int|long|double|float|short|size_t|unsigned|Integer|Double)\b")),
)
#: A field with a type and perhaps a value.
_TYPED = re.compile(r"\s+([A-Za-z_]\w*)\s*:\s*[A-Za-z\"'][^#]*$")
#: Members looked at, and calls that make an object.
_MOST, _CALLS = 12, 3


class Member(NamedTuple):
    """What each object of a class holds under a name."""

    name: str
    #: number, text, many or other.
    holds: str


class OwnClass(NamedTuple):
    """A class of the program."""

    name: str
    file: str
    code: Code
    span: Span
    members: tuple[Member, ...]
    #: Names of its methods.
    methods: frozenset[str]
    #: What its constructor takes.
    takes: tuple[str, ...]


@functools.lru_cache(maxsize=8)
def own_classes(scene: Scene, names: frozenset[str]) -> tuple[OwnClass, ...]:
    """Return the classes of the program that bear one of the names, with what their objects hold."""
    found: dict[str, OwnClass] = {}
    for file, code in scene.own_codes():
        for definition in code.definitions():
            if definition.sort == "class" and definition.name in names and definition.name not in found:
                found[definition.name] = _of(definition, file, code)
    return tuple(found.values())


def _of(definition: Definition, file: str, code: Code) -> OwnClass:
    span = definition.statement or definition.span
    own = [function for function in code.functions() if function.owner.rpartition(".")[2] == definition.name]
    made = next((item for item in own if item.name in ("__init__", "constructor", definition.name)), None)
    takes = tuple(param.name for param in made.params if param.name not in ("self", "this")) if made is not None else ()
    fields = [item for item in code.definitions() if code.is_field(item) and span.holds(item.span)]
    names: dict[str, str] = {}
    for name, row in _declared(code, span):
        names[name] = next((held for held, pattern in _DECLARED if pattern.search(row)), "other")
    if made is None:
        takes = tuple(names)
    for item in sorted((*fields, *_set(code, span)), key=lambda item: (item.span.line, item.span.column)):
        held = _held(item, code, definition.name, takes)
        if names.get(item.name, "other") == "other" and len(names) < _MOST:
            names[item.name] = held
    methods = frozenset(function.name for function in own)
    members = tuple(Member(name, held) for name, held in names.items() if name not in methods)
    return OwnClass(definition.name, file, code, span, members, methods, takes)


def _declared(code: Code, span: Span) -> Iterator[tuple[str, str]]:
    """Yield the fields that a class only gives a type, `name: str`, with their lines."""
    rows = code.text.split("\n")[span.line : span.end_line]
    for row in rows:
        found = _TYPED.match(row)
        if found is not None and row.startswith(rows[0][: len(rows[0]) - len(rows[0].lstrip())] + found[1]):
            yield found[1], row


def _set(code: Code, span: Span) -> Iterator[Definition]:
    for name in sorted(code.all_members()):
        yield from (item for item in code.members(name) if span.holds(item.span))


def _held(item: Definition, code: Code, owner: str, takes: tuple[str, ...]) -> str:
    """Return what a member holds, by the value it is set from, what a call hands over for it, or its declared type."""
    value = item.value
    if value is not None and value.sort == "name" and value.name in takes:
        for call in code.calls(owner)[:_CALLS]:
            given = _given(call, value.name, takes.index(value.name))
            if given is not None and (held := _by_value(given)) != "other":
                return held
    held = _by_value(value) if value is not None else "other"
    if held == "other":
        row = line_at(code.text, item.span.line)
        return next((name for name, pattern in _DECLARED if pattern.search(row)), "other")
    return held


def _given(call: Part, name: str, place: int) -> Part | None:
    named = [part for keyword, part in call.arguments if keyword == name]
    plain = [part for keyword, part in call.arguments if not keyword]
    return named[0] if named else plain[place] if place < len(plain) else None


def _by_value(part: Part) -> str:
    if part.sort == "literal":
        return "number" if _NUMBER.match(part.source) else "other"
    return _SORTS.get(part.sort, "other")
