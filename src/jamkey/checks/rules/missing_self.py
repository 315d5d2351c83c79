"""A method without `self`."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, View, walk
from jamkey.model import Edit, Finding


class MissingSelf:
    """See the module."""

    name = "missing-self"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield methods that use `self` and do not take it."""
        for node in view.of(ast.ClassDef):
            for method in node.body:  # type: ignore[attr-defined]
                if (
                    not isinstance(method, FUNCTIONS)
                    or method.decorator_list
                    or method.name in ("__new__", "__init_subclass__", "__class_getitem__")
                ):
                    continue
                args = method.args
                names = [a.arg for a in (*args.posonlyargs, *args.args)]
                if names[:1] == ["self"] or args.vararg is not None:
                    continue
                uses = any(isinstance(n, ast.Name) and n.id == "self" and isinstance(n.ctx, ast.Load) for n in walk(method))
                outside = any(isinstance(outer, FUNCTIONS) for outer in view.up(node))
                sets = any(isinstance(n, ast.Name) and n.id == "self" and isinstance(n.ctx, ast.Store) for n in walk(method))
                if uses and not sets and not outside:
                    yield view.finding(
                        self.name,
                        "wrong-arguments",
                        method,
                        f"`{method.name}` uses `self` and does not take it",
                        **_mend(view, method),
                    )


def _mend(view: View, method: ast.FunctionDef | ast.AsyncFunctionDef) -> dict:  # type: ignore[type-arg]
    row = view.lines[method.lineno - 1]
    at = row.find("(", row.find(method.name))
    if at < 0:
        return {}
    rest = "" if row[at + 1 :].lstrip().startswith(")") else ", "
    edit = Edit(
        file=view.file, line=method.lineno, column=at + 2, end_line=method.lineno, end_column=at + 2, new_text="self" + rest
    )
    return {"title": "Take `self` as the first parameter", "edits": (edit,)}


RULE = MissingSelf()
