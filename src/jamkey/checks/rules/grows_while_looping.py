"""A loop over a list that the body makes longer, or a container that it makes shorter."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, dotted, walk
from jamkey.model import Finding


class GrowsWhileLooping:
    """See the module."""

    name = "grows-while-looping"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield changes of what a `for` goes through, where the loop goes on."""
        for loop in view.of(ast.For):
            held = dotted(loop.iter)  # type: ignore[attr-defined]
            if not held:
                continue
            if any(isinstance(n, (ast.Break, ast.Return, ast.Raise)) for n in walk(loop)):
                continue
            for node in walk(loop):
                if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and dotted(node.func.value) == held:
                    if node.func.attr in ("append", "insert", "extend", "remove"):
                        grows = node.func.attr != "remove"
                        kind, told = (
                            ("endless", "the loop never ends")
                            if grows and not self._under_if(view, node, loop)
                            else ("wrong-order", "items are skipped")
                        )
                        if grows and kind != "endless":
                            continue  # a work list that runs dry
                        new = f"list({held})"
                        yield view.finding(
                            self.name,
                            kind,
                            loop.iter,  # type: ignore[attr-defined]
                            f"`{view.source(node)}` changes what the loop goes through: {told}",
                            title=f"Go through a copy: `{new}`",
                            edits=(view.replace(loop.iter, new),),  # type: ignore[attr-defined]
                        )
                        break

    def _under_if(self, view: View, node: ast.AST, loop: ast.AST) -> bool:
        for outer in view.up(node):
            if outer is loop:
                return False
            if isinstance(outer, (ast.If, ast.For, ast.While, ast.Try)):
                return True
        return False


RULE = GrowsWhileLooping()
