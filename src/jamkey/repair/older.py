"""Python that is newer than the interpreter that ran it: what is too new for it, and the same in what it knows."""

from __future__ import annotations

import ast
import re
import warnings
from collections.abc import Iterator
from typing import NamedTuple

from jamkey.repair.judges import is_read
from jamkey.repair.unfolded import Text, Unfolding, changed, match_unfolded, with_unfolded
from jamkey.repair.walrus import walrus_unfolded

#: Constructs that are written anew at most.
_MOST = 60
Version = tuple[int, int]
_EQUALS = re.compile(r"\{([^{}!:=<>]+?)=\s*(![rsa])?(:[^{}]*)?\}")


class Newer(NamedTuple):
    """One construct that a version does not know."""

    line: int
    #: As it is called, such as `:=`.
    word: str
    since: Version
    node: ast.AST


class Older(NamedTuple):
    """A text that is whole in a newer Python than the one that refused it."""

    first: Newer
    #: The version that refused it, where it is known.
    version: Version | None
    #: Written so that the older one reads it; None where that is no small change.
    text: str | None


def older(text: str, version: str, line: int, message: str = "") -> Older | None:
    """Return what a text has that its interpreter is too old for; None where that is not what is wrong.

    Args:
        text: of the file that was refused.
        version: of the interpreter, such as `3.6.15`; empty where it is not known.
        line: where it gave up.
        message: what it said; one that says more than that it gave up is of a version that knows what it speaks of.
    """
    tree = _parsed(text) if is_read(text) else None
    if tree is None:
        return None
    told = re.match(r"(\d+)\.(\d+)", version)
    known = (int(told[1]), int(told[2])) if told else None
    found = [item for item in _newer(tree, Text(text)) if known is None or item.since > known]
    if known is None:
        if message.strip() not in ("", "invalid syntax"):
            return None
        # what stands where the reader gave up must be what it did not know
        here = [item for item in found if item.line == line]
        if not here:
            return None
        first = max(here, key=lambda item: item.since)
        limit = (first.since[0], first.since[1] - 1) if first.since[1] else (2, 7)
    else:
        if not found:
            return None
        first, limit = min(found, key=lambda item: item.line), known
    return Older(first, known, _written_for(text, limit))


def _parsed(text: str, version: Version | None = None) -> ast.Module | None:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return ast.parse(text, feature_version=version)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return None


def _written_for(text: str, limit: Version) -> str | None:
    """Write every construct that is too new as the older version knows it, one after the other."""
    for _ in range(_MOST):
        tree = _parsed(text)
        if tree is None:
            return None
        found = [item for item in _newer(tree, Text(text)) if item.since > limit]
        if not found:
            return text if _parsed(text, max(limit, (3, 4))) is not None else None
        made = _unfolded(found[0], tree, Text(text))
        text = changed(text, made) if made else text
        if not made:
            return None
    return None


def _newer(tree: ast.Module, text: Text) -> Iterator[Newer]:
    """Yield what some versions do not know, outer constructs first."""
    for node in ast.walk(tree):
        line = getattr(node, "lineno", 0)
        if isinstance(node, ast.Match):
            yield Newer(line, "match", (3, 10), node)
        elif isinstance(node, ast.TryStar):
            yield Newer(node.handlers[0].lineno, "except*", (3, 11), node)
        elif isinstance(node, ast.NamedExpr):
            yield Newer(line, ":=", (3, 8), node)
        elif isinstance(node, ast.With | ast.AsyncWith) and with_unfolded(node, text):
            yield Newer(line, "with (...)", (3, 9), node)
        elif isinstance(node, ast.JoinedStr):
            if _EQUALS.search(text.of(node)):
                yield Newer(line, "{...=}", (3, 8), node)
            yield Newer(line, 'f"..."', (3, 6), node)
        elif isinstance(node, ast.AnnAssign):
            yield Newer(line, "name: type", (3, 6), node)
        elif isinstance(node, ast.Constant) and isinstance(node.value, int | float) and "_" in text.of(node):
            yield Newer(line, text.of(node), (3, 6), node)
        elif isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda):
            yield from _of_function(node)
        elif isinstance(node, ast.Raise) and node.cause is not None:
            yield Newer(line, "raise ... from", (3, 0), node)
        elif isinstance(node, ast.Nonlocal):
            yield Newer(line, "nonlocal", (3, 0), node)
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "print":
            if any(keyword.arg for keyword in node.keywords) and not _prints(tree):
                yield Newer(line, "print(..., end=...)", (3, 0), node)


