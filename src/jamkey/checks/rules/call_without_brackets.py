"""A function named and not called."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, View
from jamkey.model import Finding

_ACTIONS = set("close show sort reverse clear flush commit upper lower strip draw save start join run quit".split())


class CallWithoutBrackets:
    """See the module."""

    name = "call-without-brackets"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield statements that only name a function of the module or an action of an object."""
        own = {node.name for node in view.tree.body if isinstance(node, FUNCTIONS) and not node.decorator_list}
        for node in view.of(ast.Expr):
            value = node.value  # type: ignore[attr-defined]
            named = isinstance(value, ast.Name) and value.id in own
            action = isinstance(value, ast.Attribute) and value.attr in _ACTIONS
            if not (named or action) or any(isinstance(outer, (ast.Try, ast.With)) for outer in view.up(node)):
                continue
            text = view.source(value)
            yield view.finding(
                self.name,
                "unused-result",
                value,
                f"`{text}` is named here and not called",
                title=f"Call it: `{text}()`",
                edits=(view.replace(value, text + "()"),),
            )


RULE = CallWithoutBrackets()
