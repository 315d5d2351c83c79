"""Whether control can come behind a statement of a tree: what returns, raises, or loops without end on every way does not."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from jamkey.languages.tree_parts import Meaning

#: Conditions that always hold, and what leaves a loop.
_ALWAYS = frozenset({"true", "1", "(true)", "(1)"})
_LEAVES = re.compile(r"\bbreak\b")
_FOR_ALL = re.compile(r"\bdefault\b")
_BARE = re.compile(r"for\s*\(\s*;\s*;")
_ELSE = frozenset({"else_clause", "else_statement"})
_ELSE_IF = frozenset({"elseif_clause", "elseif_statement"})
_HANDLERS = frozenset({"catch_clause", "catch_block"})
#: Levels that are looked into.
_DEEPEST = 60


class Ends:
    """Asks the nodes of one source.

    Args:
        means: what the nodes of all grammars mean.
        below: gives the nodes below one.
        text: gives a node's source.
        raises: beginnings of statements that raise.
    """

    def __init__(
        self, means: Meaning, below: Callable[[Any], list[Any]], text: Callable[[Any], str], raises: tuple[str, ...]
    ) -> None:
        self._means = means
        self._below = below
        self._text = text
        self._raises = raises

    def leave(self, node: Any, depth: int = 0) -> bool:
        """Tell a statement, or a block, behind which control never comes."""
        sort = self._means.statements.get(node.type, "")
        if depth > _DEEPEST:
            return True
        if node.type.startswith("switch"):
            # one case at least is met where one is for all the others, or the language sees to it
            every = self._text(node)
            return "switch_entry" in {child.type for child in self._below(node)} or (
                _FOR_ALL.search(every) is not None and _LEAVES.search(every) is None
            )
        if sort in ("return", "raise"):
            return self._text(node).startswith(("return", "throw"))
        if node.type in _ELSE_IF:
            return self._branches_leave(node, depth)
        if sort == "if":
            return self._has_else(node) and self._branches_leave(node, depth)
        if sort in ("while", "for"):
            condition = node.child_by_field_name("condition")
            bare = _BARE.match(self._text(node)) is not None if sort == "for" else condition is None
            endless = bare or (condition is not None and self._text(condition) in _ALWAYS)
            return endless and _LEAVES.search(self._text(node)) is None
        if sort == "try":
            return self._tries(node, depth)
        if node.type in self._means.blocks:
            own = self._below(node)
            return bool(own) and self.leave(own[-1], depth + 1)
        return sort == "expr" and bool(self._raises) and self._text(node).startswith(self._raises)

    def _has_else(self, node: Any) -> bool:
        return any(child.type in _ELSE or child.type == "else" for child in node.children)

    def _branches_leave(self, node: Any, depth: int) -> bool:
        condition = node.child_by_field_name("condition")
        own = [child for child in self._below(node) if condition is None or child.id != condition.id]
        branches = [child for child in own if child.type in self._means.blocks or child.type in self._means.statements]
        # a condition that is a call stands where a statement may
        branches = [
            child for child in branches if child.type in self._means.blocks or self._sort(child) != "expr" or child is own[-1]
        ]
        return bool(branches) and all(self.leave(child, depth + 1) for child in branches)

    def _sort(self, node: Any) -> str:
        return self._means.statements.get(node.type, "")

    def _tries(self, node: Any, depth: int) -> bool:
        own = [child for child in self._below(node) if child.type in self._means.blocks]
        last = [child for child in own if child.type == "finally_clause"]
        if any(self.leave(child, depth + 1) for child in last):
            return True
        main = [child for child in own if child.type not in _HANDLERS and child.type != "finally_clause"]
        handlers = [child for child in own if child.type in _HANDLERS]
        return all(self.leave(child, depth + 1) for child in (*main, *handlers)) and bool(main)