def _of_function(node: ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda) -> Iterator[Newer]:
    taken = node.args
    if isinstance(node, ast.AsyncFunctionDef):
        yield Newer(node.lineno, "async def", (3, 5), node)
    if taken.posonlyargs:
        yield Newer(taken.posonlyargs[-1].lineno, "/", (3, 8), taken)
    for each in (*taken.posonlyargs, *taken.args, *taken.kwonlyargs, taken.vararg, taken.kwarg):
        if each is not None and each.annotation is not None:
            yield Newer(each.lineno, "name: type", (3, 0), each)
    if taken.kwonlyargs:
        yield Newer(taken.kwonlyargs[0].lineno, "parameters behind *", (3, 0), taken)
    if isinstance(node, ast.FunctionDef) and node.returns is not None:
        yield Newer(node.lineno, "-> type", (3, 0), node.returns)


def _prints(tree: ast.Module) -> bool:
    """Tell whether a text asks Python 2 for the function `print`."""
    return any(
        isinstance(node, ast.ImportFrom)
        and node.module == "__future__"
        and any(alias.name == "print_function" for alias in node.names)
        for node in tree.body
    )


def _unfolded(item: Newer, tree: ast.Module, text: Text) -> Unfolding:
    """Return the changes that write one construct as older versions know it; none where it takes more than that."""
    node = item.node
    if isinstance(node, ast.Match):
        return match_unfolded(node, text, tree)
    if isinstance(node, ast.NamedExpr):
        return walrus_unfolded(node, text, tree)
    if isinstance(node, ast.With | ast.AsyncWith):
        return with_unfolded(node, text)
    if isinstance(node, ast.JoinedStr):
        start, end = text.span(node)
        if item.word == "{...=}":
            return [(start, end, _EQUALS.sub(_named, text.of(node)))]
        return [(start, end, _formatted(node))]
    if isinstance(node, ast.AnnAssign):
        start, end = text.span(node)
        value = text.of(node.value) if node.value is not None else ""
        return [(start, end, f"{text.of(node.target)} = {value}" if value else "pass")]
    if isinstance(node, ast.Constant):
        return [(*text.span(node), text.of(node).replace("_", ""))]
    if isinstance(node, ast.arguments) and item.word == "/":
        slash = re.compile(r",\s*/").search(text.text, text.span(node.posonlyargs[-1])[1])
        return [(slash.start(), slash.end(), "")] if slash else []
    if isinstance(node, ast.arg):
        start, end = text.span(node)
        return [(start, end, node.arg)]
    if item.word == "-> type":
        start, end = text.span(node)
        return [(len(text.text[: text.text.rindex("->", 0, start)].rstrip()), end, "")]
    if isinstance(node, ast.Raise) and node.exc is not None:
        return [(text.span(node.exc)[1], text.span(node)[1], "")]
    if isinstance(node, ast.Call):
        first = tree.body[0]
        behind = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) and len(tree.body) > 1
        place = text.offset(tree.body[1 if behind else 0].lineno, 0)
        return [(place, place, "from __future__ import print_function\n")]
    return []


def _named(match: re.Match[str]) -> str:
    inside, conversion, form = match[1], match[2] or "", match[3] or ""
    return f"{inside}={{{inside.strip()}{conversion or ('' if form else '!r')}{form}}}"


def _formatted(node: ast.JoinedStr) -> str:
    """Return `"...".format(...)` for a text with values in it."""
    values: list[str] = []

    def written(parts: list[ast.expr]) -> str:
        found = ""
        for part in parts:
            if isinstance(part, ast.FormattedValue):
                values.append(ast.unparse(part.value))
                form = ":" + written(part.format_spec.values) if isinstance(part.format_spec, ast.JoinedStr) else ""
                found += "{" + (f"!{chr(part.conversion)}" if part.conversion > 0 else "") + form + "}"
            elif isinstance(part, ast.Constant):
                found += str(part.value).replace("{", "{{").replace("}", "}}")
        return found

    plain = repr(written(node.values))
    if plain[0] == "'" and '"' not in plain:
        plain = '"' + plain[1:-1].replace("\\'", "'") + '"'
    return f"{plain}.format({', '.join(values)})" if values else plain.replace("{{", "{").replace("}}", "}")
