"""A loop that waits for a fraction to be exactly equal."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, walk
from jamkey.model import Edit, Finding


class FractionEquality:
    """See the module."""

    name = "fraction-equality"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield `while x != 1.0` where the body adds a fraction to x."""
        for loop in view.of(ast.While):
            test = loop.test  # type: ignore[attr-defined]
            if (
                not isinstance(test, ast.Compare)
                or len(test.ops) != 1
                or not isinstance(test.ops[0], ast.NotEq)
                or not isinstance(test.left, ast.Name)
            ):
                continue
            steps = [
                n
                for n in walk(loop)
                if isinstance(n, ast.AugAssign) and isinstance(n.target, ast.Name) and n.target.id == test.left.id
            ]
            fraction = [
                s for s in steps if any(isinstance(v, ast.Constant) and isinstance(v.value, float) for v in walk(s.value))
            ]
            if not fraction:
                continue
            sign = "<" if isinstance(fraction[0].op, ast.Add) else ">"
            row = view.lines[test.lineno - 1]
            at = row.find("!=", view.column(test.lineno, test.left.end_col_offset or 0) - 1)
            edits = (
                (Edit(file=view.file, line=test.lineno, column=at + 1, end_line=test.lineno, end_column=at + 3, new_text=sign),)
                if at >= 0
                else ()
            )
            yield view.finding(
                self.name,
                "endless",
                test,
                f"`{test.left.id}` goes in fractions and may never be exactly equal",
                title=f"Compare with `{sign}`",
                edits=edits,
            )


RULE = FractionEquality()
