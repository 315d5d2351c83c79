"""`+` between texts or lists where numbers are meant: it joins."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator

from jamkey.checks.base import View, plain_call
from jamkey.model import Finding

_SUM = re.compile(r"(?:^|_)(?:sum|total|added|both|gain|count|amount|weight|kilos|score|points|result)(?:_|$|s$)")


class JoinedNotAdded:
    """See the module."""

    name = "joined-not-added"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield sums of two typed-in texts, and of two lists of numbers that are called a sum."""
        typed: dict[str, list[ast.AST]] = {}
        lists: dict[str, ast.AST] = {}
        for node in view.of(ast.Assign):
            for target in node.targets:  # type: ignore[attr-defined]
                if isinstance(target, ast.Name):
                    typed.setdefault(target.id, []).append(node.value)  # type: ignore[attr-defined]
                    if isinstance(node.value, ast.List) and node.value.elts and all(_number(e) for e in node.value.elts):  # type: ignore[attr-defined]
                        lists[target.id] = node.value  # type: ignore[attr-defined]
        asked = {name for name, values in typed.items() if all(plain_call(value, "input", "raw_input") for value in values)}
        for node in view.of(ast.BinOp):
            if (
                not isinstance(node, ast.BinOp)
                or not isinstance(node.op, ast.Add)
                or not isinstance(node.left, ast.Name)
                or not isinstance(node.right, ast.Name)
            ):
                continue
            left, right = node.left.id, node.right.id
            if left in asked and right in asked:
                edits = (view.replace(node.left, f"float({left})"), view.replace(node.right, f"float({right})"))
                yield view.finding(
                    self.name,
                    "joined-not-added",
                    node,
                    f"`{left}` and `{right}` are typed-in text: `+` joins them",
                    title="Turn both into numbers",
                    edits=edits,
                )
            elif left in lists and right in lists:
                parent = view.parents.get(node)
                name = (
                    parent.targets[0].id if isinstance(parent, ast.Assign) and isinstance(parent.targets[0], ast.Name) else ""
                )
                if _SUM.search(name.lower()):
                    new = f"[a + b for a, b in zip({left}, {right})]"
                    yield view.finding(
                        self.name,
                        "joined-not-added",
                        node,
                        f"`+` joins the lists `{left}` and `{right}`; it adds no numbers",
                        title=f"Add item by item: `{new}`",
                        edits=(view.replace(node, new),),
                    )


def _number(node: ast.AST) -> bool:
    if isinstance(node, ast.UnaryOp):
        node = node.operand
    return isinstance(node, ast.Constant) and isinstance(node.value, (int, float)) and not isinstance(node.value, bool)


RULE = JoinedNotAdded()
