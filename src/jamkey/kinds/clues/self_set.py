"""A line that sets a name to itself: the object's own stays empty."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

_ITSELF = re.compile(r"^\s*(\w+)\s*=\s*(\w+)\s*;?\s*$")


class SelfSet:
    """`x = x` where `this.x = x` was meant."""

    kinds = frozenset(["missing-value", "unset-name", "bad-arithmetic", "index-out-of-range"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line, and what was meant."""
        for file, line, row, language in project_lines(scene):
            match = _ITSELF.match(row) if language else None
            if match is not None and match[1] == match[2]:
                found.root(file, line, f"`{match[1]}` is set to itself; the object's own stays empty", 0.92)
                at = row.index(match[1])
                edit = Edit(
                    file=file,
                    line=line,
                    column=at + 1,
                    end_line=line,
                    end_column=at + len(match[1]) + 1,
                    new_text=f"this.{match[1]}",
                )
                found.key(
                    "this", f"Set the object's own: `this.{match[1]} = {match[1]}`", "the parameter hides it", 0.93, [edit]
                )


CLUE = SelfSet()
