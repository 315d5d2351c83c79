"""The result of a method that changes its object and gives nothing back."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, dotted
from jamkey.model import Finding

_IN_PLACE = {"sort", "append", "extend", "reverse", "remove", "clear"}


class KeptInPlaceResult:
    """See the module."""

    name = "kept-in-place-result"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield assignments of such a result, where the object is known to be a list or is set to it."""
        lists = {
            target.id
            for node in view.of(ast.Assign)
            for target in node.targets  # type: ignore[attr-defined]
            if isinstance(target, ast.Name) and isinstance(node.value, (ast.List, ast.ListComp))  # type: ignore[attr-defined]
        }
        for node in view.of(ast.Assign):
            value = node.value  # type: ignore[attr-defined]
            if not isinstance(value, ast.Call):
                continue
            target = node.targets[0]  # type: ignore[attr-defined]
            if dotted(value.func) == "random.shuffle" and len(value.args) == 1:
                yield self._found(view, node, value, view.source(value.args[0]))
            elif isinstance(value.func, ast.Attribute) and value.func.attr in _IN_PLACE:
                held = dotted(value.func.value)
                listed = held in lists or value.func.attr in ("sort", "reverse")  # others name their own methods so
                certain = held and listed and (held == dotted(target) or held in lists)
                if certain:
                    yield self._found(view, node, value, held)

    def _found(self, view: View, node: ast.AST, value: ast.Call, held: str) -> Finding:
        name = value.func.attr if isinstance(value.func, ast.Attribute) else ""
        own = dotted(node.targets[0]) == held  # type: ignore[attr-defined]
        edits = (view.replace(node, view.source(value)),) if own else ()
        if name == "sort" and not own and not value.args and not value.keywords:
            edits = (view.replace(value, f"sorted({held})"),)
        return view.finding(
            self.name,
            "missing-value",
            node,
            f"`{name}` changes `{held}` and gives None back",
            title="Keep the object, not the result" if edits else "",
            edits=edits,
        )


RULE = KeptInPlaceResult()
