"""What type of value an expression of Python makes, as far as its source and the language's own types tell."""

from __future__ import annotations

import datetime
import functools
import re
from collections.abc import Iterator

from jamkey.follow.scene import Scene
from jamkey.languages.base import Code, Function, Part

#: Own functions whose returns are looked into, and returns of each.
_DEEPEST, _RETURNS = 3, 6
_ASYNC = re.compile(r"\basync\b")
#: Sort of part -> the type it makes.
_DISPLAYS = {"list": "list", "dict": "dict", "tuple": "tuple", "set": "set", "text": "str", "function": "function"}
#: Functions of Python itself that are no classes: the type that they return.
_BUILTINS = dict(
    pair.split(":")
    for pair in """input:str len:int open:TextIOWrapper sorted:list chr:str ord:int repr:str print:NoneType
    any:bool all:bool isinstance:bool iter:iterator""".split()
)


def made_types(scene: Scene, code: Code, part: Part, depth: int = 0) -> frozenset[str]:
    """Return the names of the types that a part may make; empty where nothing is known.

    Args:
        scene: the jam with its sources.
        code: the source in which the part stands.
        part: an expression.
        depth: own functions that have been gone into.
    """
    return frozenset(_made(scene, code, part, depth)) if scene.traits.python_values else frozenset()


def _made(scene: Scene, code: Code, part: Part, depth: int) -> Iterator[str]:
    if part.sort in _DISPLAYS:
        yield _DISPLAYS[part.sort]
    elif part.sort == "literal":
        yield _of_literal(part.source)
    elif part.sort == "compare":
        yield "bool"
    elif part.sort == "choice":
        for role, child in part.children:
            if role != "condition":
                yield from _made(scene, code, child, depth)
    elif part.sort == "other" and part.name == "await":
        for _, child in part.children:
            yield from (name for name in _made(scene, code, child, depth) if name != "coroutine")
    elif part.sort == "name":
        yield from _of_name(code, part)
    elif part.sort == "call" and part.called and depth < _DEEPEST:
        yield from _of_call(scene, code, part, depth)


def _of_literal(source: str) -> str:
    if source in ("None", "True", "False"):
        return "NoneType" if source == "None" else "bool"
    if source[:1].isdigit() and source[1:2] not in ("x", "X") and any(sign in source for sign in ".eE"):
        return "float"
    return "bytes" if source[:1] in "bB" else "int"


def _of_name(code: Code, part: Part) -> Iterator[str]:
    """A class or function that is handed on and not called."""
    sorts = {item.sort for item in code.reaching(part.name, part.span.line)}
    if sorts == {"class"}:
        yield "type"
    elif sorts == {"function"}:
        yield "function"


def _of_call(scene: Scene, code: Code, part: Part, depth: int) -> Iterator[str]:
    callee = part.child("callee")
    if callee is not None and callee.sort == "name":
        own = scene.functions_named(part.called)
        for file, function in own[:2]:
            there = scene.sources.code(file, scene.jam.runtime)
            if there is not None:
                yield from returned_types(scene, file, there, function, depth + 1)
        if own:
            return
        if any(item.sort == "class" for item in code.reaching(part.called, part.span.line)):
            yield part.called
        else:
            yield from _of_builtin(part.called)
    elif callee is not None and callee.sort == "member":
        yield from _returned_by(callee.name)


def returned_types(scene: Scene, file: str, code: Code, function: Function, depth: int = 0) -> Iterator[str]:
    """Yield the types that a function may return."""
    if is_async(scene, file, function):
        yield "coroutine"
    elif function.is_generator:
        yield "generator"
    else:
        for _, returned in function.returns[:_RETURNS]:
            yield from ("NoneType",) if returned is None else _made(scene, code, returned, depth)
        if function.falls_off:
            yield "NoneType"


def is_async(scene: Scene, file: str, function: Function) -> bool:
    """Tell a function whose calls are to be awaited, by the word before its name."""
    before = scene.row(file, function.span.line).partition(function.name)[0]
    return _ASYNC.search(before) is not None


def _of_builtin(name: str) -> Iterator[str]:
    import builtins

    found = getattr(builtins, name, None)
    if isinstance(found, type):
        yield found.__name__
    elif name in _BUILTINS:
        yield _BUILTINS[name]


class _Inner:
    """What a sample holds: of what a method takes out of it nothing is known."""


@functools.cache
def _returned_by(name: str) -> frozenset[str]:
    """Return the types that a method of Python's own values returns, asked of a value of each type that has it."""
    if name == "strptime":
        return frozenset(["datetime"])  # to ask it would load much
    now = datetime.datetime(2000, 1, 1)
    inner = _Inner()
    samples = ("a", b"a", [inner], {"a": inner}, (inner,), {inner}, 1, 1.5, now, now.date(), now.time(), now - now)
    having = [sample for sample in samples if not name.startswith("_") and callable(getattr(sample, name, None))]
    return frozenset(made for sample in having if (made := _asked(sample, name)) not in ("", _Inner.__name__))


def _asked(sample: object, name: str) -> str:
    """Return the type of what a method gives for the plainest arguments that it takes; empty where it takes none of these."""
    import copy

    for given in ((), ("a",), (0,), (["a"],), (b"a",), ("a", "a"), (b"a", b"a"), (0, 0)):
        method = getattr(copy.copy(sample), name)
        if isinstance(method, type):
            return method.__name__
        try:
            return type(method(*given)).__name__
        except Exception:  # it takes something else
            continue
    return ""
