"""What the slips share: their table and the places of a source."""

from __future__ import annotations

import ast
import builtins
from collections.abc import Callable, Iterator
from typing import NamedTuple

Maker = Callable[[str, ast.Module], Iterator[tuple[str, int]]]
BUILTINS = set(dir(builtins))


class Slip(NamedTuple):
    """One operator: it takes a healthy source and yields (source with one slip, line of the slip; 0 where no line is)."""

    name: str
    family: str
    make: Maker


SLIPS: dict[str, Slip] = {}


def slip(family: str) -> Callable[[Maker], Maker]:
    """Put an operator on the table."""

    def register(function: Maker) -> Maker:
        name = function.__name__.replace("_", "-")
        SLIPS[name] = Slip(name, family, function)
        return function

    return register


def at(text: str, line: int, column: int) -> int:
    """Return the offset of a place of the tree: 1-based line, 0-based column in bytes."""
    lines = text.split("\n")
    return sum(len(row) + 1 for row in lines[: line - 1]) + len(lines[line - 1].encode()[:column].decode("utf-8", "ignore"))


def span(text: str, node: ast.AST) -> tuple[int, int]:
    """Return the offsets of a node."""
    return at(text, node.lineno, node.col_offset), at(text, node.end_lineno, node.end_col_offset)


def put(text: str, start: int, end: int, new: str) -> tuple[str, int]:
    """Return the text with a stretch replaced, and the line of it."""
    return text[:start] + new + text[end:], text.count("\n", 0, start) + 1


def swapped(name: str) -> str:
    """Two letters exchanged near the middle, else one doubled."""
    for place in range(max(len(name) // 2 - 1, 1), len(name) - 1):
        if name[place] != name[place + 1]:
            return name[:place] + name[place + 1] + name[place] + name[place + 2 :]
    return name + name[-1]


def dropped(name: str) -> str:
    """One letter left out in the middle."""
    return name[: len(name) // 2] + name[len(name) // 2 + 1 :]


def nodes(tree: ast.AST, kind: type) -> Iterator:
    """Yield the nodes of a type."""
    return (node for node in ast.walk(tree) if isinstance(node, kind))


def own_functions(tree: ast.Module) -> dict[str, ast.FunctionDef]:
    """Return the functions of a source by name."""
    return {node.name: node for node in nodes(tree, ast.FunctionDef)}


def called(node: ast.Call) -> str:
    """Return the last name of what is called."""
    return node.func.id if isinstance(node.func, ast.Name) else node.func.attr if isinstance(node.func, ast.Attribute) else ""


def without_line(text: str, node: ast.stmt) -> str:
    """Return the text without a statement's lines."""
    lines = text.split("\n")
    return "\n".join(lines[: node.lineno - 1] + lines[node.end_lineno :])


def blocks(tree: ast.AST) -> Iterator[list[ast.stmt]]:
    """Yield every list of statements."""
    for node in ast.walk(tree):
        for name in ("body", "orelse", "finalbody"):
            block = getattr(node, name, None)
            if isinstance(block, list) and block and isinstance(block[0], ast.stmt):
                yield block
