"""Texts that the parser refuses."""

from __future__ import annotations

import ast
import itertools
import keyword
import re
from collections.abc import Iterator

from slips.base import nodes, put, slip, span, swapped


@slip("grammar")
def colon_missing(text, tree):
    for number, row in enumerate(text.split("\n"), 1):
        if (
            row.rstrip().endswith(":")
            and row.split()
            and row.split()[0].rstrip(":") in {"if", "for", "while", "def", "else", "elif", "class", "with", "try"}
        ):
            lines = text.split("\n")
            lines[number - 1] = row.rstrip()[:-1]
            yield "\n".join(lines), number


@slip("grammar")
def bracket_not_closed(text, tree):
    for node in [*nodes(tree, ast.Call), *nodes(tree, ast.List), *nodes(tree, ast.Subscript)]:
        _, end = span(text, node)
        if text[end - 1] in ")]":
            yield put(text, end - 1, end, "")


@slip("grammar")
def bracket_too_many(text, tree):
    for node in nodes(tree, ast.Call):
        _, end = span(text, node)
        yield put(text, end, end, ")")


@slip("grammar")
def quote_not_closed(text, tree):
    for node in nodes(tree, ast.Constant):
        start, end = span(text, node)
        if (
            isinstance(node.value, str)
            and text[end - 1] in "\"'"
            and node.lineno == node.end_lineno
            and not text[start:end].startswith('"""')
        ):
            yield put(text, end - 1, end, "")


@slip("grammar")
def assignment_for_comparison(text, tree):
    for node in [*nodes(tree, ast.If), *nodes(tree, ast.While)]:
        if isinstance(node.test, ast.Compare) and isinstance(node.test.ops[0], ast.Eq):
            _, left = span(text, node.test.left)
            at = text.index("==", left)
            yield put(text, at, at + 2, "=")


@slip("grammar")
def comma_missing(text, tree):
    for node in [*nodes(tree, ast.Call), *nodes(tree, ast.List), *nodes(tree, ast.Tuple), *nodes(tree, ast.Dict)]:
        items = node.args if isinstance(node, ast.Call) else node.values if isinstance(node, ast.Dict) else node.elts
        for one, other in itertools.pairwise(items):
            _, end = span(text, one)
            if text[end] == "," and one.end_lineno == other.lineno:
                yield put(text, end, end + 1, "")


@slip("grammar")
def indented_too_little(text, tree):
    yield from _indentation(text, tree, -1)


@slip("grammar")
def indented_too_much(text, tree):
    yield from _indentation(text, tree, 2)


@slip("grammar")
def keyword_misspelt(text, tree):
    for match in re.finditer(r"^\s*(return|while|import|for|def|class|elif|else)\b", text, re.M):
        yield put(text, match.start(1), match.end(1), swapped(match[1]))


@slip("grammar")
def curly_quotes(text, tree):
    for node in nodes(tree, ast.Constant):
        start, end = span(text, node)
        if (
            isinstance(node.value, str)
            and text[start] == '"'
            and text[end - 1] == '"'
            and end - start > 3
            and text[start : start + 3] != '"""'
        ):
            yield put(text, start, end, f"\u201c{text[start + 1 : end - 1]}\u201d")


@slip("grammar")
def print_without_parentheses(text, tree):
    for node in nodes(tree, ast.Call):
        start, end = span(text, node)
        if isinstance(node.func, ast.Name) and node.func.id == "print" and node.args and node.lineno == node.end_lineno:
            yield put(text, start, end, "print " + text[start + 6 : end - 1])


@slip("grammar")
def name_is_a_keyword(text, tree):
    for node in nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Store) and len(node.id) > 3 and not keyword.iskeyword(node.id):
            yield text.replace(node.id, "class") if text.count(node.id) < 4 else text, node.lineno


@slip("grammar")
def dot_missing_before_method(text, tree):
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Attribute) and isinstance(node.func.value, ast.Name):
            _, end = span(text, node.func.value)
            if text[end] == ".":
                yield put(text, end, end + 1, " ")


@slip("grammar")
def operator_missing(text, tree):
    for node in nodes(tree, ast.BinOp):
        if isinstance(node.op, (ast.Add, ast.Mult)) and isinstance(node.left, ast.Name):
            _, left = span(text, node.left)
            right, _ = span(text, node.right)
            yield put(text, left, right, " ")


def _indentation(text: str, tree: ast.Module, by: int) -> Iterator[tuple[str, int]]:
    for node in nodes(tree, ast.stmt):
        if (
            node.col_offset
            and not isinstance(node, (ast.If, ast.For, ast.While, ast.FunctionDef))
            and node.lineno == node.end_lineno
        ):
            lines = text.split("\n")
            row = lines[node.lineno - 1]
            lines[node.lineno - 1] = row[1:] if by < 0 else " " * by + row
            yield "\n".join(lines), node.lineno
