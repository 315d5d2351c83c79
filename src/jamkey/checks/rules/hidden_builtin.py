"""A variable that hides a builtin which the program calls afterwards."""

from __future__ import annotations

import ast
import builtins
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.model import Finding

_CALLED = {name for name in dir(builtins) if name[0].islower()}


class HiddenBuiltin:
    """See the module."""

    name = "hidden-builtin"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield values bound to a builtin's name in a scope that later calls the builtin."""
        for scope in view.scopes.every:
            for name, binding in scope.bound.items():
                if (
                    name not in _CALLED
                    or not isinstance(binding, ast.Name)
                    or not isinstance(view.parents.get(binding), (ast.Assign, ast.For))
                ):
                    continue
                parent = view.parents.get(binding)
                value = parent.value if isinstance(parent, ast.Assign) else None
                plain = isinstance(
                    value, (ast.List, ast.Dict, ast.Tuple, ast.Set, ast.Constant, ast.JoinedStr, ast.BinOp, ast.ListComp)
                ) or isinstance(parent, ast.For)
                if (
                    value is not None
                    and isinstance(value, ast.Call)
                    and isinstance(value.func, ast.Name)
                    and value.func.id == name
                ):
                    plain = True  # sum = sum(x)
                if not plain or (isinstance(value, ast.Constant) and value.value is None):
                    continue
                calls = [
                    use
                    for inner in [scope, *scope.inside]
                    for use in inner.uses
                    if use.id == name
                    and isinstance(view.parents.get(use), ast.Call)
                    and view.parents[use].func is use  # type: ignore[attr-defined]
                    and use.lineno > binding.lineno
                    and view.scopes.holder(name, inner) is scope
                ]
                if calls:
                    yield view.finding(
                        self.name,
                        "hidden-name",
                        binding,
                        f"this hides the builtin `{name}`, which is called on line {calls[0].lineno}",
                    )


RULE = HiddenBuiltin()
