"""A function sets a name of the module for itself only, and the module goes on with its own."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, View, own_nodes, walk
from jamkey.model import Finding


class HiddenGlobal:
    """See the module."""

    name = "hidden-global"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield assignments in functions that give nothing back, to a variable of the module that is read after the call."""
        top = {
            t.id: node
            for node in view.tree.body
            if isinstance(node, ast.Assign) and isinstance(node.value, (ast.Constant, ast.List, ast.Dict))
            for t in node.targets
            if isinstance(t, ast.Name) and not t.id.isupper()
        }
        if not top or view.scopes.open:
            return
        for function in view.tree.body:
            if not isinstance(function, FUNCTIONS):
                continue
            inner = list(own_nodes(function))
            if any(isinstance(n, ast.Return) and n.value is not None for n in inner) or any(
                isinstance(n, (ast.Yield, ast.Global)) for n in inner
            ):
                continue
            called = [
                n
                for n in view.tree.body
                if isinstance(n, ast.Expr)
                and isinstance(n.value, ast.Call)
                and isinstance(n.value.func, ast.Name)
                and n.value.func.id == function.name
            ]
            if not called:
                continue
            params = {a.arg for a in walk(function.args) if isinstance(a, ast.arg)}
            for node in inner:
                target = node.targets[0] if isinstance(node, ast.Assign) else None
                if not isinstance(target, ast.Name) or target.id not in top or target.id in params:
                    continue
                read_inside = any(isinstance(n, ast.Name) and n.id == target.id and isinstance(n.ctx, ast.Load) for n in inner)
                later = any(use.id == target.id and use.lineno > called[0].lineno for use in view.scopes.module.uses)
                if later and not read_inside:
                    first = function.body[0]
                    edit = view.insert(first.lineno, f"{' ' * first.col_offset}global {target.id}")
                    yield view.finding(
                        self.name,
                        "hidden-name",
                        target,
                        f"this `{target.id}` is the function's own; the module's stays as it is",
                        title=f"Say `global {target.id}`, or return it",
                        edits=(edit,),
                    )


RULE = HiddenGlobal()
