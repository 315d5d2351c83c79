"""Typical slips: each takes a healthy script and yields copies with one slip in them.

A slip is a function (text, tree) -> iterator of (text with the slip, line of the slip in it). They work on places found
in the syntax tree, so that a slip falls where a person could make it.
"""

from __future__ import annotations

import ast
import builtins
import itertools
import keyword
import re
from collections.abc import Callable, Iterator

Slip = Callable[[str, ast.Module], Iterator[tuple[str, int]]]
SLIPS: dict[str, Slip] = {}
_BUILTINS = set(dir(builtins))


def slip(function: Slip) -> Slip:
    SLIPS[function.__name__.replace("_", "-")] = function
    return function


def _at(text: str, line: int, column: int) -> int:
    lines = text.split("\n")
    return sum(len(row) + 1 for row in lines[: line - 1]) + len(lines[line - 1].encode()[:column].decode("utf-8", "ignore"))


def _span(text: str, node: ast.AST) -> tuple[int, int]:
    return _at(text, node.lineno, node.col_offset), _at(text, node.end_lineno, node.end_col_offset)


def _put(text: str, start: int, end: int, new: str) -> tuple[str, int]:
    return text[:start] + new + text[end:], text.count("\n", 0, start) + 1


def _swap(name: str) -> str:
    """Two letters exchanged near the middle, else one doubled."""
    for at in range(max(len(name) // 2 - 1, 1), len(name) - 1):
        if name[at] != name[at + 1]:
            return name[:at] + name[at + 1] + name[at] + name[at + 2 :]
    return name + name[-1]


def _drop(name: str) -> str:
    return name[: len(name) // 2] + name[len(name) // 2 + 1 :]


def _nodes(tree: ast.AST, kind: type) -> Iterator:
    return (node for node in ast.walk(tree) if isinstance(node, kind))


def _own_functions(tree: ast.Module) -> dict[str, ast.FunctionDef]:
    return {node.name: node for node in _nodes(tree, ast.FunctionDef)}


@slip
def name_misspelt_where_used(text, tree):
    for node in _nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Load) and len(node.id) > 3 and node.id not in _BUILTINS:
            yield _put(text, *_span(text, node), _swap(node.id))


@slip
def name_misspelt_where_set(text, tree):
    for node in _nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Store) and len(node.id) > 3:
            yield _put(text, *_span(text, node), _drop(node.id))


@slip
def builtin_misspelt(text, tree):
    for node in _nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id in _BUILTINS and len(node.func.id) > 2:
            yield _put(text, *_span(text, node.func), _swap(node.func.id))


@slip
def name_in_another_case(text, tree):
    for node in _nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Load) and len(node.id) > 2 and node.id not in _BUILTINS:
            new = node.id.lower() if node.id[0].isupper() else node.id[0].upper() + node.id[1:]
            yield _put(text, *_span(text, node), new)


@slip
def member_misspelt(text, tree):
    for node in _nodes(tree, ast.Attribute):
        if len(node.attr) > 3:
            _, end = _span(text, node)
            yield _put(text, end - len(node.attr), end, _swap(node.attr))


@slip
def key_misspelt(text, tree):
    for node in _nodes(tree, ast.Subscript):
        if isinstance(node.slice, ast.Constant) and isinstance(node.slice.value, str) and len(node.slice.value) > 2:
            start, end = _span(text, node.slice)
            yield _put(text, start + 1, end - 1, _drop(node.slice.value))


@slip
def keyword_argument_misspelt(text, tree):
    for node in _nodes(tree, ast.keyword):
        if node.arg and len(node.arg) > 2:
            start = _at(text, node.lineno, node.col_offset)
            yield _put(text, start, start + len(node.arg), _drop(node.arg))


@slip
def import_missing(text, tree):
    for node in tree.body:
        if isinstance(node, (ast.Import, ast.ImportFrom)):
            start, end = _span(text, node)
            made, line = _put(text, start, end + 1, "")
            yield made, 0
            del line


@slip
def module_misspelt(text, tree):
    for node in _nodes(tree, ast.Import):
        name = node.names[0].name
        start, _ = _span(text, node)
        yield _put(text, start + 7, start + 7 + len(name), _swap(name))
    for node in _nodes(tree, ast.ImportFrom):
        start, _ = _span(text, node)
        yield _put(text, start + 5, start + 5 + len(node.module or ""), _drop(node.module or "xx"))


