"""A member of a standard module that the module does not have, and has nearly so."""

from __future__ import annotations

import ast
import importlib
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.model import Finding

#: Modules whose import does nothing but define.
_MODULES = frozenset(
    """
    math os random json re string time datetime itertools collections statistics functools csv pathlib sys shutil copy
    operator textwrap fractions decimal glob heapq bisect calendar
""".split()
)


class LibraryMembers:
    """See the module."""

    name = "library-members"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield `module.member` and `from module import member` where a near name exists and this one does not."""
        known: dict[str, str] = {}
        for node in view.of(ast.Import):
            for alias in node.names:  # type: ignore[attr-defined]
                if alias.name in _MODULES and (alias.asname or "." not in alias.name):
                    known[alias.asname or alias.name] = alias.name
        bound = view.scopes.module.bound
        for node in view.of(ast.Attribute):
            if (
                isinstance(node, ast.Attribute)
                and isinstance(node.value, ast.Name)
                and node.value.id in known
                and isinstance(node.ctx, ast.Load)
            ):
                if isinstance(bound.get(node.value.id), ast.Import) and not _cautious(view, node):
                    yield from self._member(view, node, known[node.value.id], node.attr)
        for node in view.of(ast.ImportFrom):
            if isinstance(node, ast.ImportFrom) and node.module in _MODULES and not node.level and not _cautious(view, node):
                for alias in node.names:
                    if alias.name != "*":
                        yield from self._member(view, alias, node.module, alias.name)

    def _member(self, view: View, node: ast.AST, module: str, member: str) -> Iterator[Finding]:
        there = dir(importlib.import_module(module))
        if member in there or member.startswith("_"):
            return
        from jamkey.follow.similar import nearest

        alike = nearest(member, [name for name in there if not name.startswith("_")], most=1, least=0.75)
        if not alike:
            return
        new = alike[0][0]
        edit = view.replace(
            node, f"{node.value.id}.{new}" if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) else new
        )
        yield view.finding(
            self.name,
            "no-such-member",
            node,
            f"`{module}` has no `{member}`; it has `{new}`",
            title=f"Write `{new}`",
            edits=(edit,),
        )


def _cautious(view: View, node: ast.AST) -> bool:
    """Tell a use that is prepared for the member's absence."""
    for outer in view.up(node):
        if isinstance(outer, ast.Try):
            return True
        if isinstance(outer, ast.If):
            tested = ast.unparse(outer.test)
            if any(word in tested for word in ("version", "hasattr", "platform", "os.name", "sys.")):
                return True
    return False


RULE = LibraryMembers()
