"""A loop over places that goes one too far."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, plain_call, walk
from jamkey.model import Finding


class RangeOffByOne:
    """See the module."""

    name = "range-off-by-one"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield `range(len(x) + 1)` with `x[i]`, and `range(len(x))` with `x[i + 1]`, in the loop's body."""
        for loop in view.of(ast.For):
            call = plain_call(loop.iter, "range")  # type: ignore[attr-defined]
            target = loop.target  # type: ignore[attr-defined]
            if call is None or not isinstance(target, ast.Name) or not call.args or len(call.args) > 2:
                continue
            stop = call.args[-1]
            more = (
                isinstance(stop, ast.BinOp)
                and isinstance(stop.op, ast.Add)
                and isinstance(stop.right, ast.Constant)
                and stop.right.value == 1
            )
            size = stop.left if more and isinstance(stop, ast.BinOp) else stop
            sized = plain_call(size, "len")
            if sized is None or not isinstance(sized.args[0], ast.Name):
                continue
            held = sized.args[0].id
            for node in (n for statement in loop.body for n in walk(statement)):  # type: ignore[attr-defined]
                if not isinstance(node, ast.Subscript) or not isinstance(node.value, ast.Name) or node.value.id != held:
                    continue
                if more and isinstance(node.slice, ast.Name) and node.slice.id == target.id:
                    if not self._guarded(view, node, loop):
                        yield view.finding(
                            self.name,
                            "index-out-of-range",
                            stop,
                            f"the last round asks for a place behind the end of `{held}`",
                            title=f"Write `range({view.source(size)})`",
                            edits=(view.replace(stop, view.source(size)),),
                        )
                    break
                if not more and _one_ahead(node.slice, target.id) and not self._guarded(view, node, loop):
                    yield view.finding(
                        self.name,
                        "index-out-of-range",
                        node,
                        f"in the last round `{view.source(node)}` is behind the end",
                        title="End the loop one earlier",
                        edits=(view.replace(stop, f"{view.source(stop)} - 1"),),
                    )
                    break

    def _guarded(self, view: View, node: ast.AST, loop: ast.AST) -> bool:
        for outer in view.up(node):
            if outer is loop:
                break
            if isinstance(outer, (ast.If, ast.IfExp, ast.BoolOp, ast.Try, ast.While)):
                return True
        return any(isinstance(n, (ast.Break, ast.Continue)) for n in walk(loop))


def _one_ahead(index: ast.AST, name: str) -> bool:
    return (
        isinstance(index, ast.BinOp)
        and isinstance(index.op, ast.Add)
        and isinstance(index.left, ast.Name)
        and index.left.id == name
        and isinstance(index.right, ast.Constant)
        and isinstance(index.right.value, int)
        and index.right.value >= 1
    )


RULE = RangeOffByOne()
