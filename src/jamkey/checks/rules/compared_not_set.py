"""`==` where a value was to be set."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.model import Finding


class ComparedNotSet:
    """See the module."""

    name = "compared-not-set"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield comparisons that stand alone as a statement."""
        for node in view.of(ast.Expr):
            value = node.value  # type: ignore[attr-defined]
            if not isinstance(value, ast.Compare) or len(value.ops) != 1 or not isinstance(value.ops[0], ast.Eq):
                continue
            if not isinstance(value.left, (ast.Name, ast.Attribute, ast.Subscript)):
                continue
            if any(isinstance(outer, (ast.With, ast.AsyncWith, ast.Try)) for outer in view.up(node)):
                continue  # the comparison itself is what is tried
            left, right = view.source(value.left), view.source(value.comparators[0])
            yield view.finding(
                self.name,
                "unused-result",
                value,
                f"this compares `{left}` and drops the answer; `=` sets it",
                title=f"Set it: `{left} = {right}`",
                edits=(view.replace(value, f"{left} = {right}"),),
            )


RULE = ComparedNotSet()
