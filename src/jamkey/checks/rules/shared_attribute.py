"""A list or dictionary in a class body: all its objects share it."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, View, walk
from jamkey.model import Edit, Finding

_CHANGES = {"append", "extend", "insert", "add", "update", "setdefault"}


class SharedAttribute:
    """See the module."""

    name = "shared-attribute"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield class attributes that methods change through `self` and that no method sets anew."""
        for node in view.of(ast.ClassDef):
            for statement in node.body:  # type: ignore[attr-defined]
                target = statement.targets[0] if isinstance(statement, ast.Assign) and len(statement.targets) == 1 else None
                if (
                    not isinstance(target, ast.Name)
                    or target.id.isupper()
                    or not isinstance(statement.value, (ast.List, ast.Dict, ast.Set))
                ):
                    continue
                filled = statement.value.keys if isinstance(statement.value, ast.Dict) else statement.value.elts
                if filled or not self._changed(node, target.id) or node.decorator_list:  # type: ignore[attr-defined]
                    continue
                yield view.finding(
                    self.name,
                    "shared-default",
                    statement,
                    f"all objects of `{node.name}` share this `{target.id}`",  # type: ignore[attr-defined]
                    **_mend(view, node, statement, target.id),
                )

    def _changed(self, node: ast.AST, name: str) -> bool:
        changed = False
        for inner in walk(node):
            own = (
                isinstance(inner, ast.Attribute)
                and isinstance(inner.value, ast.Name)
                and inner.value.id == "self"
                and inner.attr == name
            )
            if own and isinstance(inner.ctx, ast.Store):  # type: ignore[attr-defined]
                return False
            if isinstance(inner, ast.Call) and isinstance(inner.func, ast.Attribute) and inner.func.attr in _CHANGES:
                held = inner.func.value
                changed = changed or (
                    isinstance(held, ast.Attribute)
                    and isinstance(held.value, ast.Name)
                    and held.value.id == "self"
                    and held.attr == name
                )
        return changed


def _mend(view: View, node: ast.AST, statement: ast.Assign, name: str) -> dict:  # type: ignore[type-arg]
    start = next((m for m in node.body if isinstance(m, FUNCTIONS) and m.name == "__init__"), None)  # type: ignore[attr-defined]
    if start is None:
        return {}
    first = start.body[0]
    row = f"{' ' * first.col_offset}self.{name} = {view.source(statement.value)}"
    gone = Edit(
        file=view.file,
        line=statement.lineno,
        column=1,
        end_line=(statement.end_lineno or statement.lineno) + 1,
        end_column=1,
        new_text="",
    )
    return {"title": "Give each object its own, in `__init__`", "edits": (gone, view.insert(first.lineno, row))}


RULE = SharedAttribute()
