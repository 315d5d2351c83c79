"""A loop inside a `try` that says nothing: the first bad row ends it in silence."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, walk
from jamkey.model import Edit, Finding


class HiddenError:
    """See the module."""

    name = "hidden-error"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield a `try` around a whole loop whose handler only passes, returns or breaks."""
        for node in view.of(ast.Try):
            body = node.body  # type: ignore[attr-defined]
            loops = [s for s in body if isinstance(s, (ast.For, ast.While))]
            for handler in node.handlers:  # type: ignore[attr-defined]
                caught = (
                    {n.id for n in walk(handler.type) if isinstance(n, ast.Name)} if handler.type is not None else {"Exception"}
                )
                silent = all(isinstance(s, (ast.Pass, ast.Break)) for s in handler.body)
                converts = any(
                    isinstance(n, ast.Call) and isinstance(n.func, ast.Name) and n.func.id in ("int", "float")
                    for loop in loops
                    for n in walk(loop)
                )
                if (
                    loops
                    and silent
                    and converts
                    and caught & {"ValueError", "Exception", "TypeError", "KeyError", "IndexError", "BaseException"}
                ):
                    yield view.finding(
                        self.name,
                        "unreadable-value",
                        node,
                        f"the first bad row ends the whole loop, and line {handler.lineno} says nothing",
                        **_mend(view, node, loops[0], handler),
                    )


def _mend(view: View, node: ast.AST, loop: ast.AST, handler: ast.ExceptHandler) -> dict:  # type: ignore[type-arg]
    """Put the `try` inside the loop: a bad row is skipped, the rest goes on."""
    if len(node.body) != 1 or len(node.handlers) != 1 or node.orelse or node.finalbody:  # type: ignore[attr-defined]
        return {}
    rows = view.lines[loop.lineno - 1 : loop.end_lineno]  # type: ignore[attr-defined]
    indent = " " * node.col_offset  # type: ignore[attr-defined]
    step = " " * (loop.col_offset - node.col_offset)  # type: ignore[attr-defined]
    caught = view.lines[handler.lineno - 1].strip()
    text = (
        "\n".join(
            [
                indent + rows[0].strip(),
                f"{indent}{step}try:",
                *rows[1:],
                f"{indent}{step}{caught}",
                f"{indent}{step}{step}continue",
            ]
        )
        + "\n"
    )
    edit = Edit(file=view.file, line=node.lineno, column=1, end_line=(node.end_lineno or 0) + 1, end_column=1, new_text=text)  # type: ignore[attr-defined]
    return {"title": "Try each row by itself", "edits": (edit,)}


RULE = HiddenError()
