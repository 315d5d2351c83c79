"""A rule, what it sees, and what it finds."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import Protocol

from jamkey.checks.scopes import Scopes
from jamkey.model import Edit, Finding

FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
LOOPS = (ast.For, ast.AsyncFor, ast.While)


AST = ast.AST
#: Node type -> fields that hold nodes worth a visit.
_FIELDS: dict[type[ast.AST], tuple[str, ...]] = {}


def _fields(kind: type[ast.AST]) -> tuple[str, ...]:
    _FIELDS[kind] = tuple(
        field
        for field in kind._fields
        if field not in ("ctx", "op", "ops", "type_comment", "id", "attr", "kind", "lineno", "is_async")
    )
    return _FIELDS[kind]


class View:
    """One Python source, parsed, as the rules see it.

    Attributes:
        file: its name as findings show it.
        text: the source.
        tree: its syntax tree.
        folder: where it lies, for what stands beside it; None for text without a place.
    """

    def __init__(self, file: str, text: str, tree: ast.Module, folder: Path | None) -> None:
        self.file = file
        self.text = text
        self.tree = tree
        self.folder = folder
        self.parents: dict[ast.AST, ast.AST] = {}
        #: Node type -> the nodes, in the order of the source.
        self.nodes: dict[type[ast.AST], list[ast.AST]] = {}
        self._collect()

    def _collect(self) -> None:
        parents, nodes = self.parents, self.nodes
        stack: list[ast.AST] = [self.tree]
        leaf = (ast.Name, ast.Constant)
        while stack:
            node = stack.pop()
            kind = type(node)
            there = nodes.get(kind)
            if there is None:
                nodes[kind] = [node]
            else:
                there.append(node)
            if kind in leaf:
                continue
            for field in _FIELDS.get(kind) or _fields(kind):
                child = getattr(node, field, None)
                if child.__class__ is list:
                    for item in child:
                        if isinstance(item, AST):
                            parents[item] = node
                            stack.append(item)
                elif isinstance(child, AST):
                    parents[child] = node
                    stack.append(child)
        for same in nodes.values():
            same.reverse()  # taken from the end of the stack: last ones first

    @cached_property
    def scopes(self) -> Scopes:
        """Return who defines and uses which name where."""
        return Scopes(self.tree)

    @cached_property
    def lines(self) -> list[str]:
        """Return the source's lines."""
        return self.text.split("\n")

    def of(self, *types: type[ast.AST]) -> Iterator[ast.AST]:
        """Yield the nodes of these types."""
        for kind in types:
            yield from self.nodes.get(kind, ())

    def up(self, node: ast.AST) -> Iterator[ast.AST]:
        """Yield what a node stands in, innermost first."""
        while (parent := self.parents.get(node)) is not None:
            yield parent
            node = parent

    def function_of(self, node: ast.AST) -> ast.FunctionDef | ast.AsyncFunctionDef | None:
        """Return the function a node stands in."""
        return next((outer for outer in self.up(node) if isinstance(outer, FUNCTIONS)), None)

    def source(self, node: ast.AST) -> str:
        """Return a node's text."""
        return ast.get_source_segment(self.text, node) or ""

    def column(self, line: int, offset: int) -> int:
        """Return the 1-based column in characters of the tree's offset in bytes."""
        row = self.lines[line - 1] if line <= len(self.lines) else ""
        return (offset if row.isascii() else len(row.encode("utf-8", "replace")[:offset].decode("utf-8", "replace"))) + 1

    def finding(
        self, rule: str, kind: str, node: ast.AST, reason: str, *, title: str = "", edits: tuple[Edit, ...] = ()
    ) -> Finding:
        """Make a finding at a node."""
        line, end = node.lineno, getattr(node, "end_lineno", None) or node.lineno  # type: ignore[attr-defined]
        start = self.column(line, node.col_offset)  # type: ignore[attr-defined]
        stop = self.column(end, getattr(node, "end_col_offset", None) or 0)
        return Finding(
            file=self.file,
            line=line,
            column=start,
            end_line=end,
            end_column=stop,
            rule=rule,
            kind=kind,
            reason=reason,
            title=title,
            edits=edits,
        )

    def replace(self, node: ast.AST, new: str) -> Edit:
        """Replace a node's text."""
        line, end = node.lineno, node.end_lineno  # type: ignore[attr-defined]
        return Edit(
            file=self.file,
            line=line,
            column=self.column(line, node.col_offset),  # type: ignore[attr-defined]
            end_line=end,
            end_column=self.column(end, node.end_col_offset),  # type: ignore[attr-defined]
            new_text=new,
        )

    def insert(self, line: int, text: str) -> Edit:
        """Insert a line above."""
        return Edit(file=self.file, line=line, column=1, end_line=line, end_column=1, new_text=text + "\n")


class Rule(Protocol):
    """One thing that goes wrong, and how it shows in the source."""

    #: Unique, as one writes it to silence it: `loop-returns-early`.
    name: str

    def look(self, view: View) -> Iterator[Finding]:
        """Yield what it finds."""
        ...


def walk(node: ast.AST) -> Iterator[ast.AST]:
    """Yield a node and all below it, as `ast.walk` does, but for operators and contexts."""
    stack = [node]
    while stack:
        node = stack.pop()
        yield node
        kind = type(node)
        if kind is ast.Name or kind is ast.Constant:
            continue
        for field in _FIELDS.get(kind) or _fields(kind):
            child = getattr(node, field, None)
            if child.__class__ is list:
                stack.extend(item for item in child if isinstance(item, AST))
            elif isinstance(child, AST):
                stack.append(child)


def plain_call(node: ast.AST, *names: str) -> ast.Call | None:
    """Return the node when it is a call of one of these plain or dotted names."""
    if isinstance(node, ast.Call) and dotted(node.func) in names:
        return node
    return None


def dotted(node: ast.AST) -> str:
    """Return `a.b.c` for names and members, else empty."""
    parts: list[str] = []
    while isinstance(node, ast.Attribute):
        parts.append(node.attr)
        node = node.value
    if not isinstance(node, ast.Name):
        return ""
    return ".".join([node.id, *reversed(parts)])


def own_nodes(function: ast.AST) -> Iterator[ast.AST]:
    """Yield the nodes of a block that are not inside a function or class of its own."""
    stack = list(ast.iter_child_nodes(function))
    while stack:
        node = stack.pop()
        yield node
        if not isinstance(node, (*FUNCTIONS, ast.Lambda, ast.ClassDef)):
            stack.extend(ast.iter_child_nodes(node))
