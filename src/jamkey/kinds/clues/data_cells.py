"""A value that is no number stands in a data file: the cell, and what was probably meant."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.model import Edit

#: Signs that are taken for figures, and what they look like.
_LOOKS = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1", "S": "5", "B": "8", ",": ".", "\u2212": "-"})


class DataCells:
    """The value that the message quotes."""

    kinds = frozenset(["unreadable-value"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the cell's line, and the cell with its look-alikes as figures."""
        quoted = re.search(r"[\"'\u2018]([^\"'\n]{1,40})[\"'\u2019]", scene.jam.message or "")
        if quoted is None or not any(c.isdigit() for c in quoted[1]):
            return
        for file in scene.sources.data_files():
            for line, row in enumerate((scene.sources.text(file) or "").split("\n")[:5000], 1):
                at = row.find(quoted[1])
                if at < 0:
                    continue
                found.root(file, line, f"`{quoted[1]}` stands here", 0.9, column=at + 1)
                meant = quoted[1].translate(_LOOKS)
                number = re.match(r"-?\d+(?:\.\d+)?", meant)
                if number is not None:
                    edit = Edit(
                        file=file,
                        line=line,
                        column=at + 1,
                        end_line=line,
                        end_column=at + len(quoted[1]) + 1,
                        new_text=number[0],
                    )
                    found.key("cell", f"Write `{number[0]}` in line {line} of {file}", "that is probably meant", 0.85, [edit])
                return


CLUE = DataCells()
