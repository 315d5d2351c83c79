"""Members that the object has not."""

from __future__ import annotations

import ast

from slips.base import nodes, put, slip, span, swapped


@slip("members")
def member_misspelt(text, tree):
    for node in nodes(tree, ast.Attribute):
        if len(node.attr) > 3:
            _, end = span(text, node)
            yield put(text, end - len(node.attr), end, swapped(node.attr))


@slip("members")
def length_as_member(text, tree):
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id == "len" and isinstance(node.args[0], (ast.Name, ast.Attribute)):
            start, end = span(text, node)
            inner = span(text, node.args[0])
            yield put(text, start, end, text[inner[0] : inner[1]] + ".length")


@slip("members")
def attribute_not_set(text, tree):
    for kind in nodes(tree, ast.ClassDef):
        for function in kind.body:
            if isinstance(function, ast.FunctionDef) and function.name == "__init__" and len(function.body) > 1:
                for node in function.body:
                    if isinstance(node, ast.Assign):
                        start, end = span(text, node)
                        line_start = text.rfind("\n", 0, start) + 1
                        yield text[:line_start] + text[end + 1 :], function.lineno


#: What the same thing is called in other types and languages.
_ELSEWHERE = {
    "append": "push",
    "add": "append",
    "items": "iteritems",
    "upper": "toUpperCase",
    "lower": "toLowerCase",
    "strip": "trim",
    "keys": "key",
    "values": "value",
    "extend": "addAll",
    "join": "concat",
    "sum": "total",
}


@slip("members")
def member_of_another_type(text, tree):
    for node in nodes(tree, ast.Attribute):
        if node.attr in _ELSEWHERE:
            _, end = span(text, node)
            yield put(text, end - len(node.attr), end, _ELSEWHERE[node.attr])


@slip("members")
def member_in_another_case(text, tree):
    for node in nodes(tree, ast.Attribute):
        if len(node.attr) > 2 and node.attr != node.attr.capitalize():
            _, end = span(text, node)
            yield put(text, end - len(node.attr), end, node.attr.capitalize())


@slip("members")
def function_as_member(text, tree):
    for node in nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id in ("len", "sum", "sorted") and len(node.args) == 1:
            inner = span(text, node.args[0])
            if isinstance(node.args[0], (ast.Name, ast.Attribute)):
                yield put(text, *span(text, node), f"{text[inner[0] : inner[1]]}.{node.func.id}()")
