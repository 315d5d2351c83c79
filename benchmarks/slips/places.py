"""Places past the end, wrong counts."""

from __future__ import annotations

import ast
import re

from slips.base import nodes, put, slip, span


@slip("places")
def loop_one_too_far(text, tree):
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id == "range" and len(node.args) <= 2:
            _, end = span(text, node.args[-1])
            yield put(text, end, end, " + 1")


@slip("places")
def index_too_large(text, tree):
    for node in nodes(tree, ast.Subscript):
        if (
            isinstance(node.ctx, ast.Load)
            and isinstance(node.slice, (ast.Constant, ast.UnaryOp))
            and isinstance(node.value, ast.Name)
        ):
            start, end = span(text, node.slice)
            if re.fullmatch(r"-?\d", text[start:end]):
                yield put(text, start, end, f"len({node.value.id})")


@slip("places")
def one_name_too_many(text, tree):
    for node in [*nodes(tree, ast.Assign), *nodes(tree, ast.For)]:
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        if isinstance(target, ast.Tuple):
            _, end = span(text, target.elts[-1])
            yield put(text, end, end, ", more")


@slip("places")
def one_name_too_few(text, tree):
    for node in [*nodes(tree, ast.Assign), *nodes(tree, ast.For)]:
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        if isinstance(target, ast.Tuple) and len(target.elts) >= 3:
            yield put(text, span(text, target.elts[-2])[1], span(text, target.elts[-1])[1], "")


@slip("places")
def looks_one_ahead(text, tree):
    for node in nodes(tree, ast.Subscript):
        if isinstance(node.slice, ast.Name) and isinstance(node.ctx, ast.Load):
            _, end = span(text, node.slice)
            yield put(text, end, end, " + 1")


@slip("places")
def length_for_its_last_place(text, tree):
    for node in nodes(tree, ast.Subscript):
        if (
            isinstance(node.slice, ast.UnaryOp)
            and isinstance(node.value, (ast.Name, ast.Attribute))
            and isinstance(node.ctx, ast.Load)
        ):
            inner = span(text, node.value)
            yield put(text, *span(text, node.slice), f"len({text[inner[0] : inner[1]]})")


@slip("places")
def index_of_the_inner_loop(text, tree):
    for outer in nodes(tree, ast.For):
        for inner in outer.body:
            if isinstance(inner, ast.For) and isinstance(outer.target, ast.Name) and isinstance(inner.target, ast.Name):
                for node in nodes(inner, ast.Subscript):
                    if isinstance(node.slice, ast.Name) and node.slice.id == outer.target.id:
                        yield put(text, *span(text, node.slice), inner.target.id)
