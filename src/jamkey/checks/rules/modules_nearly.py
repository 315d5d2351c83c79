"""An import of a module that is not there, and of which one is nearly there."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.model import Edit, Finding

_LIBRARIES = frozenset(
    "numpy pandas matplotlib scipy seaborn sklearn requests openpyxl torch networkx sympy plotly statsmodels".split()
)


class ModulesNearly:
    """See the module."""

    name = "modules-nearly"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield imports whose first part is no standard module, well-known library or file beside, and nearly one."""
        from jamkey.follow.similar import nearest

        beside = (
            {entry.stem for entry in view.folder.iterdir() if entry.suffix == ".py" or entry.is_dir()}
            if view.folder is not None
            else set()
        )
        known = set(sys.stdlib_module_names) | _LIBRARIES | beside
        for node in view.of(ast.Import, ast.ImportFrom):
            line: int = node.lineno  # type: ignore[attr-defined]
            if getattr(node, "level", 0) or any(isinstance(outer, (ast.Try, ast.If)) for outer in view.up(node)):
                continue
            names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else [node.module or ""]  # type: ignore[attr-defined]
            for name in names:
                first = name.split(".")[0]
                if not first or first in known or len(first) < 5 or _installed(first):
                    continue
                alike = nearest(first, known, most=1, least=0.9)
                if not alike or alike[0][0].strip("_") == first.strip("_") or view.function_of(node) is not None:
                    continue
                row = view.lines[line - 1]
                at = row.find(first)
                edits = (
                    (
                        Edit(
                            file=view.file,
                            line=line,
                            column=at + 1,
                            end_line=line,
                            end_column=at + 1 + len(first),
                            new_text=alike[0][0],
                        ),
                    )
                    if at >= 0
                    else ()
                )
                yield view.finding(
                    self.name,
                    "no-such-module",
                    node,
                    f"there is no module `{first}`; there is `{alike[0][0]}`",
                    title=f"Import `{alike[0][0]}`",
                    edits=edits,
                )


def _installed(name: str) -> bool:
    import importlib.util

    try:
        return importlib.util.find_spec(name) is not None
    except (ImportError, ValueError):
        return True


RULE = ModulesNearly()
