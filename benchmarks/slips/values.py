"""Values that are missing, zero or empty."""

from __future__ import annotations

import ast

from slips.base import nodes, own_functions, put, slip, span


@slip("values")
def return_missing(text, tree):
    for node in nodes(tree, ast.Return):
        start, end = span(text, node)
        if node.value is not None:
            yield put(text, start, end, text[start + 7 : end])


@slip("values")
def in_place_result_kept(text, tree):
    for node in nodes(tree, ast.Assign):
        value = node.value
        if (
            isinstance(value, ast.Call)
            and isinstance(value.func, ast.Name)
            and value.func.id == "sorted"
            and isinstance(value.args[0], ast.Name)
        ):
            start, end = span(text, value)
            rest = text[span(text, value.args[0])[1] : end - 1].lstrip(", ")
            yield put(text, start, end, f"{value.args[0].id}.sort({rest})")
    for node in nodes(tree, ast.Expr):
        call = node.value
        if (
            isinstance(call, ast.Call)
            and isinstance(call.func, ast.Attribute)
            and call.func.attr in ("append", "sort")
            and isinstance(call.func.value, ast.Name)
        ):
            start, _ = span(text, node)
            yield put(text, start, start, f"{call.func.value.id} = ")


@slip("values")
def starts_as_none(text, tree):
    for node in nodes(tree, ast.Assign):
        if isinstance(node.value, (ast.Constant, ast.List, ast.Dict)) and isinstance(node.targets[0], ast.Name):
            if isinstance(node.value, ast.Constant) and node.value.value not in (0, 0.0, "", 1):
                continue
            if isinstance(node.value, ast.Constant) or not (
                getattr(node.value, "elts", None) or getattr(node.value, "keys", None)
            ):
                yield put(text, *span(text, node.value), "None")


@slip("values")
def list_is_empty(text, tree):
    for node in nodes(tree, ast.Assign):
        if isinstance(node.value, ast.ListComp) and not node.value.generators[0].ifs:
            _, end = span(text, node.value.generators[0].iter)
            yield put(text, end, end, " if False")


@slip("values")
def divisor_starts_at_zero(text, tree):
    divisors = {
        n.right.id
        for n in nodes(tree, ast.BinOp)
        if isinstance(n.op, (ast.Div, ast.FloorDiv, ast.Mod)) and isinstance(n.right, ast.Name)
    }
    for node in nodes(tree, ast.Assign):
        target = node.targets[0]
        if isinstance(target, ast.Name) and target.id in divisors and isinstance(node.value, ast.Constant):
            yield put(text, *span(text, node.value), "0")


@slip("values")
def argument_none(text, tree):
    own = own_functions(tree)
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id in own and node.args:
            yield put(text, *span(text, node.args[0]), "None")


@slip("values")
def returns_on_one_path_only(text, tree):
    for function in nodes(tree, ast.FunctionDef):
        last = function.body[-1]
        if (
            isinstance(last, ast.Return)
            and last.value is not None
            and any(isinstance(n, ast.Return) for s in function.body[:-1] for n in ast.walk(s))
        ):
            start, end = span(text, last)
            yield put(text, start, end, "pass")


@slip("values")
def condition_empties_a_list(text, tree):
    for node in nodes(tree, ast.ListComp):
        test = node.generators[0].ifs[:1]
        if test and isinstance(test[0], ast.Compare) and isinstance(test[0].ops[0], (ast.Gt, ast.Lt, ast.Eq)):
            sign = {ast.Gt: ">", ast.Lt: "<", ast.Eq: "=="}[type(test[0].ops[0])]
            left, right = span(text, test[0].left)[1], span(text, test[0].comparators[0])[0]
            if text[left:right].strip() == sign:
                yield put(text, left, right, {">": " < ", "<": " > ", "==": " != "}[sign])
