"""A loop inside a `try` that says nothing: the first bad row ends it in silence."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.check.base import View
from jamkey.model import Finding


class HiddenError:
    """See the module."""

    name = "hidden-error"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield a `try` around a whole loop whose handler only passes, returns or breaks."""
        for node in view.of(ast.Try):
            body = node.body  # type: ignore[attr-defined]
            loops = [s for s in body if isinstance(s, (ast.For, ast.While))]
            for handler in node.handlers:  # type: ignore[attr-defined]
                caught = {n.id for n in ast.walk(handler.type) if isinstance(n, ast.Name)} if handler.type is not None else {"Exception"}
                silent = all(isinstance(s, (ast.Pass, ast.Break)) for s in handler.body)
                converts = any(isinstance(n, ast.Call) and isinstance(n.func, ast.Name) and n.func.id in ("int", "float") for loop in loops for n in ast.walk(loop))
                if loops and silent and converts and caught & {"ValueError", "Exception", "TypeError", "KeyError", "IndexError", "BaseException"}:
                    yield view.finding(self.name, "unreadable-value", handler, "the first bad row ends the whole loop here, and nothing is said")


RULE = HiddenError()
