"""Changes of a Python program that must not change what is said about its failure, each with where its lines go.

Each takes a project (file -> text), the failing file and line, and yields a changed project with a function that leads a
place of the old one to the new one. Nothing is yielded where the change does not fit.
"""

from __future__ import annotations

import ast
import builtins
import io
import keyword
import tokenize
from collections.abc import Callable, Iterator
from typing import NamedTuple

Project = dict[str, str]
Place = tuple[str, int]


class Changed(NamedTuple):
    project: Project
    #: Place in the old project -> the places in the new one that are as good.
    leads: Callable[[Place], set[Place]]
    #: New name -> old name, for comparing what keys write.
    names: dict[str, str]


Transform = Callable[[Project, str, int], Iterator[Changed]]
TRANSFORMS: dict[str, Transform] = {}
_BUILTINS = set(dir(builtins)) | set(keyword.kwlist) | set(keyword.softkwlist)


def transform(function: Transform) -> Transform:
    TRANSFORMS[function.__name__.replace("_", "-")] = function
    return function


def _parsed(text: str) -> ast.Module | None:
    try:
        return ast.parse(text)
    except (SyntaxError, ValueError):
        return None


def _fixed_words(project: Project) -> set[str]:
    """Return names that may not change: imported, members, keywords of calls, words of texts and of files."""
    fixed = set(_BUILTINS) | {"self", "cls"}
    for name, text in project.items():
        fixed.add(name.rpartition("/")[2].partition(".")[0])
        tree = _parsed(text) if name.endswith(".py") else None
        if tree is None:
            fixed.update(word for word in text.replace('"', " ").replace(",", " ").replace("'", " ").split())
            continue
        for node in ast.walk(tree):
            if isinstance(node, ast.Attribute):
                fixed.add(node.attr)
            elif isinstance(node, ast.alias):
                fixed.update((node.name.split(".")[0], node.asname or "", node.name))
            elif isinstance(node, ast.keyword):
                fixed.add(node.arg or "")
            elif isinstance(node, ast.ImportFrom):
                fixed.add(node.module or "")
            elif isinstance(node, ast.Constant) and isinstance(node.value, str):
                fixed.update(node.value.replace(".", " ").split())
            elif isinstance(node, ast.ClassDef):
                fixed.update(
                    inner.id for inner in ast.walk(node) if isinstance(inner, ast.Name) and isinstance(inner.ctx, ast.Store)
                )
                fixed.update(inner.name for inner in node.body if isinstance(inner, (ast.FunctionDef, ast.AsyncFunctionDef)))
    return fixed


@transform
def identifiers_renamed(project, file, line):
    fixed = _fixed_words(project)
    changed, names = {}, {}
    for name, text in project.items():
        if not name.endswith(".py") or _parsed(text) is None:
            changed[name] = text
            continue
        rows = text.split("\n")
        for token in reversed(list(tokenize.generate_tokens(io.StringIO(text).readline))):
            if token.type == tokenize.NAME and token.string not in fixed and not token.string.startswith("__"):
                new = f"my_{token.string}"
                names[new] = token.string
                row = rows[token.start[0] - 1]
                rows[token.start[0] - 1] = row[: token.start[1]] + new + row[token.end[1] :]
        changed[name] = "\n".join(rows)
    if names:
        yield Changed(changed, lambda place: {place}, names)


@transform
def comments_and_blank_lines_added(project, file, line):
    tree = _parsed(project[file])
    if tree is None:
        return
    first = {node.lineno for node in ast.walk(tree) if isinstance(node, ast.stmt) and not getattr(node, "decorator_list", None)}
    starts = {}
    for node in ast.walk(tree):
        if isinstance(node, ast.stmt) and node.lineno in first:
            starts.setdefault(node.lineno, node.col_offset)
    rows, moved = [], {}
    for number, row in enumerate(project[file].split("\n"), 1):
        if (
            number in starts
            and number > 1
            and row.strip()
            and not row.lstrip().startswith(("else", "elif", "except", "finally", "@"))
        ):
            rows += ["", " " * starts[number] + "# as it was"]
        rows.append(row)
        moved[number] = len(rows)
    yield Changed(
        {**project, file: "\n".join(rows)},
        lambda place: {(place[0], moved.get(place[1], place[1]) if place[0] == file else place[1])},
        {},
    )


