"""A name that is read before the line that first gives it a value."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, LOOPS, View, walk
from jamkey.checks.scopes import BUILTINS, Scope
from jamkey.model import Finding


class NamesBeforeValue:
    """See the module."""

    name = "names-before-value"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield reads that come before every assignment in the same scope, outside of loops."""
        if view.scopes.open:
            return
        for scope in view.scopes.every:
            if isinstance(scope.node, (*FUNCTIONS, ast.Module)):
                yield from self._in(view, scope)

    def _in(self, view: View, scope: Scope) -> Iterator[Finding]:
        seen: set[str] = set()
        for use in scope.uses:
            binding = scope.bound.get(use.id)
            if binding is None or use.id in seen or isinstance(binding, (ast.arg, ast.Global, ast.Nonlocal)):
                continue
            if use.id in BUILTINS and isinstance(scope.node, ast.Module):
                continue
            bound = (getattr(binding, "lineno", 0), getattr(binding, "col_offset", 0))
            if (use.lineno, use.col_offset) >= bound or self._same_statement(view, use, binding):
                # `total += 1` and `x = x + 1` read before they write
                if not self._own_first_write(view, use, binding, scope):
                    continue
            around = list(view.up(use))
            inside = around[: around.index(scope.node)] if scope.node in around else around
            if any(isinstance(outer, (ast.Try, *FUNCTIONS, ast.Lambda, ast.ClassDef)) for outer in inside):
                continue
            if any(isinstance(outer, (*LOOPS, ast.If, ast.comprehension)) for outer in inside):
                # a later round, or another way through, may have set it: not when it is set behind all of that
                outermost = inside[-1]
                if bound[0] <= (getattr(outermost, "end_lineno", 0) or 0) or isinstance(scope.node, FUNCTIONS):
                    continue
            seen.add(use.id)
            local = isinstance(scope.node, FUNCTIONS)
            reason = f"`{use.id}` gets its first value on line {bound[0]}, after it is read here"
            if local and use.id in view.scopes.module.bound:
                reason += "; the one outside is another, as this function sets its own"
            yield view.finding(self.name, "unset-name", use, reason)

    def _same_statement(self, view: View, use: ast.Name, binding: ast.AST) -> bool:
        return False

    def _own_first_write(self, view: View, use: ast.Name, binding: ast.AST, scope: Scope) -> bool:
        """Tell `x = x + 1` as the first binding in a function: the value is read from the name that is being set."""
        if not isinstance(scope.node, FUNCTIONS) or not isinstance(binding, ast.Name):
            return False
        statement = next((outer for outer in view.up(binding) if isinstance(outer, (ast.Assign, ast.AugAssign))), None)
        if isinstance(statement, ast.Assign):
            return binding in statement.targets and any(inner is use for inner in walk(statement.value))
        return False


RULE = NamesBeforeValue()
