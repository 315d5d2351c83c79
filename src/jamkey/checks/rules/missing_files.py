"""A file that the source opens to read, that is not there, while one of nearly that name is."""

from __future__ import annotations

import ast
import os
from collections.abc import Iterator
from pathlib import Path

from jamkey.checks.base import View, dotted
from jamkey.model import Finding

_READERS = {"open", "read_csv", "read_excel", "read_json", "read_table", "loadtxt", "genfromtxt", "load_workbook", "Path"}


class MissingFiles:
    """See the module."""

    name = "missing-files"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield such names."""
        if view.folder is None:
            return
        for node in view.of(ast.Call):
            if not isinstance(node, ast.Call) or dotted(node.func).rpartition(".")[2] not in _READERS or not node.args:
                continue
            first = node.args[0]
            if not isinstance(first, ast.Constant) or not isinstance(first.value, str) or not os.path.splitext(first.value)[1]:
                continue
            mode = node.args[1] if len(node.args) > 1 else next((k.value for k in node.keywords if k.arg == "mode"), None)
            if (
                isinstance(mode, ast.Constant) and isinstance(mode.value, str) and set(mode.value) & set("wax+")
            ) or os.path.isabs(first.value):
                continue
            path = view.folder / first.value
            if (
                "://" in first.value
                or path.exists()
                or os.path.exists(first.value)
                or any(isinstance(outer, ast.Try) for outer in view.up(node))
            ):
                continue
            near = _near(path)
            if near is not None:
                new = os.path.relpath(near, view.folder).replace(os.sep, "/")
                quote = view.source(first)[:1]
                yield view.finding(
                    self.name,
                    "file-access",
                    first,
                    f"there is no {first.value} here; there is {new}",
                    title=f"Open `{new}`",
                    edits=(view.replace(first, f"{quote}{new}{quote}"),) if quote in "\"'" else (),
                )


def _near(path: Path) -> Path | None:
    from jamkey.follow.similar import similarity

    folders = [path.parent] if path.parent.is_dir() else []
    beside = path.parent if path.parent.is_dir() else path.parent.parent
    if beside.is_dir():
        folders += [entry for entry in sorted(beside.iterdir()) if entry.is_dir() and not entry.name.startswith(".")][:20]
    for folder in folders:
        same = folder / path.name
        if same.is_file():
            return same
    for folder in folders:
        for entry in sorted(folder.iterdir())[:500]:
            if entry.is_file() and entry.suffix.lower() == path.suffix.lower() and similarity(entry.stem, path.stem) >= 0.75:
                return entry
    return None


RULE = MissingFiles()
