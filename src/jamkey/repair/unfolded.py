"""`match` as `if` and `elif`, and a `with` without its brackets: the same in Python that is older."""

from __future__ import annotations

import ast
import builtins
import re
from collections.abc import Sequence

#: Changes of a text: (start, end, what stands there then), in characters.
Unfolding = list[tuple[int, int, str]]
#: Classes that are themselves what their only place in a pattern takes.
_PLAIN = ("bool", "bytearray", "bytes", "dict", "float", "frozenset", "int", "list", "set", "str", "tuple")


class Text:
    """A text whose tree counts columns in bytes."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.rows = text.split("\n")
        self._starts = [0]
        for row in self.rows:
            self._starts.append(self._starts[-1] + len(row) + 1)

    def offset(self, line: int, column: int) -> int:
        """Return the place of a line and a column in bytes."""
        row = self.rows[line - 1]
        return self._starts[line - 1] + (column if row.isascii() else len(row.encode()[:column].decode(errors="ignore")))

    def span(self, node: ast.AST) -> tuple[int, int]:
        """Return where a node begins and ends."""
        line, column = getattr(node, "lineno", 1), getattr(node, "col_offset", 0)
        end, last = getattr(node, "end_lineno", line), getattr(node, "end_col_offset", column)
        return self.offset(line, column), self.offset(end, last)

    def of(self, node: ast.AST) -> str:
        """Return a node's source."""
        start, end = self.span(node)
        return self.text[start:end]

    def indent(self, line: int) -> str:
        """Return the blanks that a line begins with."""
        row = self.rows[line - 1]
        return row[: len(row) - len(row.lstrip())]

    def step(self) -> str:
        """Return one step of indentation, as this text has it."""
        widths = [len(row) - len(row.lstrip(" ")) for row in self.rows if row.startswith(" ") and row.strip()]
        return "\t" if any(row.startswith("\t") for row in self.rows) else " " * (min(widths) if widths else 4)

    def moved(self, first: int, last: int, by: str, *, out: bool = False) -> Unfolding:
        """Return the changes that move whole lines one step in, or out."""
        made: Unfolding = []
        for line in range(first, last + 1):
            if self.rows[line - 1].strip():
                start = self._starts[line - 1]
                made.append((start, start + len(by), "") if out else (start, start, by))
        return made


def changed(text: str, made: Unfolding) -> str:
    """Return a text with changes that do not touch each other."""
    for start, end, new in sorted(made, key=lambda item: (item[0], item[1]), reverse=True):
        text = text[:start] + new + text[end:]
    return text


def spans_lines(nodes: Sequence[ast.AST]) -> bool:
    """Tell whether a text goes over the end of a line: what stands before its lines belongs to it."""
    return any(
        isinstance(node, ast.Constant | ast.JoinedStr) and node.end_lineno != node.lineno
        for top in nodes
        for node in ast.walk(top)
    )


def with_unfolded(node: ast.With | ast.AsyncWith, text: Text) -> Unfolding:
    """Return the changes that take the brackets off the items of a `with`; none where there are none."""
    first, last = node.items[0].context_expr, node.items[-1].optional_vars or node.items[-1].context_expr
    begin, end = text.span(first)[0], text.span(last)[1]
    opening = re.compile(r"with\s*\(").search(text.text, text.span(node)[0], begin)
    closing = re.compile(r"[\s,]*\)[^\n:]*:").match(text.text, end)
    if opening is None or closing is None or (len(node.items) == 1 and node.items[0].optional_vars is None):
        return []
    inside = text.text[opening.end() : end]
    if "#" in inside:
        return []
    rest = closing[0].lstrip(", \t\r\n")[1:]
    return [(opening.start(), closing.end(), f"with {' '.join(inside.split())}{rest}")]


class _NoPlainForm(Exception):
    """A pattern that takes more than conditions and names."""


def match_unfolded(node: ast.Match, text: Text, tree: ast.Module) -> Unfolding:
    """Return the changes that write a `match` with `if`; none where a pattern takes more than that."""
    indent = text.indent(node.lineno)
    inner = text.indent(node.cases[0].pattern.lineno)
    head_start, subject_end = text.span(node)[0], text.span(node.subject)[1]
    head_end = text.text.index(":", subject_end) + 1
    cases_start = text.offset(node.cases[0].pattern.lineno, 0)
    made: Unfolding = []
    subject = text.of(node.subject)
    kept = isinstance(node.subject, ast.Name)
    if not kept:
        name = _fresh("matched", text.text)
        made.append((head_start, head_end, f"{name} = {_bracketed(node.subject, text)}"))
        subject = name
    elif text.text[head_end:cases_start].strip():
        made.append((head_start - len(indent), head_end, indent.rstrip("\n")))
    else:
        made.append((head_start - len(indent), cases_start, ""))
    try:
        for number, case in enumerate(node.cases):
            made += _case(case, number, len(node.cases), subject, indent, inner, text, tree)
    except _NoPlainForm:
        return []
    return made


def _bracketed(node: ast.expr, text: Text) -> str:
    source = text.of(node)
    return f"({source})" if "\n" in source and not source.startswith("(") else source


