"""A pointer that is declared and points nowhere yet, or at text that may not be changed."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit


class Pointers:
    """Declarations of pointers in C."""

    kinds = frozenset(["memory-misuse"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the declaration."""
        message = (scene.jam.message or "").lower() + (scene.jam.exception_type or "").lower()
        for file, line, row, language in project_lines(scene):
            bare = re.match(r"\s*(?:const\s+)?(?:struct\s+)?\w+\s*\*+\s*(\w+)\s*;", row) if language else None
            if bare is not None and ("uninitiali" in message or "invalid" in message or "segmentation" in message):
                found.root(file, line, f"`{bare[1]}` points nowhere yet", 0.86 if "uninitiali" in message else 0.7)
            text = re.match(r"\s*char\s*\*\s*(\w+)(\s*=\s*\")", row) if language else None
            if text is not None:
                found.root(file, line, f"`{text[1]}` points at text that may not be changed", 0.8)
                at = row.index("char")
                edit = Edit(
                    file=file,
                    line=line,
                    column=at + 1,
                    end_line=line,
                    end_column=text.start(2) + 1,
                    new_text=f"char {text[1]}[]",
                )
                found.key(
                    "own-copy",
                    f"Give it a copy of its own: `char {text[1]}[] = ...`",
                    "the text in the program may not be changed",
                    0.82,
                    [edit],
                )


CLUE = Pointers()
