"""Names misspelt, forgotten, of another case."""

from __future__ import annotations

import ast

from slips.base import BUILTINS, at, dropped, nodes, put, slip, span, swapped


@slip("names")
def name_misspelt_where_used(text, tree):
    for node in nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Load) and len(node.id) > 3 and node.id not in BUILTINS:
            yield put(text, *span(text, node), swapped(node.id))


@slip("names")
def name_misspelt_where_set(text, tree):
    for node in nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Store) and len(node.id) > 3:
            yield put(text, *span(text, node), dropped(node.id))


@slip("names")
def builtin_misspelt(text, tree):
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id in BUILTINS and len(node.func.id) > 2:
            yield put(text, *span(text, node.func), swapped(node.func.id))


@slip("names")
def name_in_another_case(text, tree):
    for node in nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Load) and len(node.id) > 2 and node.id not in BUILTINS:
            new = node.id.lower() if node.id[0].isupper() else node.id[0].upper() + node.id[1:]
            yield put(text, *span(text, node), new)


@slip("names")
def quotes_missing(text, tree):
    for node in nodes(tree, ast.Constant):
        start, end = span(text, node)
        if (
            isinstance(node.value, str)
            and node.value.isidentifier()
            and text[start] in "\"'"
            and end - start == len(node.value) + 2
        ):
            yield put(text, start, end, node.value)


@slip("names")
def import_missing(text, tree):
    for node in tree.body:
        if isinstance(node, (ast.Import, ast.ImportFrom)):
            start, end = span(text, node)
            made, line = put(text, start, end + 1, "")
            yield made, 0
            del line


@slip("names")
def self_dot_missing(text, tree):
    for node in nodes(tree, ast.Attribute):
        if isinstance(node.value, ast.Name) and node.value.id == "self" and isinstance(node.ctx, ast.Load):
            start, end = span(text, node)
            yield put(text, start, end, node.attr)


@slip("names")
def constant_in_small_letters(text, tree):
    for node in nodes(tree, ast.Constant):
        if (node.value in (True, False, None) and not isinstance(node.value, (int, float))) or isinstance(node.value, bool):
            yield put(text, *span(text, node), str(node.value).lower())


@slip("names")
def function_renamed_where_defined(text, tree):
    for node in nodes(tree, ast.FunctionDef):
        start = at(text, node.lineno, node.col_offset) + len("def ")
        if len(node.name) > 3 and not node.name.startswith("__") and text[start : start + len(node.name)] == node.name:
            yield put(text, start, start + len(node.name), node.name + "s")


@slip("names")
def parameter_renamed_in_the_head(text, tree):
    for function in nodes(tree, ast.FunctionDef):
        for argument in function.args.args:
            if len(argument.arg) > 1 and argument.arg not in ("self", "cls") and argument.annotation is None:
                start, end = span(text, argument)
                yield put(text, start, end, argument.arg + "_")


@slip("names")
def plural_for_singular(text, tree):
    for node in nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Load) and len(node.id) > 2 and node.id not in BUILTINS:
            yield put(text, *span(text, node), node.id[:-1] if node.id.endswith("s") else node.id + "s")


@slip("names")
def wrong_name_imported(text, tree):
    for node in nodes(tree, ast.ImportFrom):
        start, end = span(text, node)
        last = node.names[-1]
        if last.asname is None and len(last.name) > 3 and text[start:end].endswith(last.name):
            yield put(text, end - len(last.name), end, dropped(last.name))


@slip("names")
def alias_forgotten(text, tree):
    for node in nodes(tree, ast.Import):
        if node.names[0].asname and len(node.names) == 1:
            yield put(text, *span(text, node), f"import {node.names[0].name}")
