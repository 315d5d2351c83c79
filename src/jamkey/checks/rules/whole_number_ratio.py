"""A share, a mean or a rate by whole-number division."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.model import Edit, Finding

_RATIO = re.compile(r"(?:^|_)(?:mean|average|avg|ratio|share|percent|percentage|pct|rate|fraction|proportion)(?:_|$)")


class WholeNumberRatio:
    """See the module."""

    name = "whole-number-ratio"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield `//` whose result is called, or returned from something called, a ratio; and `a // b * 100`."""
        for node in view.of(ast.BinOp):
            if not isinstance(node, ast.BinOp) or not isinstance(node.op, ast.FloorDiv):
                continue
            parent = view.parents.get(node)
            scaled = isinstance(parent, ast.BinOp) and isinstance(parent.op, ast.Mult) and parent.left is node
            hundred = scaled and isinstance(parent.right, ast.Constant) and parent.right.value == 100  # type: ignore[union-attr]
            name = ""
            if isinstance(parent, ast.Assign) and isinstance(parent.targets[0], ast.Name):
                name = parent.targets[0].id
            elif isinstance(parent, ast.Return):
                function = view.function_of(node)
                name = function.name if function is not None else ""
            if not (hundred or _RATIO.search(name.lower())) or (isinstance(node.right, ast.Constant)):
                continue
            between = view.text.split("\n")[node.lineno - 1]
            at = between.find("//", view.column(node.lineno, node.left.end_col_offset or 0) - 1)
            edits = (
                (Edit(file=view.file, line=node.lineno, column=at + 1, end_line=node.lineno, end_column=at + 3, new_text="/"),)
                if at >= 0
                else ()
            )
            what = f"`{name}`" if name else "a share"
            yield view.finding(
                self.name, "truncated-division", node, f"`//` drops the fraction of {what}", title="Write `/`", edits=edits
            )


RULE = WholeNumberRatio()