@slip
def colon_missing(text, tree):
    for number, row in enumerate(text.split("\n"), 1):
        if (
            row.rstrip().endswith(":")
            and row.split()
            and row.split()[0].rstrip(":") in {"if", "for", "while", "def", "else", "elif", "class", "with", "try"}
        ):
            lines = text.split("\n")
            lines[number - 1] = row.rstrip()[:-1]
            yield "\n".join(lines), number


@slip
def bracket_not_closed(text, tree):
    for node in [*_nodes(tree, ast.Call), *_nodes(tree, ast.List), *_nodes(tree, ast.Subscript)]:
        _, end = _span(text, node)
        if text[end - 1] in ")]":
            yield _put(text, end - 1, end, "")


@slip
def bracket_too_many(text, tree):
    for node in _nodes(tree, ast.Call):
        _, end = _span(text, node)
        yield _put(text, end, end, ")")


@slip
def quote_not_closed(text, tree):
    for node in _nodes(tree, ast.Constant):
        start, end = _span(text, node)
        if (
            isinstance(node.value, str)
            and text[end - 1] in "\"'"
            and node.lineno == node.end_lineno
            and not text[start:end].startswith('"""')
        ):
            yield _put(text, end - 1, end, "")


@slip
def quotes_missing(text, tree):
    for node in _nodes(tree, ast.Constant):
        start, end = _span(text, node)
        if (
            isinstance(node.value, str)
            and node.value.isidentifier()
            and text[start] in "\"'"
            and end - start == len(node.value) + 2
        ):
            yield _put(text, start, end, node.value)


@slip
def assignment_for_comparison(text, tree):
    for node in [*_nodes(tree, ast.If), *_nodes(tree, ast.While)]:
        if isinstance(node.test, ast.Compare) and isinstance(node.test.ops[0], ast.Eq):
            _, left = _span(text, node.test.left)
            at = text.index("==", left)
            yield _put(text, at, at + 2, "=")


@slip
def comma_missing(text, tree):
    for node in [*_nodes(tree, ast.Call), *_nodes(tree, ast.List), *_nodes(tree, ast.Tuple), *_nodes(tree, ast.Dict)]:
        items = node.args if isinstance(node, ast.Call) else node.values if isinstance(node, ast.Dict) else node.elts
        for one, other in itertools.pairwise(items):
            _, end = _span(text, one)
            if text[end] == "," and one.end_lineno == other.lineno:
                yield _put(text, end, end + 1, "")


@slip
def indented_too_little(text, tree):
    yield from _indentation(text, tree, -1)


@slip
def indented_too_much(text, tree):
    yield from _indentation(text, tree, 2)


def _indentation(text: str, tree: ast.Module, by: int) -> Iterator[tuple[str, int]]:
    for node in _nodes(tree, ast.stmt):
        if (
            node.col_offset
            and not isinstance(node, (ast.If, ast.For, ast.While, ast.FunctionDef))
            and node.lineno == node.end_lineno
        ):
            lines = text.split("\n")
            row = lines[node.lineno - 1]
            lines[node.lineno - 1] = row[1:] if by < 0 else " " * by + row
            yield "\n".join(lines), node.lineno


@slip
def keyword_misspelt(text, tree):
    for match in re.finditer(r"^\s*(return|while|import|for|def|class|elif|else)\b", text, re.M):
        yield _put(text, match.start(1), match.end(1), _swap(match[1]))


@slip
def curly_quotes(text, tree):
    for node in _nodes(tree, ast.Constant):
        start, end = _span(text, node)
        if (
            isinstance(node.value, str)
            and text[start] == '"'
            and text[end - 1] == '"'
            and end - start > 3
            and text[start : start + 3] != '"""'
        ):
            yield _put(text, start, end, f"\u201c{text[start + 1 : end - 1]}\u201d")


@slip
def print_without_parentheses(text, tree):
    for node in _nodes(tree, ast.Call):
        start, end = _span(text, node)
        if isinstance(node.func, ast.Name) and node.func.id == "print" and node.args and node.lineno == node.end_lineno:
            yield _put(text, start, end, "print " + text[start + 6 : end - 1])


@slip
def argument_missing(text, tree):
    own = _own_functions(tree)
    for node in _nodes(tree, ast.Call):
        name = (
            node.func.id if isinstance(node.func, ast.Name) else node.func.attr if isinstance(node.func, ast.Attribute) else ""
        )
        if name in own and len(node.args) >= 2 and not node.keywords:
            start, end = _span(text, node.args[-2])[1], _span(text, node.args[-1])[1]
            yield _put(text, start, end, "")


