"""A call of one's own function with more or fewer arguments than it takes."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import FUNCTIONS, View
from jamkey.model import Finding


class ArgumentCounts:
    """See the module."""

    name = "argument-counts"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield calls of functions of the module's top whose counts cannot fit."""
        defined: dict[str, list[ast.FunctionDef]] = {}
        for node in view.tree.body:
            if isinstance(node, FUNCTIONS):
                defined.setdefault(node.name, []).append(node)  # type: ignore[arg-type]
        sets = {n.id for n in view.of(ast.Name) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
        for scope in view.scopes.every:
            for use in scope.uses:
                call = view.parents.get(use)
                functions = defined.get(use.id, ())
                if (
                    not isinstance(call, ast.Call)
                    or call.func is not use
                    or len(functions) != 1
                    or functions[0].decorator_list
                    or use.id in sets
                ):
                    continue
                if view.scopes.holder(use.id, scope) is not view.scopes.module:
                    continue
                reason = mismatch(functions[0].args, call)
                if reason and not any(isinstance(outer, (ast.Try, ast.With)) for outer in view.up(call)):
                    yield view.finding(self.name, "wrong-arguments", call, f"`{use.id}` {reason}")


def mismatch(wanted: ast.arguments, call: ast.Call, *, bound: int = 0) -> str:
    """Say how a call does not fit a function's parameters; empty when it does or cannot be told.

    Args:
        wanted: the parameters.
        call: the call.
        bound: parameters that are filled already, such as `self`.
    """
    if any(isinstance(a, ast.Starred) for a in call.args) or any(k.arg is None for k in call.keywords):
        return ""
    positional = [a.arg for a in (*wanted.posonlyargs, *wanted.args)][bound:]
    given = len(call.args)
    if given > len(positional) and wanted.vararg is None:
        return f"takes {_count(len(positional))} and is given {given}"
    keywords = {k.arg for k in call.keywords}
    known = set(positional) | {a.arg for a in wanted.kwonlyargs}
    strange = sorted(name for name in keywords if name not in known and name)
    if strange and wanted.kwarg is None:
        return f"has no parameter `{strange[0]}`"
    needed = positional[: len(positional) - len(wanted.defaults)] if wanted.defaults else positional
    absent = [name for name in needed[given:] if name not in keywords]
    absent += [
        a.arg
        for a, default in zip(wanted.kwonlyargs, wanted.kw_defaults, strict=True)
        if default is None and a.arg not in keywords
    ]
    return f"is not given `{'`, `'.join(absent)}`" if absent else ""


def _count(number: int) -> str:
    return "no argument" if number == 0 else f"{number} argument{'s' if number > 1 else ''}"


RULE = ArgumentCounts()
