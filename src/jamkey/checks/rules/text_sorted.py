"""Numbers that are text are sorted letter by letter: 10 comes before 9."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, View, plain_call
from jamkey.model import Finding


class TextSorted:
    """See the module."""

    name = "text-sorted"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield sorting, greatest and least of a list of figures in quotes or of a split text of figures."""
        texts: set[str] = set()
        for node in view.of(ast.Assign):
            target, value = node.targets[0], node.value  # type: ignore[attr-defined]
            if isinstance(target, ast.Name) and self._figures(value):
                texts.add(target.id)
        functions = {f.name: f for f in view.of(*FUNCTIONS) if isinstance(f, FUNCTIONS)}
        for node in view.of(ast.Call):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in functions:
                params = [a.arg for a in functions[node.func.id].args.args]
                texts |= {
                    name
                    for name, given in zip(params, node.args, strict=False)
                    if isinstance(given, ast.Name) and given.id in texts
                }
        for node in view.of(ast.Call):
            call = plain_call(node, "sorted", "max", "min")
            held = call.args[0] if call is not None and len(call.args) == 1 and not call.keywords else None
            method = (
                isinstance(node, ast.Call)
                and isinstance(node.func, ast.Attribute)
                and node.func.attr == "sort"
                and not node.keywords
                and not node.args
            )
            if method:
                held = node.func.value  # type: ignore[attr-defined]
            if isinstance(held, ast.Name) and held.id in texts:
                new = f"{view.source(node)[:-1]}{'' if method else ', '}key=float)"
                yield view.finding(
                    self.name,
                    "wrong-type",
                    node,
                    f"`{held.id}` holds text: it is sorted letter by letter",
                    title="Compare them as numbers",
                    edits=(view.replace(node, new),),
                )

    def _figures(self, value: ast.AST) -> bool:
        if isinstance(value, ast.List) and value.elts:
            return all(
                isinstance(e, ast.Constant) and isinstance(e.value, str) and e.value.replace(".", "", 1).isdigit()
                for e in value.elts
            )
        if isinstance(value, ast.Call) and isinstance(value.func, ast.Attribute) and value.func.attr == "split":
            held = value.func.value
            return (
                isinstance(held, ast.Constant)
                and isinstance(held.value, str)
                and any(c.isdigit() for c in held.value)
                and not any(c.isalpha() for c in held.value)
            )
        return False


RULE = TextSorted()
