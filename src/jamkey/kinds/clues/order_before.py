"""Something has to be sorted, or opened, before: the line above that does it otherwise."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, insert_line
from jamkey.model import Edit

_SORTS = re.compile(r"^\s*(?:sort|gsort)\s+(.*)$")
_BY = re.compile(r"^\s*by\s+([\w ]+?)\s*(?:,[^:]*)?:")


class OrderBefore:
    """Sorting before `by`."""

    kinds = frozenset(["wrong-order"])
    runtimes = frozenset(["stata"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the sorting line above, or a new one."""
        if scene.frame is None:
            return
        by = _BY.match(scene.row(scene.frame.file, scene.line))
        if by is None:
            return
        for line in range(scene.line - 1, 0, -1):
            row = scene.row(scene.frame.file, line)
            match = _SORTS.match(row)
            if match is not None:
                found.root(
                    scene.frame.file, line, f"the data are sorted by `{match[1].strip()}` here, and not by `{by[1]}`", 0.88
                )
                edit = Edit(
                    file=scene.frame.file,
                    line=line,
                    column=match.start(1) + 1,
                    end_line=line,
                    end_column=match.start(1) + 1,
                    new_text=by[1] + " ",
                )
                found.key("sort-by", f"Sort by `{by[1]}` first", "`by` takes sorted groups", 0.9, [edit])
                return
        found.key(
            "sort-before",
            f"Sort before: `sort {by[1]}`",
            "`by` takes sorted groups",
            0.9,
            [insert_line(scene.frame.file, scene.line, f"sort {by[1]}")],
        )


CLUE = OrderBefore()
