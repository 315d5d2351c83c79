"""`:=` as an assignment of its own: the same in Python that is older than 3.8."""

from __future__ import annotations

import ast
import itertools
import re

from jamkey.repair.unfolded import Text, Unfolding, spans_lines

_SIMPLE = (ast.Assign, ast.AugAssign, ast.AnnAssign, ast.Expr, ast.Return, ast.Assert, ast.Raise, ast.For, ast.With)
#: What stands for the opposite of a comparison, whatever is compared.
_OPPOSITE = {ast.Is: "is not", ast.IsNot: "is", ast.Eq: "!=", ast.NotEq: "==", ast.In: "not in", ast.NotIn: "in"}
_SCOPES = (ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)


def walrus_unfolded(node: ast.NamedExpr, text: Text, tree: ast.Module) -> Unfolding:
    """Return the changes that assign on a line of its own; none where it is not sure that this is the same."""
    chain = _chain(tree, node)
    statement = next((each for each in reversed(chain) if isinstance(each, ast.stmt)), None)
    if statement is None or _is_after_a_call(node, statement, chain):
        return []
    name = node.target.id
    scopes = [each for each in chain if isinstance(each, _SCOPES)]
    if scopes:
        return _in_comprehension(node, chain, text, tree) if len(scopes) == 1 else []
    if not _is_always_made(chain, statement, node):
        return []
    row = f"{name} = {text.of(node.value)}\n"
    use = _in_its_place(node, text)
    indent, step = text.indent(statement.lineno), text.step()
    start = text.offset(statement.lineno, 0)
    if isinstance(statement, ast.While):
        if statement.orelse or statement.test.end_lineno != statement.lineno:
            return []
        first, last = text.span(statement.test)
        test = _opposite(statement.test, node, use, text)
        colon = text.text.index(":", last)
        inner = indent + step
        if (
            text.text[colon + 1 : text.offset(statement.body[0].lineno, 0)].strip()
            or statement.body[0].lineno == statement.lineno
        ):
            return []
        first = text.span(statement)[0]
        head = f"while True:\n{inner}{row}{inner}if {test}:\n{inner}{step}break"
        return [(first, colon + 1, head)]
    if isinstance(statement, ast.If):
        if text.text.startswith("elif", text.span(statement)[0]):
            return _of_elif(statement, row, use, text)
        return [(start, start, indent + row), use]
    if isinstance(statement, _SIMPLE) and text.text[start : text.span(statement)[0]] == indent:
        return [(start, start, indent + row), use]
    return []


def _of_elif(statement: ast.If, row: str, use: tuple[int, int, str], text: Text) -> Unfolding:
    """Return `else:` with an `if` of its own within."""
    last = statement.end_lineno or statement.lineno
    if spans_lines([statement]):
        return []
    begin = text.span(statement)[0]
    indent, step = text.indent(statement.lineno), text.step()
    head = (begin, begin + len("elif"), f"else:\n{indent}{step}{row}{indent}{step}if")
    return [head, use, *text.moved(statement.lineno + 1, last, step)]


def _chain(tree: ast.Module, node: ast.AST) -> list[ast.AST]:
    """Return what a node stands in, outermost first."""
    parents: dict[ast.AST, ast.AST] = {}
    for each in ast.walk(tree):
        for child in ast.iter_child_nodes(each):
            parents[child] = each
    found: list[ast.AST] = []
    at: ast.AST | None = parents.get(node)
    while at is not None:
        found.append(at)
        at = parents.get(at)
    return found[::-1]


def _is_always_made(chain: list[ast.AST], statement: ast.stmt, node: ast.AST) -> bool:
    """Tell whether the value is made whatever else the statement finds."""
    inside = [*chain[chain.index(statement) + 1 :], node]
    for outer, inner in itertools.pairwise(inside):
        if isinstance(outer, ast.BoolOp) and outer.values[0] is not inner:
            return False
        if isinstance(outer, ast.IfExp) and outer.test is not inner:
            return False
        if isinstance(outer, ast.Compare) and inner not in (outer.left, outer.comparators[0]):
            return False
    return True


def _is_after_a_call(node: ast.NamedExpr, statement: ast.stmt, chain: list[ast.AST]) -> bool:
    """Tell whether something is called before the value is made: the order would be another one."""
    place = (node.lineno, node.col_offset)
    body = [
        inner
        for field in ("body", "orelse", "handlers")
        for inner in getattr(statement, field, [])
        if isinstance(inner, ast.AST)
    ]
    skipped = {id(inner) for top in body for inner in ast.walk(top)}
    return any(
        isinstance(each, ast.Call | ast.Await | ast.Yield)
        and each not in chain
        and id(each) not in skipped
        and (each.lineno, each.col_offset) < place
        for each in ast.walk(statement)
    )


def _in_comprehension(node: ast.NamedExpr, chain: list[ast.AST], text: Text, tree: ast.Module) -> Unfolding:
    """Return `for y in [f(x)]` in front of the condition that made the value."""
    (scope,) = (each for each in chain if isinstance(each, _SCOPES))
    part = next((each for each in chain if isinstance(each, ast.comprehension)), None)
    if part is None or not part.ifs or isinstance(scope, ast.Lambda):
        return []
    test = part.ifs[0]
    above = [*chain, node]
    if test not in above or not _is_always_made_in(above, test):
        return []
    name = node.target.id
    inside = {id(each) for each in ast.walk(scope)}
    if any(isinstance(each, ast.Name) and each.id == name and id(each) not in inside for each in ast.walk(tree)):
        return []  # its value is asked for outside
    word = re.compile(r"\bif\b[\s(]*$").search(text.text, text.span(part.iter)[1], text.span(test)[0])
    if word is None:
        return []
    return [(word.start(), word.start(), f"for {name} in [{text.of(node.value)}] "), _in_its_place(node, text)]


def _is_always_made_in(above: list[ast.AST], test: ast.expr) -> bool:
    statement_like = above[above.index(test) - 1]
    return _is_always_made(above[:-1], statement_like, above[-1])  # type: ignore[arg-type]


def _in_its_place(node: ast.NamedExpr, text: Text) -> tuple[int, int, str]:
    """Return the name alone where the whole stood, without the brackets around it."""
    start, end = text.span(node)
    before, after = text.text[:start].rstrip(), text.text[end:]
    closing = len(after) - len(after.lstrip())
    if before.endswith("(") and after.lstrip().startswith(")") and re.search(r"[\w)\]]$", before[:-1]) is None:
        return len(before) - 1, end + closing + 1, node.target.id
    return start, end, node.target.id


def _opposite(test: ast.expr, node: ast.NamedExpr, use: tuple[int, int, str], text: Text) -> str:
    """Return when a loop ends: the opposite of its test, with the name in its place."""
    first, last = text.span(test)
    first, last = min(first, use[0]), max(last, use[1])
    written = text.text[first : use[0]] + use[2] + text.text[use[1] : last]
    if test is node:
        return f"not {use[2]}"
    if isinstance(test, ast.Compare) and len(test.ops) == 1 and type(test.ops[0]) in _OPPOSITE:
        left = use[2] if test.left is node else text.of(test.left)
        right = use[2] if test.comparators[0] is node else text.of(test.comparators[0])
        if node in (test.left, test.comparators[0]):
            return f"{left} {_OPPOSITE[type(test.ops[0])]} {right}"
    return f"not {written}" if isinstance(test, ast.Call | ast.Name) else f"not ({written})"
