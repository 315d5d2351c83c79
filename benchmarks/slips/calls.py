"""Calls: arguments, brackets, stars."""

from __future__ import annotations

import ast
import re

from slips.base import at, dropped, nodes, own_functions, put, slip, span


@slip("calls")
def keyword_argument_misspelt(text, tree):
    for node in nodes(tree, ast.keyword):
        if node.arg and len(node.arg) > 2:
            start = at(text, node.lineno, node.col_offset)
            yield put(text, start, start + len(node.arg), dropped(node.arg))


@slip("calls")
def argument_missing(text, tree):
    own = own_functions(tree)
    for node in nodes(tree, ast.Call):
        name = (
            node.func.id if isinstance(node.func, ast.Name) else node.func.attr if isinstance(node.func, ast.Attribute) else ""
        )
        if name in own and len(node.args) >= 2 and not node.keywords:
            start, end = span(text, node.args[-2])[1], span(text, node.args[-1])[1]
            yield put(text, start, end, "")


@slip("calls")
def argument_too_many(text, tree):
    own = own_functions(tree)
    for node in nodes(tree, ast.Call):
        name = (
            node.func.id if isinstance(node.func, ast.Name) else node.func.attr if isinstance(node.func, ast.Attribute) else ""
        )
        if name in own and node.args:
            _, end = span(text, node)
            yield put(text, end - 1, end - 1, ", 1")


@slip("calls")
def self_missing(text, tree):
    for kind in nodes(tree, ast.ClassDef):
        for node in kind.body:
            if isinstance(node, ast.FunctionDef) and node.args.args and node.args.args[0].arg == "self":
                start, end = span(text, node.args.args[0])
                more = re.match(r", ", text[end:])
                yield put(text, start, end + (2 if more else 0), "")


@slip("calls")
def call_without_parentheses(text, tree):
    for node in nodes(tree, ast.Call):
        if not node.args and not node.keywords:
            _, end = span(text, node)
            yield put(text, end - 2, end, "")


@slip("calls")
def called_instead_of_indexed(text, tree):
    for node in nodes(tree, ast.Subscript):
        start, end = span(text, node.slice)
        if isinstance(node.ctx, ast.Load) and not isinstance(node.slice, ast.Slice) and text[end] == "]":
            yield text[: start - 1] + "(" + text[start:end] + ")" + text[end + 1 :], node.lineno


@slip("calls")
def arguments_exchanged(text, tree):
    for node in nodes(tree, ast.Call):
        if len(node.args) >= 2 and not any(isinstance(argument, ast.Starred) for argument in node.args[:2]):
            one, other = span(text, node.args[0]), span(text, node.args[1])
            first, second = text[slice(*one)], text[slice(*other)]
            yield put(text, one[0], other[1], second + text[one[1] : other[0]] + first)


@slip("calls")
def parameter_missing(text, tree):
    for function in nodes(tree, ast.FunctionDef):
        plain = [argument for argument in function.args.args if argument.arg not in ("self", "cls")]
        if len(plain) >= 2 and not function.args.defaults and not function.args.vararg:
            yield put(text, span(text, plain[-2])[1], span(text, plain[-1])[1], "")


@slip("calls")
def star_missing(text, tree):
    for node in nodes(tree, ast.Starred):
        start, _ = span(text, node)
        yield put(text, start, start + 1, "")


@slip("calls")
def called_twice(text, tree):
    for node in nodes(tree, ast.Call):
        if not node.args and not node.keywords and isinstance(node.func, ast.Attribute):
            _, end = span(text, node)
            yield put(text, end, end, "()")


@slip("calls")
def items_handed_over_singly(text, tree):
    for node in nodes(tree, ast.Call):
        if len(node.args) == 1 and isinstance(node.args[0], (ast.List, ast.Tuple)) and len(node.args[0].elts) >= 2:
            start, end = span(text, node.args[0])
            if text[start] in "[(":
                yield put(text, start, end, text[start + 1 : end - 1])


@slip("calls")
def keyword_of_a_library_dropped(text, tree):
    for node in nodes(tree, ast.Call):
        if node.keywords and node.args and node.keywords[-1].arg:
            before = span(text, node.keywords[-2].value if len(node.keywords) > 1 else node.args[-1])[1]
            yield put(text, before, span(text, node.keywords[-1].value)[1], "")
