"""Two sizes that do not fit: the lists and ranges of those sizes that the source writes out."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines

_LIST = re.compile(r"(?:\bc\s*\(|\[|\{)([^()\[\]{}]*)(?:\)|\]|\})")
_RANGE = re.compile(r"(?<![\w.:])(\d{1,6}):(\d{1,6})(?![\w.:])")
_ITEM = re.compile(r"\s*[-\"'\w. @]+\s*")


class Sizes:
    """What is written out in one of the sizes that the message tells."""

    kinds = frozenset(["shape-mismatch", "wrong-count"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Add the lists and ranges of a told size; of the smaller of two sizes first."""
        sizes = {int(number) for number in re.findall(r"(?<!op)\d+", scene.jam.wording or "") if 1 < int(number[:6]) < 1000}
        frame = scene.frame
        for file, line, row, language in project_lines(scene) if sizes and frame is not None else ():
            here = frame is not None and (file, line) == (frame.file, frame.line)
            lengths = [_length(match[1]) for match in _LIST.finditer(row)] if language else []
            for length in [length for length in lengths if length in sizes]:
                found.root(file, line, f"this list has {length} items", 0.75 + 0.05 * (length == min(sizes)))
            for match in _RANGE.finditer(row) if language and not here else ():
                length = int(match[2]) - int(match[1]) + 1
                if length in sizes:
                    found.root(file, line, f"this range has {length} numbers", 0.76)


def _length(inside: str) -> int:
    """Return how many items a list that is written out has; 0 where it holds more than plain items."""
    items = re.split(r"[,;]" if re.search(r"[,;]", inside) else r"\s+", inside.strip())
    return len(items) if len(items) > 1 and all(_ITEM.fullmatch(item) for item in items) else 0


CLUE = Sizes()
