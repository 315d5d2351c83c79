"""Filtered rows keep their labels: added to others they are matched by label, and what has no partner becomes NaN."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, dotted
from jamkey.model import Finding


class RowsMatchedByLabel:
    """See the module."""

    name = "rows-matched-by-label"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield filters of a pandas column whose result is combined with another one's values."""
        if "pandas" not in view.text:
            return
        tables = {t.id for node in view.of(ast.Assign) for t in node.targets if isinstance(t, ast.Name) and _makes(node.value)}  # type: ignore[attr-defined]
        filtered: dict[str, ast.Assign] = {}
        for node in view.of(ast.Assign):
            target, value = node.targets[0], node.value  # type: ignore[attr-defined]
            if (
                isinstance(target, ast.Name)
                and isinstance(value, ast.Subscript)
                and isinstance(value.slice, (ast.Compare, ast.BinOp))
                and dotted(value.value) in tables
            ):
                filtered[target.id] = node  # type: ignore[assignment]
        for node in view.of(ast.BinOp):
            if not isinstance(node, ast.BinOp) or not isinstance(node.op, (ast.Add, ast.Sub, ast.Mult, ast.Div)):
                continue
            for one, other in ((node.left, node.right), (node.right, node.left)):
                if (
                    isinstance(one, ast.Name)
                    and one.id in filtered
                    and isinstance(other, ast.Name)
                    and other.id in (tables | set(filtered)) - {one.id}
                ):
                    value = filtered.pop(one.id).value
                    new = f"{view.source(value)}.reset_index(drop=True)"
                    yield view.finding(
                        self.name,
                        "spreading-missing-value",
                        value,
                        f"`{one.id}` keeps the labels of its rows: `{view.source(node)}` matches by them",
                        title="Number the rows anew",
                        edits=(view.replace(value, new),),
                    )
                    break


def _makes(node: ast.AST) -> bool:
    return isinstance(node, ast.Call) and dotted(node.func).startswith(("pd.Series", "pd.DataFrame", "pd.read_", "pandas."))


RULE = RowsMatchedByLabel()
