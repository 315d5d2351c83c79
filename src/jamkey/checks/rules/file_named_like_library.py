"""A script that bears the name of a library it, or a script beside it, imports."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.model import Finding

_LIBRARIES = set("numpy pandas matplotlib scipy seaborn sklearn requests openpyxl torch networkx sympy plotly".split())


class FileNamedLikeLibrary:
    """See the module."""

    name = "file-named-like-library"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield imports of a library for which a script of that name lies beside."""
        if view.folder is None or (view.folder / "__init__.py").exists():
            return
        for node in view.of(ast.Import, ast.ImportFrom):
            if getattr(node, "level", 0):
                continue
            names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else [node.module or ""]  # type: ignore[attr-defined]
            for name in {full.split(".")[0] for full in names}:
                if (
                    (name in sys.stdlib_module_names or name in _LIBRARIES)
                    and (view.folder / f"{name}.py").is_file()
                    and view.folder.name != "site-packages"
                ):
                    if (view.folder / "os.py").exists():
                        return  # the standard library itself
                    yield view.finding(
                        self.name,
                        "no-such-module",
                        node,
                        f"`{name}.py` beside this file is imported instead of the library `{name}`",
                    )


RULE = FileNamedLikeLibrary()
