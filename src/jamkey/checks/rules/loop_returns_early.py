"""A loop that collects, and returns in its first round."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, dotted, walk
from jamkey.model import Edit, Finding


class LoopReturnsEarly:
    """See the module."""

    name = "loop-returns-early"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield returns at the end of a loop's body that give back what the body has just added to."""
        for loop in view.of(ast.For, ast.While):
            body = loop.body  # type: ignore[attr-defined]
            last = body[-1]
            if not isinstance(last, ast.Return) or last.value is None or len(body) < 2 or loop.orelse:  # type: ignore[attr-defined]
                continue
            gathered = {dotted(s.target) for s in walk(loop) if isinstance(s, ast.AugAssign)}
            gathered |= {
                dotted(c.func.value)
                for c in walk(loop)
                if isinstance(c, ast.Call)
                and isinstance(c.func, ast.Attribute)
                and c.func.attr in ("append", "add", "extend", "update", "insert")
            }
            used = {dotted(n) for n in walk(last.value) if isinstance(n, (ast.Name, ast.Attribute))}
            if (gathered - {""}) & used and not any(isinstance(n, ast.Continue) for n in walk(loop)):
                indent = " " * loop.col_offset  # type: ignore[attr-defined]
                row = view.lines[last.lineno - 1]
                edit = Edit(
                    file=view.file,
                    line=last.lineno,
                    column=1,
                    end_line=last.lineno,
                    end_column=len(row) - len(row.lstrip()) + 1,
                    new_text=indent,
                )
                yield view.finding(
                    self.name,
                    "early-return",
                    last,
                    "this returns in the loop's first round, before the rest is added",
                    title="Return behind the loop",
                    edits=(edit,),
                )


RULE = LoopReturnsEarly()
