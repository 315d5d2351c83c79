"""A method that gives a new value and changes nothing, and nobody keeps the value."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, dotted
from jamkey.model import Finding

_TEXT = set("upper lower title capitalize strip lstrip rstrip swapcase casefold zfill ljust rjust".split())
_TABLE = set(
    "dropna fillna drop rename sort_values reset_index set_index astype drop_duplicates replace sort_index assign".split()
)


class DroppedResult:
    """See the module."""

    name = "dropped-result"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield statements that are only such a call."""
        assigned = [
            (target.id, node.value)  # type: ignore[attr-defined]
            for node in view.of(ast.Assign)
            for target in node.targets  # type: ignore[attr-defined]
            if isinstance(target, ast.Name)
        ]
        tables = {name for name, value in assigned if _makes_table(value)}
        texts = {name for name, value in assigned if _is_text(value)}
        for node in view.of(ast.Expr):
            call = node.value  # type: ignore[attr-defined]
            if not isinstance(call, ast.Call) or any(isinstance(outer, (ast.With, ast.Try)) for outer in view.up(node)):
                continue
            if (
                isinstance(call.func, ast.Name)
                and call.func.id == "sorted"
                and call.args
                and "sorted" not in view.scopes.module.bound
            ):
                held, name = view.source(call.args[0]), "sorted"
            elif isinstance(call.func, ast.Attribute):
                held, name = dotted(call.func.value), call.func.attr
                inplace = any(k.arg == "inplace" for k in call.keywords)
                text = name in _TEXT and (held in texts or (not call.args and not call.keywords and name not in ("title",)))
                text = text or (name == "replace" and held in texts and len(call.args) >= 2)
                if not held or inplace or not (text or (name in _TABLE and held in tables)):
                    continue
            else:
                continue
            keeps = f"{held} = {view.source(call)}"
            yield view.finding(
                self.name,
                "unused-result",
                call,
                f"`{name}` gives a new value and leaves `{held}` as it is",
                title=f"Keep it: `{keeps}`",
                edits=(view.replace(call, keeps),),
            )


def _makes_table(node: ast.AST) -> bool:
    return isinstance(node, ast.Call) and dotted(node.func).startswith(
        ("pd.read_", "pandas.read_", "pd.DataFrame", "pandas.DataFrame", "pd.Series")
    )


def _is_text(node: ast.AST) -> bool:
    return (
        (isinstance(node, ast.Constant) and isinstance(node.value, str))
        or isinstance(node, ast.JoinedStr)
        or (isinstance(node, ast.Call) and dotted(node.func) in ("input", "str"))
    )


RULE = DroppedResult()
