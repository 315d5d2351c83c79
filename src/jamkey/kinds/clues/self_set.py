"""A line that sets a name to itself, and a class table that its objects never ask: values that go nowhere."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, insert_line
from jamkey.kinds.clues.words import project_lines
from jamkey.model import Edit

_ITSELF = re.compile(r"^\s*(\w+)\s*=\s*(\w+)\s*;?\s*$")
_CLASS = re.compile(r"\bsetmetatable\s*\([^)]*,\s*(\w+)\s*\)")


class SelfSet:
    """`x = x`, and Lua classes without `__index`."""

    kinds = frozenset(["missing-value", "unset-name", "bad-arithmetic", "index-out-of-range"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line, and what was meant."""
        rows = list(project_lines(scene))
        for file, line, row, language in rows:
            match = _ITSELF.match(row) if language else None
            if match is not None and match[1] == match[2]:
                found.root(file, line, f"`{match[1]}` is set to itself; the object's own stays empty", 0.92)
                at = row.index(match[1])
                edit = Edit(file=file, line=line, column=at + 1, end_line=line, end_column=at + len(match[1]) + 1, new_text=f"this.{match[1]}")
                found.key("this", f"Set the object's own: `this.{match[1]} = {match[1]}`", "the parameter hides it", 0.93, [edit])
            for made in _CLASS.finditer(row) if scene.jam.runtime == "lua" else ():
                name = made[1]
                if any(re.search(rf"\b{re.escape(name)}\.__index\b|__index\s*=\s*{re.escape(name)}", other) for _, _, other, _ in rows):
                    continue
                for where, at, other, _ in rows:
                    if re.match(rf"\s*(?:local\s+)?{re.escape(name)}\s*=\s*\{{", other):
                        found.root(where, at + 1, f"`{name}` has no `__index`: its objects do not find its functions", 0.92)
                        found.key("index", f"Let the objects look there: `{name}.__index = {name}`", "they are asked for its functions", 0.94,
                                  [insert_line(where, at + 1, f"{name}.__index = {name}")])  # fmt: skip
                        break


CLUE = SelfSet()