@slip
def argument_too_many(text, tree):
    own = _own_functions(tree)
    for node in _nodes(tree, ast.Call):
        name = (
            node.func.id if isinstance(node.func, ast.Name) else node.func.attr if isinstance(node.func, ast.Attribute) else ""
        )
        if name in own and node.args:
            _, end = _span(text, node)
            yield _put(text, end - 1, end - 1, ", 1")


@slip
def self_missing(text, tree):
    for kind in _nodes(tree, ast.ClassDef):
        for node in kind.body:
            if isinstance(node, ast.FunctionDef) and node.args.args and node.args.args[0].arg == "self":
                start, end = _span(text, node.args.args[0])
                more = re.match(r", ", text[end:])
                yield _put(text, start, end + (2 if more else 0), "")


@slip
def self_dot_missing(text, tree):
    for node in _nodes(tree, ast.Attribute):
        if isinstance(node.value, ast.Name) and node.value.id == "self" and isinstance(node.ctx, ast.Load):
            start, end = _span(text, node)
            yield _put(text, start, end, node.attr)


@slip
def return_missing(text, tree):
    for node in _nodes(tree, ast.Return):
        start, end = _span(text, node)
        if node.value is not None:
            yield _put(text, start, end, text[start + 7 : end])


@slip
def in_place_result_kept(text, tree):
    for node in _nodes(tree, ast.Assign):
        value = node.value
        if (
            isinstance(value, ast.Call)
            and isinstance(value.func, ast.Name)
            and value.func.id == "sorted"
            and isinstance(value.args[0], ast.Name)
        ):
            start, end = _span(text, value)
            rest = text[_span(text, value.args[0])[1] : end - 1].lstrip(", ")
            yield _put(text, start, end, f"{value.args[0].id}.sort({rest})")
    for node in _nodes(tree, ast.Expr):
        call = node.value
        if (
            isinstance(call, ast.Call)
            and isinstance(call.func, ast.Attribute)
            and call.func.attr in ("append", "sort")
            and isinstance(call.func.value, ast.Name)
        ):
            start, _ = _span(text, node)
            yield _put(text, start, start, f"{call.func.value.id} = ")


@slip
def loop_one_too_far(text, tree):
    for node in _nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id == "range" and len(node.args) <= 2:
            _, end = _span(text, node.args[-1])
            yield _put(text, end, end, " + 1")


@slip
def index_too_large(text, tree):
    for node in _nodes(tree, ast.Subscript):
        if (
            isinstance(node.ctx, ast.Load)
            and isinstance(node.slice, (ast.Constant, ast.UnaryOp))
            and isinstance(node.value, ast.Name)
        ):
            start, end = _span(text, node.slice)
            if re.fullmatch(r"-?\d", text[start:end]):
                yield _put(text, start, end, f"len({node.value.id})")


@slip
def number_in_quotes(text, tree):
    for node in _nodes(tree, ast.Constant):
        if isinstance(node.value, (int, float)) and not isinstance(node.value, bool):
            start, end = _span(text, node)
            yield _put(text, start, end, f'"{text[start:end]}"')


@slip
def conversion_to_number_missing(text, tree):
    yield from _unwrapped(text, tree, ("int", "float"))


@slip
def conversion_to_text_missing(text, tree):
    yield from _unwrapped(text, tree, ("str",))


def _unwrapped(text: str, tree: ast.Module, names: tuple[str, ...]) -> Iterator[tuple[str, int]]:
    for node in _nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id in names and len(node.args) == 1:
            start, end = _span(text, node)
            inner = _span(text, node.args[0])
            yield _put(text, start, end, text[inner[0] : inner[1]])


@slip
def call_without_parentheses(text, tree):
    for node in _nodes(tree, ast.Call):
        if not node.args and not node.keywords:
            _, end = _span(text, node)
            yield _put(text, end - 2, end, "")


@slip
def called_instead_of_indexed(text, tree):
    for node in _nodes(tree, ast.Subscript):
        start, end = _span(text, node.slice)
        if isinstance(node.ctx, ast.Load) and not isinstance(node.slice, ast.Slice) and text[end] == "]":
            yield text[: start - 1] + "(" + text[start:end] + ")" + text[end + 1 :], node.lineno


@slip
def file_name_misspelt(text, tree):
    for node in _nodes(tree, ast.Constant):
        if isinstance(node.value, str) and re.fullmatch(r"\w+\.(csv|txt|json)", node.value):
            start, end = _span(text, node)
            stem, dot, ending = node.value.partition(".")
            yield _put(text, start + 1, end - 1, _swap(stem) + dot + ending)


