"""A loop whose condition nothing in it can change."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, plain_call, walk
from jamkey.model import Finding

_HARMLESS = ("print", "len", "str", "int", "float", "range", "round", "abs", "repr", "format", "min", "max", "sum", "sorted")
_ENDS = (ast.Break, ast.Return, ast.Raise, ast.Yield, ast.YieldFrom, ast.Await)


class ConditionNeverChanges:
    """See the module."""

    name = "condition-never-changes"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield `while` loops over plain names that the body neither sets nor leaves."""
        for loop in view.of(ast.While):
            test = loop.test  # type: ignore[attr-defined]
            names = {n.id for n in walk(test) if isinstance(n, ast.Name)}
            if not names or any(
                isinstance(n, (ast.Call, ast.Attribute, ast.Subscript, ast.NamedExpr, ast.Await)) for n in walk(test)
            ):
                continue
            if not isinstance(test, (ast.Compare, ast.BoolOp, ast.UnaryOp)):
                continue  # `while items:` may be emptied by a method
            inside = [n for statement in loop.body for n in walk(statement)]  # type: ignore[attr-defined]
            if any(isinstance(n, _ENDS) for n in inside):
                continue
            sets = {n.id for n in inside if isinstance(n, ast.Name) and isinstance(n.ctx, (ast.Store, ast.Del))}
            called = {
                n.func.value.id
                for n in inside
                if isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute) and isinstance(n.func.value, ast.Name)
            }
            called |= {
                a.id
                for n in inside
                if isinstance(n, ast.Call) and not plain_call(n, *_HARMLESS)
                for a in n.args
                if isinstance(a, ast.Name)
            }
            if names & (sets | called) or self._set_elsewhere(view, loop, names):
                continue
            if any(
                isinstance(n, ast.Call) and isinstance(n.func, (ast.Name, ast.Attribute)) and _leaves(n.func) for n in inside
            ):
                continue
            yield view.finding(
                self.name,
                "endless",
                test,
                f"nothing in the loop changes `{'`, `'.join(sorted(names))}`",
                **_mend(view, loop, names),
            )

    def _set_elsewhere(self, view: View, loop: ast.AST, names: set[str]) -> bool:
        """Tell names that other functions set: a global, a nonlocal, a signal's or thread's flag."""
        shared = {name for node in view.of(ast.Global, ast.Nonlocal) for name in node.names}  # type: ignore[attr-defined]
        if names & shared:
            return True
        function = view.function_of(loop)
        if function is None:
            return False
        local = {n.id for n in walk(function) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
        local |= {a.arg for a in walk(function) if isinstance(a, ast.arg)}
        return not names <= local


def _leaves(function: ast.AST) -> bool:
    name = function.attr if isinstance(function, ast.Attribute) else getattr(function, "id", "")
    return name in ("exit", "_exit", "quit", "abort", "fail", "skipTest", "execv", "execvp")


def _mend(view: View, loop: ast.AST, names: set[str]) -> dict:  # type: ignore[type-arg]
    test = loop.test  # type: ignore[attr-defined]
    counter = test.left if isinstance(test, ast.Compare) and len(test.ops) == 1 else None
    if not isinstance(counter, ast.Name):
        return {}
    up = isinstance(test.ops[0], (ast.Lt, ast.LtE, ast.NotEq))
    last = loop.body[-1]  # type: ignore[attr-defined]
    row = f"{' ' * last.col_offset}{counter.id} {'+' if up else '-'}= 1"
    return {"title": f"Change `{counter.id}` in each round", "edits": (view.insert((last.end_lineno or last.lineno) + 1, row),)}


RULE = ConditionNeverChanges()
