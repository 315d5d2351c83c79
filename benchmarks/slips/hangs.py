"""Slips after which a program does not end."""

from __future__ import annotations

import ast

from slips.base import nodes, put, slip, span, without_line


def _counters(loop):
    names = {node.id for node in ast.walk(loop.test) if isinstance(node, ast.Name)}
    for node in nodes(loop, ast.AugAssign):
        if isinstance(node.target, ast.Name) and node.target.id in names:
            yield node


@slip("hangs")
def step_missing(text, tree):
    for loop in nodes(tree, ast.While):
        for node in _counters(loop):
            if len(loop.body) > 1 and node in loop.body:
                yield without_line(text, node), loop.lineno


@slip("hangs")
def step_backwards(text, tree):
    for loop in nodes(tree, ast.While):
        for node in _counters(loop):
            sign = {ast.Add: "-=", ast.Sub: "+="}.get(type(node.op))
            if sign:
                yield put(text, span(text, node.target)[1], span(text, node.value)[0], f" {sign} ")


@slip("hangs")
def step_outside_the_loop(text, tree):
    for loop in nodes(tree, ast.While):
        last = loop.body[-1]
        if isinstance(last, (ast.AugAssign, ast.Assign)) and len(loop.body) > 1 and last.lineno == last.end_lineno:
            lines = text.split("\n")
            lines[last.lineno - 1] = " " * loop.col_offset + lines[last.lineno - 1].strip()
            yield "\n".join(lines), last.lineno


@slip("hangs")
def condition_always_true(text, tree):
    for loop in nodes(tree, ast.While):
        if isinstance(loop.test, ast.Compare) and isinstance(loop.test.left, ast.Name):
            yield put(text, *span(text, loop.test), "True")


@slip("hangs")
def another_name_is_stepped(text, tree):
    for loop in nodes(tree, ast.While):
        for node in _counters(loop):
            yield put(text, *span(text, node.target), node.target.id + "_")
