"""Things done in the wrong order."""

from __future__ import annotations

import ast
import itertools

from slips.base import blocks, nodes, slip, span, without_line


@slip("order")
def used_before_defined(text, tree):
    functions = [node for node in tree.body if isinstance(node, ast.FunctionDef)]
    for node in functions:
        start, end = span(text, node)
        yield text[:start] + text[end:].lstrip("\n") + "\n\n" + text[start:end] + "\n", 0


@slip("order")
def global_missing(text, tree):
    for node in nodes(tree, ast.Global):
        start, end = span(text, node)
        line_start = text.rfind("\n", 0, start) + 1
        yield text[:line_start] + text[end + 1 :], 0


@slip("order")
def two_lines_exchanged(text, tree):
    for block in blocks(tree):
        for one, other in itertools.pairwise(block):
            simple = (ast.Assign, ast.Expr, ast.AugAssign)
            if (
                isinstance(one, simple)
                and isinstance(other, simple)
                and one.lineno == one.end_lineno
                and other.lineno == other.end_lineno
            ):
                lines = text.split("\n")
                lines[one.lineno - 1], lines[other.lineno - 1] = lines[other.lineno - 1], lines[one.lineno - 1]
                yield "\n".join(lines), one.lineno


@slip("order")
def start_value_inside_the_loop(text, tree):
    for block in blocks(tree):
        for one, other in itertools.pairwise(block):
            if (
                isinstance(one, ast.Assign)
                and one.lineno == one.end_lineno
                and isinstance(other, ast.For)
                and other.body[0].lineno > other.lineno
            ):
                lines = text.split("\n")
                moved = " " * other.body[0].col_offset + lines[one.lineno - 1].strip()
                lines.insert(other.body[0].lineno - 1, moved)
                del lines[one.lineno - 1]
                yield "\n".join(lines), other.body[0].lineno - 1


@slip("order")
def line_missing(text, tree):
    for block in blocks(tree):
        for node in block:
            if isinstance(node, (ast.Assign, ast.AugAssign)) and len(block) > 1:
                yield without_line(text, node), node.lineno


@slip("order")
def counted_in_a_function(text, tree):
    outer = {t.id for n in tree.body if isinstance(n, ast.Assign) for t in n.targets if isinstance(t, ast.Name)}
    for function in nodes(tree, ast.FunctionDef):
        used = [n for n in nodes(function, ast.Name) if n.id in outer and isinstance(n.ctx, ast.Load)]
        if used and function.body[-1].lineno > function.lineno:
            lines = text.split("\n")
            row = " " * function.body[-1].col_offset + f"{used[0].id} = {used[0].id}"
            lines.insert(function.body[-1].end_lineno, row)
            yield "\n".join(lines), function.body[-1].end_lineno + 1