@transform
def subexpression_named(project, file, line):
    text = project[file]
    tree = _parsed(text)
    if tree is None:
        return
    statement = next(
        (
            node
            for node in ast.walk(tree)
            if isinstance(node, (ast.Assign, ast.Expr, ast.AugAssign, ast.Return)) and node.lineno == node.end_lineno == line
        ),
        None,
    )
    if statement is None or getattr(statement, "value", None) is None:
        return
    inside = set()
    for node in ast.walk(statement.value):
        if isinstance(
            node,
            (
                ast.Lambda,
                ast.ListComp,
                ast.GeneratorExp,
                ast.DictComp,
                ast.SetComp,
                ast.JoinedStr,
                ast.IfExp,
                ast.BoolOp,
                ast.Await,
                ast.Yield,
            ),
        ):
            inside.update(ast.walk(node))
    # only what is evaluated first may be taken out without changing the order
    first, node = [], statement.value
    while node is not None:
        first.append(node)
        node = {ast.BinOp: "left", ast.Compare: "left", ast.Attribute: "value", ast.Subscript: "value", ast.Call: "func"}.get(
            type(node)
        ) and getattr(
            node,
            {ast.BinOp: "left", ast.Compare: "left", ast.Attribute: "value", ast.Subscript: "value", ast.Call: "func"}[
                type(node)
            ],
        )
    calls = [
        node
        for node in ast.walk(statement.value)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.args
    ]
    first += [call.args[0] for call in calls[:1]]
    callees = {call.func for call in ast.walk(statement.value) if isinstance(call, ast.Call)}
    kinds = (ast.Call, ast.Subscript, ast.BinOp, ast.Attribute)
    parts = [node for node in first[1:] if isinstance(node, kinds) and node not in inside and node not in callees]
    if not parts:
        return
    part = parts[0]
    rows = text.split("\n")
    row = rows[line - 1].encode()
    source = row[part.col_offset : part.end_col_offset].decode()
    row = row[: part.col_offset] + b"this_part" + row[part.end_col_offset :]
    indent = rows[line - 1][: len(rows[line - 1]) - len(rows[line - 1].lstrip())]
    rows[line - 1 : line] = [f"{indent}this_part = {source}", row.decode()]

    def leads(place: Place) -> set[Place]:
        if place[0] != file or place[1] < line:
            return {place}
        return {(file, line), (file, line + 1)} if place[1] == line else {(file, place[1] + 1)}

    yield Changed({**project, file: "\n".join(rows)}, leads, {"this_part": source})


@transform
def function_moved_to_another_file(project, file, line):
    text = project[file]
    tree = _parsed(text)
    if tree is None or "moved_part.py" in project:
        return
    imports = [
        node
        for node in tree.body
        if isinstance(node, (ast.Import, ast.ImportFrom)) and getattr(node, "module", "") != "__future__"
    ]
    imported = {(alias.asname or alias.name).split(".")[0] for node in imports for alias in node.names}
    defined = {node.name for node in tree.body if isinstance(node, (ast.FunctionDef, ast.ClassDef))}
    defined |= {t.id for node in tree.body if isinstance(node, ast.Assign) for t in node.targets if isinstance(t, ast.Name)}
    for function in tree.body:
        if (
            not isinstance(function, ast.FunctionDef)
            or function.decorator_list
            or any(isinstance(n, (ast.Global, ast.Yield)) for n in ast.walk(function))
        ):
            continue
        used = {node.id for node in ast.walk(function) if isinstance(node, ast.Name)} - {function.name}
        if used & (defined - imported):
            continue
        rows = text.split("\n")
        head = [ast.get_source_segment(text, node) or "" for node in imports]
        body = rows[function.lineno - 1 : function.end_lineno]
        stays = [
            *rows[: function.lineno - 1],
            f"from moved_part import {function.name}",
            *[""] * (len(body) - 1),
            *rows[function.end_lineno :],
        ]
        shift = len("\n".join([*head, ""]).split("\n")) - function.lineno + 1

        def leads(place: Place, function: ast.FunctionDef = function, shift: int = shift) -> set[Place]:
            inside = place[0] == file and function.lineno <= place[1] <= (function.end_lineno or 0)
            return {("moved_part.py", place[1] + shift)} if inside else {place}

        yield Changed({**project, file: "\n".join(stays), "moved_part.py": "\n".join([*head, "", *body, ""])}, leads, {})
        return


@transform
def class_around_a_function(project, file, line):
    text = project[file]
    tree = _parsed(text)
    if tree is None:
        return
    for function in tree.body:
        if not isinstance(function, ast.FunctionDef) or function.decorator_list:
            continue
        used_as_value = [
            node
            for node in ast.walk(tree)
            if isinstance(node, ast.Name)
            and node.id == function.name
            and not any(isinstance(call, ast.Call) and call.func is node for call in ast.walk(tree))
        ]
        if used_as_value or any(name != file and function.name in other for name, other in project.items()):
            continue
        if any(
            isinstance(node, ast.Constant) and isinstance(node.value, str) and "\n" in node.value for node in ast.walk(function)
        ):
            continue
        rows = text.split("\n")
        calls = [
            node.func
            for node in ast.walk(tree)
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == function.name
        ]
        for node in sorted(calls, key=lambda node: (node.lineno, node.col_offset), reverse=True):
            row = rows[node.lineno - 1].encode()
            rows[node.lineno - 1] = (
                row[: node.col_offset] + f"Holder.{function.name}".encode() + row[node.end_col_offset :]
            ).decode()
        inner = ["    " + row if row.strip() else row for row in rows[function.lineno - 1 : function.end_lineno]]
        rows[function.lineno - 1 : function.end_lineno] = ["class Holder:", "    @staticmethod", *inner]

        def leads(place: Place, function: ast.FunctionDef = function) -> set[Place]:
            return {(place[0], place[1] + 2)} if place[0] == file and place[1] >= function.lineno else {place}

        yield Changed({**project, file: "\n".join(rows)}, leads, {f"Holder.{function.name}": function.name})
        return