@slip
def one_name_too_many(text, tree):
    for node in [*_nodes(tree, ast.Assign), *_nodes(tree, ast.For)]:
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        if isinstance(target, ast.Tuple):
            _, end = _span(text, target.elts[-1])
            yield _put(text, end, end, ", more")


@slip
def one_name_too_few(text, tree):
    for node in [*_nodes(tree, ast.Assign), *_nodes(tree, ast.For)]:
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        if isinstance(target, ast.Tuple) and len(target.elts) >= 3:
            yield _put(text, _span(text, target.elts[-2])[1], _span(text, target.elts[-1])[1], "")


@slip
def starts_as_none(text, tree):
    for node in _nodes(tree, ast.Assign):
        if isinstance(node.value, (ast.Constant, ast.List, ast.Dict)) and isinstance(node.targets[0], ast.Name):
            if isinstance(node.value, ast.Constant) and node.value.value not in (0, 0.0, "", 1):
                continue
            if isinstance(node.value, ast.Constant) or not (
                getattr(node.value, "elts", None) or getattr(node.value, "keys", None)
            ):
                yield _put(text, *_span(text, node.value), "None")


@slip
def constant_in_small_letters(text, tree):
    for node in _nodes(tree, ast.Constant):
        if (node.value in (True, False, None) and not isinstance(node.value, (int, float))) or isinstance(node.value, bool):
            yield _put(text, *_span(text, node), str(node.value).lower())


@slip
def list_is_empty(text, tree):
    for node in _nodes(tree, ast.Assign):
        if isinstance(node.value, ast.ListComp) and not node.value.generators[0].ifs:
            _, end = _span(text, node.value.generators[0].iter)
            yield _put(text, end, end, " if False")


@slip
def attribute_not_set(text, tree):
    for kind in _nodes(tree, ast.ClassDef):
        for function in kind.body:
            if isinstance(function, ast.FunctionDef) and function.name == "__init__" and len(function.body) > 1:
                for node in function.body:
                    if isinstance(node, ast.Assign):
                        start, end = _span(text, node)
                        line_start = text.rfind("\n", 0, start) + 1
                        yield text[:line_start] + text[end + 1 :], function.lineno


@slip
def used_before_defined(text, tree):
    functions = [node for node in tree.body if isinstance(node, ast.FunctionDef)]
    for node in functions:
        start, end = _span(text, node)
        yield text[:start] + text[end:].lstrip("\n") + "\n\n" + text[start:end] + "\n", 0


@slip
def tuple_instead_of_list(text, tree):
    for node in _nodes(tree, ast.List):
        start, end = _span(text, node)
        if isinstance(node.ctx, ast.Load) and len(node.elts) != 1:
            yield text[:start] + "(" + text[start + 1 : end - 1] + ")" + text[end:], node.lineno


@slip
def global_missing(text, tree):
    for node in _nodes(tree, ast.Global):
        start, end = _span(text, node)
        line_start = text.rfind("\n", 0, start) + 1
        yield text[:line_start] + text[end + 1 :], 0


@slip
def length_as_member(text, tree):
    for node in _nodes(tree, ast.Call):
        if isinstance(node.func, ast.Name) and node.func.id == "len" and isinstance(node.args[0], (ast.Name, ast.Attribute)):
            start, end = _span(text, node)
            inner = _span(text, node.args[0])
            yield _put(text, start, end, text[inner[0] : inner[1]] + ".length")


@slip
def name_is_a_keyword(text, tree):
    for node in _nodes(tree, ast.Name):
        if isinstance(node.ctx, ast.Store) and len(node.id) > 3 and not keyword.iskeyword(node.id):
            yield text.replace(node.id, "class") if text.count(node.id) < 4 else text, node.lineno


@slip
def dot_missing_before_method(text, tree):
    for node in _nodes(tree, ast.Call):
        if isinstance(node.func, ast.Attribute) and isinstance(node.func.value, ast.Name):
            _, end = _span(text, node.func.value)
            if text[end] == ".":
                yield _put(text, end, end + 1, " ")


@slip
def operator_missing(text, tree):
    for node in _nodes(tree, ast.BinOp):
        if isinstance(node.op, (ast.Add, ast.Mult)) and isinstance(node.left, ast.Name):
            _, left = _span(text, node.left)
            right, _ = _span(text, node.right)
            yield _put(text, left, right, " ")