def _case(
    case: ast.match_case, number: int, count: int, subject: str, indent: str, inner: str, text: Text, tree: ast.Module
) -> Unfolding:
    tests, bound = _tested(case.pattern, subject, text, tree)
    if case.guard is not None:
        tests.append(_guarded(case.guard, bound, text, alone=not tests))
    start = text.offset(case.pattern.lineno, 0)
    colon = text.text.index(":", text.span(case.guard or case.pattern)[1]) + 1
    body = case.body[0]
    if tests:
        head = f"{'elif' if number else 'if'} {' and '.join(tests)}:"
    else:
        head = "else:" if number and number == count - 1 else "elif True:" if number else "if True:"
    own_line = body.lineno > case.pattern.lineno and not text.text[text.offset(body.lineno, 0) : text.span(body)[0]].strip()
    deeper = spans_lines(case.body) or not own_line
    made: Unfolding = [(start, colon, indent + head)]
    if not own_line:
        place = text.span(body)[0]
        return [*made, (place, place, "".join(f"{name} = {path}; " for name, path in bound.items() if name != path))]
    begin = text.indent(body.lineno) if deeper else text.indent(body.lineno)[len(inner) - len(indent) :]
    rows = "".join(f"{begin}{name} = {path}\n" for name, path in bound.items() if name != path)
    if rows:
        made.append((text.offset(body.lineno, 0), text.offset(body.lineno, 0), rows))
    if not deeper:
        made += text.moved(body.lineno, case.body[-1].end_lineno or body.lineno, inner[len(indent) :], out=True)
    return made


def _guarded(guard: ast.expr, bound: dict[str, str], text: Text, *, alone: bool) -> str:
    """Return a condition with the names that the pattern gives written out."""
    used = {node.id for node in ast.walk(guard) if isinstance(node, ast.Name)} & {n for n, p in bound.items() if n != p}
    if not used:
        written = text.of(guard)
    else:
        tree = ast.parse(ast.unparse(guard), mode="eval")

        class _Written(ast.NodeTransformer):
            def visit_Name(self, node: ast.Name) -> ast.expr:
                return ast.parse(bound[node.id], mode="eval").body if node.id in used else node

        written = ast.unparse(_Written().visit(tree))
    is_simple = isinstance(guard, ast.Compare | ast.Call | ast.Name | ast.Attribute | ast.UnaryOp)
    return written if is_simple or alone else f"({written})"


def _tested(pattern: ast.pattern, path: str, text: Text, tree: ast.Module) -> tuple[list[str], dict[str, str]]:
    """Return the conditions of a pattern, and the names that it gives with where their values are."""
    bound: dict[str, str] = {}

    def of(pattern: ast.pattern, path: str) -> list[str]:
        match pattern:
            case ast.MatchValue():
                return [f"{path} == {text.of(pattern.value)}"]
            case ast.MatchSingleton():
                return [f"{path} is {pattern.value!r}"]
            case ast.MatchAs():
                tests = of(pattern.pattern, path) if pattern.pattern is not None else []
                if pattern.name is not None:
                    bound[pattern.name] = path
                return tests
            case ast.MatchOr():
                return _either(pattern, path)
            case ast.MatchSequence():
                return _places(pattern, path)
            case ast.MatchMapping() if pattern.rest is None:
                tests = [f"isinstance({path}, dict)"]
                for key, inner in zip(pattern.keys, pattern.patterns, strict=True):
                    tests += [f"{text.of(key)} in {path}", *of(inner, f"{path}[{text.of(key)}]")]
                return tests
            case ast.MatchClass():
                return _members(pattern, path)
        raise _NoPlainForm

    def _either(pattern: ast.MatchOr, path: str) -> list[str]:
        if all(isinstance(inner, ast.MatchValue) for inner in pattern.patterns):
            return [f"{path} in ({', '.join(text.of(inner) for inner in pattern.patterns)})"]
        before = len(bound)
        found = [" and ".join(of(inner, path)) or "True" for inner in pattern.patterns]
        if len(bound) > before:
            raise _NoPlainForm
        return [f"({' or '.join(found)})"]

    def _places(pattern: ast.MatchSequence, path: str) -> list[str]:
        count = len(pattern.patterns)
        star = next((place for place, inner in enumerate(pattern.patterns) if isinstance(inner, ast.MatchStar)), None)
        tests = [f"isinstance({path}, (list, tuple))"]
        tests.append(f"len({path}) == {count}" if star is None else f"len({path}) >= {count - 1}")
        for place, inner in enumerate(pattern.patterns):
            if isinstance(inner, ast.MatchStar):
                if inner.name is not None:
                    bound[inner.name] = f"list({path}[{place or ''}:{place - count + 1 or ''}])"
            else:
                tests += of(inner, f"{path}[{place if star is None or place < star else place - count}]")
        return tests

    def _members(pattern: ast.MatchClass, path: str) -> list[str]:
        name = text.of(pattern.cls)
        tests = [f"isinstance({path}, {name})"]
        if pattern.patterns and name in _PLAIN and hasattr(builtins, name):
            tests += of(pattern.patterns[0], path)
        elif pattern.patterns:
            fields = _fields(name, tree)
            if len(fields) < len(pattern.patterns):
                raise _NoPlainForm
            for field, inner in zip(fields, pattern.patterns, strict=False):
                tests += of(inner, f"{path}.{field}")
        for field, inner in zip(pattern.kwd_attrs, pattern.kwd_patterns, strict=True):
            tests += of(inner, f"{path}.{field}")
        return tests

    return of(pattern, path), bound


def _fields(name: str, tree: ast.Module) -> list[str]:
    """Return the fields of a class of this text in the order in which patterns take them."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ClassDef) and node.name == name:
            for each in node.body:
                if isinstance(each, ast.Assign) and ast.unparse(each.targets[0]) == "__match_args__":
                    return [str(value) for value in ast.literal_eval(each.value)]
            return [
                each.target.id for each in node.body if isinstance(each, ast.AnnAssign) and isinstance(each.target, ast.Name)
            ]
    return []


def _fresh(name: str, text: str) -> str:
    number = 1
    made = name
    while re.search(rf"\b{made}\b", text):
        number += 1
        made = f"{name}_{number}"
    return made
