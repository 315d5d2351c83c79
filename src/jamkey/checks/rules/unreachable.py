"""Lines behind a return, raise, break or continue."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, walk
from jamkey.model import Finding

_LEAVES = (ast.Return, ast.Raise, ast.Break, ast.Continue)


class Unreachable:
    """See the module."""

    name = "unreachable"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield the first statement behind one that leaves the block."""
        for leaving in view.of(*_LEAVES):
            parent = view.parents.get(leaving)
            for part in ("body", "orelse", "finalbody"):
                block = getattr(parent, part, None)
                if not isinstance(block, list) or leaving not in block:
                    continue
                at = block.index(leaving) + 1
                if at >= len(block):
                    continue
                after = block[at]
                makes_generator = any(isinstance(n, (ast.Yield, ast.YieldFrom)) for n in walk(after))
                text_only = isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant)
                if not makes_generator and not text_only and not isinstance(after, (ast.FunctionDef, ast.ClassDef)):
                    word = type(leaving).__name__.lower()
                    line = leaving.lineno  # type: ignore[attr-defined]
                    reason = f"the `{word}` on line {line} comes before: this never runs"
                    yield view.finding(self.name, "early-return", after, reason)


RULE = Unreachable()
