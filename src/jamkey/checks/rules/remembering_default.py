"""A list or dictionary as a default: it is made once, and remembers from call to call."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, View, walk
from jamkey.model import Edit, Finding

_CHANGES = set("append extend insert add update remove pop clear setdefault sort reverse discard popitem".split())


class RememberingDefault:
    """See the module."""

    name = "remembering-default"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield defaults that the function changes."""
        for function in view.of(*FUNCTIONS):
            args: ast.arguments = function.args  # type: ignore[attr-defined]
            plain = [*args.posonlyargs, *args.args]
            pairs = [
                *zip(plain[len(plain) - len(args.defaults) :], args.defaults, strict=True),
                *zip(args.kwonlyargs, args.kw_defaults, strict=True),
            ]
            for argument, default in pairs:
                fresh = isinstance(default, (ast.List, ast.Dict, ast.Set)) or (
                    isinstance(default, ast.Call)
                    and isinstance(default.func, ast.Name)
                    and default.func.id in ("list", "dict", "set")
                    and not default.args
                )
                if not fresh or argument.arg.startswith("_") or default is None or not _changed(function, argument.arg):
                    continue
                first = function.body[0]  # type: ignore[attr-defined]
                documented = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) and len(function.body) > 1  # type: ignore[attr-defined]
                start = function.body[1] if documented else first  # type: ignore[attr-defined]
                edits: tuple[Edit, ...] = ()
                if start.lineno > function.lineno:  # type: ignore[attr-defined]
                    indent = " " * start.col_offset
                    new = f"{indent}if {argument.arg} is None:\n{indent}    {argument.arg} = {view.source(default)}"
                    edits = (view.replace(default, "None"), view.insert(start.lineno, new))
                yield view.finding(
                    self.name,
                    "shared-default",
                    default,
                    f"the default of `{argument.arg}` is made once and keeps what every call adds",
                    title="Make it anew in each call",
                    edits=edits,
                )


def _changed(function: ast.AST, name: str) -> bool:
    for node in walk(function):
        if isinstance(node, ast.Name) and node.id == name and isinstance(node.ctx, ast.Store):
            return False
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and isinstance(node.func.value, ast.Name):
            if node.func.value.id == name and node.func.attr in _CHANGES:
                return True
        if isinstance(node, (ast.Assign, ast.AugAssign)):
            for target in node.targets if isinstance(node, ast.Assign) else [node.target]:
                if isinstance(target, ast.Subscript) and isinstance(target.value, ast.Name) and target.value.id == name:
                    return True
    return False


RULE = RememberingDefault()
