"""The program's own check failed: where the checked value is computed, a term twice or a condition that adds nothing."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.words import project_lines
from jamkey.model import Edit

_TERMS = re.compile(r"=\s*([^=;]+?)\s*;?\s*$|<-\s*([^;]+?)\s*;?\s*$|^\s*return\s+([^;]+?)\s*;?\s*$")


class OwnCheck:
    """Sums with a term that stands twice."""

    kinds = frozenset(["raised-on-purpose", "bad-arithmetic", "index-out-of-range"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the sum without the second one."""
        for file, line, row, language in project_lines(scene):
            match = _TERMS.search(row) if language else None
            if match is None:
                continue
            group = next(g for g in (1, 2, 3) if match[g] is not None)
            terms = re.split(r"\s\+\s", match[group])
            twice = next((term for term in terms if len(term) > 2 and terms.count(term) > 1), None)
            if twice is None:
                continue
            found.root(file, line, f"`{twice}` is added twice here", 0.9)
            at = row.rindex(" + " + twice)
            edit = Edit(file=file, line=line, column=at + 1, end_line=line, end_column=at + len(" + " + twice) + 1, new_text="")
            found.key("add-once", f"Add `{twice}` once", "it stands twice in the sum", 0.9, [edit])


CLUE = OwnCheck()
