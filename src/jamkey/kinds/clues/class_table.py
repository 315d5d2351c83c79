"""A Lua class table that its objects never ask: without `__index` they do not find its functions."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, insert_line
from jamkey.kinds.clues.project_words import project_lines

_CLASS = re.compile(r"\bsetmetatable\s*\([^)]*,\s*(\w+)\s*\)")


class ClassTable:
    """Tables that are set as another's metatable."""

    kinds = frozenset(["missing-value", "unset-name", "bad-arithmetic", "index-out-of-range"])
    runtimes = frozenset(["lua"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line that lets objects look in their class."""
        rows = list(project_lines(scene))
        for _, _, row, _ in rows:
            for made in _CLASS.finditer(row):
                name = made[1]
                if any(
                    re.search(rf"\b{re.escape(name)}\.__index\b|__index\s*=\s*{re.escape(name)}", other)
                    for _, _, other, _ in rows
                ):
                    continue
                for where, at, other, _ in rows:
                    if re.match(rf"\s*(?:local\s+)?{re.escape(name)}\s*=\s*\{{", other):
                        found.root(where, at + 1, f"`{name}` has no `__index`: its objects do not find its functions", 0.92)
                        found.key(
                            "index",
                            f"Let the objects look there: `{name}.__index = {name}`",
                            "they are asked for its functions",
                            0.94,
                            [insert_line(where, at + 1, f"{name}.__index = {name}")],
                        )
                        break


CLUE = ClassTable()
