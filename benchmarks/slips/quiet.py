"""Slips that mostly raise nothing: the program ends well and prints something else."""

from __future__ import annotations

import ast
import itertools

from slips.base import blocks, called, nodes, put, slip, span

_SIGNS = {ast.Add: ("+", "-"), ast.Sub: ("-", "+"), ast.Mult: ("*", "+"), ast.Div: ("/", "*"), ast.Mod: ("%", "//")}
_COMPARES = {
    ast.Lt: ("<", "<="),
    ast.LtE: ("<=", "<"),
    ast.Gt: (">", ">="),
    ast.GtE: (">=", ">"),
    ast.Eq: ("==", "!="),
    ast.NotEq: ("!=", "=="),
}


@slip("quiet")
def another_operator(text, tree):
    for node in nodes(tree, ast.BinOp):
        if type(node.op) in _SIGNS:
            old, new = _SIGNS[type(node.op)]
            left, right = span(text, node.left)[1], span(text, node.right)[0]
            if text[left:right].strip() == old:
                yield put(text, left, right, f" {new} ")


@slip("quiet")
def bound_included(text, tree):
    for node in nodes(tree, ast.Compare):
        if type(node.ops[0]) in _COMPARES and len(node.ops) == 1:
            old, new = _COMPARES[type(node.ops[0])]
            left, right = span(text, node.left)[1], span(text, node.comparators[0])[0]
            if text[left:right].strip() == old:
                yield put(text, left, right, f" {new} ")


@slip("quiet")
def range_one_short(text, tree):
    for node in nodes(tree, ast.Call):
        if called(node) == "range" and 1 <= len(node.args) <= 2:
            _, end = span(text, node.args[-1])
            yield put(text, end, end, " - 1")


@slip("quiet")
def range_starts_one_late(text, tree):
    for node in nodes(tree, ast.Call):
        if called(node) == "range" and len(node.args) == 1:
            start, _ = span(text, node.args[0])
            yield put(text, start, start, "1, ")


@slip("quiet")
def set_instead_of_added(text, tree):
    for node in nodes(tree, ast.AugAssign):
        yield put(text, span(text, node.target)[1], span(text, node.value)[0], " = ")


@slip("quiet")
def or_for_and(text, tree):
    for node in nodes(tree, ast.BoolOp):
        left, right = span(text, node.values[0])[1], span(text, node.values[1])[0]
        word = "and" if isinstance(node.op, ast.And) else "or"
        if text[left:right].strip() == word and len(node.values) == 2:
            yield put(text, left, right, " or " if word == "and" else " and ")


@slip("quiet")
def not_forgotten(text, tree):
    for node in nodes(tree, ast.UnaryOp):
        if isinstance(node.op, ast.Not):
            start, _ = span(text, node)
            yield put(text, start, span(text, node.operand)[0], "")


@slip("quiet")
def first_place_for_second(text, tree):
    for node in nodes(tree, ast.Subscript):
        if isinstance(node.slice, ast.Constant) and node.slice.value in (0, 1) and isinstance(node.ctx, ast.Load):
            yield put(text, *span(text, node.slice), str(1 - node.slice.value))


@slip("quiet")
def start_value_one(text, tree):
    for node in nodes(tree, ast.Assign):
        if isinstance(node.value, ast.Constant) and node.value.value in (0, 1) and not isinstance(node.value.value, bool):
            yield put(text, *span(text, node.value), str(1 - int(node.value.value)))


@slip("quiet")
def return_in_the_loop(text, tree):
    for block in blocks(tree):
        for loop, after in itertools.pairwise(block):
            if (
                isinstance(loop, (ast.For, ast.While))
                and isinstance(after, ast.Return)
                and after.lineno == after.end_lineno
                and loop.body[0].lineno > loop.lineno
            ):
                lines = text.split("\n")
                lines[after.lineno - 1] = " " * loop.body[0].col_offset + lines[after.lineno - 1].strip()
                yield "\n".join(lines), after.lineno


@slip("quiet")
def result_not_kept(text, tree):
    for node in nodes(tree, ast.Assign):
        target = node.targets[0]
        if isinstance(target, ast.Name) and isinstance(node.value, ast.Call) and isinstance(node.value.func, ast.Attribute):
            owner = node.value.func.value
            if isinstance(owner, ast.Name) and owner.id == target.id:
                yield put(text, span(text, node)[0], span(text, node.value)[0], "")


@slip("quiet")
def another_name_of_the_function(text, tree):
    for function in nodes(tree, ast.FunctionDef):
        names = [argument.arg for argument in function.args.args if argument.arg not in ("self", "cls")]
        for node in nodes(function, ast.Name):
            if isinstance(node.ctx, ast.Load) and node.id in names and len(names) > 1:
                yield put(text, *span(text, node), names[(names.index(node.id) + 1) % len(names)])


@slip("quiet")
def slice_one_short(text, tree):
    for node in nodes(tree, ast.Slice):
        if node.upper is not None:
            _, end = span(text, node.upper)
            yield put(text, end, end, " - 1")


@slip("quiet")
def default_shared(text, tree):
    for function in nodes(tree, ast.FunctionDef):
        for node in function.body:
            if (
                isinstance(node, ast.Assign)
                and isinstance(node.value, ast.List)
                and not node.value.elts
                and isinstance(node.targets[0], ast.Name)
            ):
                inside = function.args.args
                if (
                    inside
                    and not function.args.defaults
                    and not function.args.vararg
                    and not function.args.kwonlyargs
                    and not function.args.kwarg
                ):
                    _, end = span(text, inside[-1])
                    lines = (text[:end] + f", {node.targets[0].id}=[]" + text[end:]).split("\n")
                    del lines[node.lineno - 1]
                    yield "\n".join(lines), function.lineno


@slip("quiet")
def whole_number_division(text, tree):
    for node in nodes(tree, ast.BinOp):
        if isinstance(node.op, ast.Div):
            left, right = span(text, node.left)[1], span(text, node.right)[0]
            if text[left:right].strip() == "/":
                yield put(text, left, right, " // ")


@slip("quiet")
def early_break(text, tree):
    for loop in nodes(tree, ast.For):
        last = loop.body[-1]
        if isinstance(last, (ast.Assign, ast.AugAssign, ast.Expr)) and last.lineno > loop.lineno:
            lines = text.split("\n")
            lines.insert(last.end_lineno, " " * last.col_offset + "break")
            yield "\n".join(lines), last.end_lineno + 1


@slip("quiet")
def last_line_out_of_the_loop(text, tree):
    for loop in nodes(tree, ast.For):
        last = loop.body[-1]
        if len(loop.body) > 1 and last.lineno == last.end_lineno:
            lines = text.split("\n")
            lines[last.lineno - 1] = " " * loop.col_offset + lines[last.lineno - 1].strip()
            yield "\n".join(lines), last.lineno


@slip("quiet")
def constant_off_by_ten(text, tree):
    for node in nodes(tree, ast.Constant):
        if isinstance(node.value, (int, float)) and not isinstance(node.value, bool) and abs(node.value) > 1:
            start, end = span(text, node)
            if text[start:end].isdigit():
                yield put(text, start, end, text[start:end] + "0")
