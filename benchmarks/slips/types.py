"""Values of the wrong type."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from slips.base import nodes, put, slip, span


@slip("types")
def number_in_quotes(text, tree):
    for node in nodes(tree, ast.Constant):
        if isinstance(node.value, (int, float)) and not isinstance(node.value, bool):
            start, end = span(text, node)
            yield put(text, start, end, f'"{text[start:end]}"')


@slip("types")
def conversion_to_number_missing(text, tree):
    yield from _unwrapped(text, tree, ("int", "float"))


@slip("types")
def conversion_to_text_missing(text, tree):
    yield from _unwrapped(text, tree, ("str",))


@slip("types")
def tuple_instead_of_list(text, tree):
    for node in nodes(tree, ast.List):
        start, end = span(text, node)
        if isinstance(node.ctx, ast.Load) and len(node.elts) != 1:
            yield text[:start] + "(" + text[start + 1 : end - 1] + ")" + text[end:], node.lineno


def _unwrapped(text: str, tree: ast.Module, names: tuple[str, ...]) -> Iterator[tuple[str, int]]:
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id in names and len(node.args) == 1:
            start, end = span(text, node)
            inner = span(text, node.args[0])
            yield put(text, start, end, text[inner[0] : inner[1]])


@slip("types")
def converted_to_text_too_early(text, tree):
    for node in nodes(tree, ast.Assign):
        if isinstance(node.value, (ast.BinOp, ast.Call)) and isinstance(node.targets[0], ast.Name):
            start, end = span(text, node.value)
            yield put(text, start, end, f"str({text[start:end]})")


@slip("types")
def in_a_list_of_its_own(text, tree):
    for node in nodes(tree, ast.Assign):
        if isinstance(node.value, (ast.Constant, ast.Name)) and isinstance(node.targets[0], ast.Name):
            start, end = span(text, node.value)
            yield put(text, start, end, f"[{text[start:end]}]")


@slip("types")
def comma_at_the_end(text, tree):
    for node in nodes(tree, ast.Assign):
        if isinstance(node.value, (ast.Constant, ast.Name, ast.BinOp)) and isinstance(node.targets[0], ast.Name):
            _, end = span(text, node.value)
            if text[end : end + 1] == "\n":
                yield put(text, end, end, ",")


@slip("types")
def divided_for_an_index(text, tree):
    for node in nodes(tree, ast.BinOp):
        if isinstance(node.op, ast.FloorDiv):
            left, right = span(text, node.left)[1], span(text, node.right)[0]
            yield put(text, left, right, " / ")


@slip("types")
def text_joined_by_plus(text, tree):
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id == "print" and len(node.args) == 2:
            one, other = span(text, node.args[0])[1], span(text, node.args[1])[0]
            if text[one:other].strip() == ",":
                yield put(text, one, other, " + ")
