"""Keys and labels that are not there."""

from __future__ import annotations

import ast

from slips.base import dropped, nodes, put, slip, span, swapped


@slip("keys")
def key_misspelt(text, tree):
    for node in nodes(tree, ast.Subscript):
        if isinstance(node.slice, ast.Constant) and isinstance(node.slice.value, str) and len(node.slice.value) > 2:
            start, end = span(text, node.slice)
            yield put(text, start + 1, end - 1, dropped(node.slice.value))


@slip("keys")
def entry_missing(text, tree):
    for node in nodes(tree, ast.Dict):
        if len(node.keys) >= 2 and all(key is not None for key in node.keys):
            yield put(text, span(text, node.values[-2])[1], span(text, node.values[-1])[1], "")


@slip("keys")
def key_in_another_case(text, tree):
    for node in nodes(tree, ast.Subscript):
        if isinstance(node.slice, ast.Constant) and isinstance(node.slice.value, str) and len(node.slice.value) > 1:
            start, end = span(text, node.slice)
            yield put(text, start + 1, end - 1, node.slice.value.swapcase())


@slip("keys")
def key_of_another_type(text, tree):
    for node in nodes(tree, ast.Subscript):
        if isinstance(node.slice, ast.Constant) and isinstance(node.slice.value, int) and isinstance(node.ctx, ast.Load):
            yield put(text, *span(text, node.slice), f'"{node.slice.value}"')


@slip("keys")
def entry_renamed_where_made(text, tree):
    for node in nodes(tree, ast.Dict):
        for key in node.keys:
            if isinstance(key, ast.Constant) and isinstance(key.value, str) and len(key.value) > 2:
                start, end = span(text, key)
                yield put(text, start + 1, end - 1, swapped(key.value))
