"""Typed-in text compared with a number."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, plain_call
from jamkey.model import Finding


class TextAgainstNumber:
    """See the module."""

    name = "text-against-number"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield comparisons of a name that only ever comes from `input()` with a number."""
        sets: dict[str, list[ast.AST | None]] = {}
        for node in view.of(ast.Name):
            if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
                parent = view.parents.get(node)
                sets.setdefault(node.id, []).append(parent.value if isinstance(parent, ast.Assign) else None)
        asked = {
            name: values
            for name, values in sets.items()
            if values and all(v is not None and plain_call(v, "input", "raw_input") for v in values)
        }
        for node in view.of(ast.Compare):
            if not isinstance(node, ast.Compare) or len(node.ops) != 1:
                continue
            left, right = node.left, node.comparators[0]
            for one, other in ((left, right), (right, left)):
                number = (
                    isinstance(other, ast.Constant)
                    and isinstance(other.value, (int, float))
                    and not isinstance(other.value, bool)
                )
                if isinstance(one, ast.Name) and one.id in asked and number:
                    whole = isinstance(other.value, int)  # type: ignore[attr-defined]
                    value = asked[one.id][0]
                    assert value is not None
                    new = f"{'int' if whole else 'float'}({view.source(value)})"
                    yield view.finding(
                        self.name,
                        "wrong-type",
                        node,
                        f"`{one.id}` is typed-in text, never equal to a number",
                        title=f"Turn it into a number: `{new}`",
                        edits=(view.replace(value, new),),
                    )


RULE = TextAgainstNumber()
