"""`is` with a number or a text: whether they are the same object is chance."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.model import Finding


class IsWithLiteral:
    """See the module."""

    name = "is-with-literal"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield comparisons by `is` with a literal other than None, True, False and the dots."""
        for node in view.of(ast.Compare):
            sides = [node.left, *node.comparators]  # type: ignore[attr-defined]
            for index, operator in enumerate(node.ops):  # type: ignore[attr-defined]
                if not isinstance(operator, (ast.Is, ast.IsNot)):
                    continue
                one = next(
                    (
                        s
                        for s in sides[index : index + 2]
                        if isinstance(s, ast.Constant)
                        and isinstance(s.value, (int, str, float, bytes))
                        and not isinstance(s.value, bool)
                    ),
                    None,
                )
                if one is None:
                    continue
                sign = "==" if isinstance(operator, ast.Is) else "!="
                new = f"{view.source(sides[index])} {sign} {view.source(sides[index + 1])}"
                edits = (view.replace(node, new),) if len(sides) == 2 else ()
                yield view.finding(
                    self.name,
                    "wrong-type",
                    node,
                    f"`is` asks for the same object; `{sign}` compares the values",
                    title=f"Write `{new}`",
                    edits=edits,
                )


RULE = IsWithLiteral()
