"""Files and modules that are not there."""

from __future__ import annotations

import ast
import re

from slips.base import dropped, nodes, put, slip, span, swapped


@slip("files")
def file_name_misspelt(text, tree):
    for node in nodes(tree, ast.Constant):
        if isinstance(node.value, str) and re.fullmatch(r"\w+\.(csv|txt|json)", node.value):
            start, end = span(text, node)
            stem, dot, ending = node.value.partition(".")
            yield put(text, start + 1, end - 1, swapped(stem) + dot + ending)


@slip("files")
def module_misspelt(text, tree):
    for node in nodes(tree, ast.Import):
        name = node.names[0].name
        start, _ = span(text, node)
        yield put(text, start + 7, start + 7 + len(name), swapped(name))
    for node in nodes(tree, ast.ImportFrom):
        start, _ = span(text, node)
        yield put(text, start + 5, start + 5 + len(node.module or ""), dropped(node.module or "xx"))


@slip("files")
def folder_before_a_file(text, tree):
    for node in nodes(tree, ast.Constant):
        if isinstance(node.value, str) and re.fullmatch(r"\w+\.(csv|txt|json)", node.value):
            start, _ = span(text, node)
            yield put(text, start + 1, start + 1, "data/")


@slip("files")
def submodule_of_another_name(text, tree):
    for node in nodes(tree, ast.ImportFrom):
        if node.module and "." in node.module:
            start, _ = span(text, node)
            yield put(text, start + 5, start + 5 + len(node.module), swapped_last(node.module))


def swapped_last(module):
    head, _, last = module.rpartition(".")
    return f"{head}.{swapped(last)}"
