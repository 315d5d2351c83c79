"""A column that the table beside the source does not have."""

from __future__ import annotations

import ast
import csv
from collections.abc import Iterator

from jamkey.checks.base import View, dotted, walk
from jamkey.model import Finding

_CHANGES = ("rename", "columns", "merge", "join", "assign", "concat", "pivot", "melt", "set_axis", "names", "header")


class MissingColumns:
    """See the module."""

    name = "missing-columns"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield `df["name"]` and `row["name"]` that are no heading of the csv file that was read."""
        if view.folder is None or not view.nodes.get(ast.Subscript):
            return
        headings: dict[str, list[str]] = {}
        for node in view.of(ast.Assign):
            target = node.targets[0]  # type: ignore[attr-defined]
            if isinstance(target, ast.Name):
                found = self._headings(view, node.value)  # type: ignore[attr-defined]
                if found:
                    headings[target.id] = found
        readers = dict(headings)
        for loop in view.of(ast.For):
            over = loop.iter  # type: ignore[attr-defined]
            found = self._headings(view, over) or (readers.get(over.id, []) if isinstance(over, ast.Name) else [])
            if found and isinstance(loop.target, ast.Name):  # type: ignore[attr-defined]
                headings[loop.target.id] = found  # type: ignore[attr-defined]
        if not headings:
            return
        made = {
            n.slice.value
            for n in view.of(ast.Subscript)
            if isinstance(n, ast.Subscript) and isinstance(n.ctx, ast.Store) and isinstance(n.slice, ast.Constant)
        }
        for node in view.of(ast.Subscript):
            if (
                not isinstance(node, ast.Subscript)
                or not isinstance(node.ctx, ast.Load)
                or not isinstance(node.value, ast.Name)
            ):
                continue
            known = headings.get(node.value.id)
            if known is None or not isinstance(node.slice, ast.Constant) or not isinstance(node.slice.value, str):
                continue
            name = node.slice.value
            if (
                name in known
                or name in made
                or any(f"{node.value.id}.{word}" in view.text or f"{word}=" in view.text for word in _CHANGES)
            ):
                continue
            from jamkey.follow.similar import nearest

            alike = nearest(name, known, most=1, least=0.5)
            quote = view.source(node.slice)[:1]
            edits = (view.replace(node.slice, f"{quote}{alike[0][0]}{quote}"),) if alike and quote in "\"'" else ()
            yield view.finding(
                self.name,
                "no-such-key",
                node,
                f"the table has no column `{name}`; it has {', '.join(known[:8])}",
                title=f"Ask for `{alike[0][0]}`" if edits else "",
                edits=edits,
            )

    def _headings(self, view: View, node: ast.AST) -> list[str]:
        if not isinstance(node, ast.Call):
            return []
        name = dotted(node.func).rpartition(".")[2]
        path = next(
            (
                n.value
                for n in walk(node)
                if isinstance(n, ast.Constant) and isinstance(n.value, str) and n.value.endswith(".csv")
            ),
            None,
        )
        if name == "DictReader" and path is None and node.args and isinstance(node.args[0], ast.Name):
            path = self._opened(view, node.args[0].id)
        if name not in ("read_csv", "DictReader") or path is None or view.folder is None:
            return []
        if name == "read_csv" and len(node.keywords) > 0:
            return []  # told how to read: the first line need not be the headings
        try:
            with open(view.folder / path, encoding="utf-8-sig", newline="") as handle:
                return next(csv.reader(handle), [])
        except (OSError, UnicodeDecodeError, csv.Error):
            return []

    def _opened(self, view: View, name: str) -> str | None:
        for node in view.of(ast.With):
            for item in node.items:  # type: ignore[attr-defined]
                call = item.context_expr
                if (
                    isinstance(item.optional_vars, ast.Name)
                    and item.optional_vars.id == name
                    and isinstance(call, ast.Call)
                    and call.args
                ):
                    first = call.args[0]
                    return first.value if isinstance(first, ast.Constant) and isinstance(first.value, str) else None
        return None


RULE = MissingColumns()
