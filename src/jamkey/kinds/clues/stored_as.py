"""What is taken out by a name was put in by that name elsewhere: the line that stored it."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines

_KEY = re.compile(r"@?[\"']([^\"'\n]{1,40})[\"']")


class StoredAs:
    """Keys of maps and dictionaries."""

    kinds = frozenset(["wrong-type", "no-such-member"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer other lines that write a key of the failing line."""
        if scene.frame is None:
            return
        for match in _KEY.finditer(scene.row(scene.frame.file, scene.line)):
            for file, line, row, language in project_lines(scene):
                if (
                    language
                    and (file, line) != (scene.frame.file, scene.line)
                    and any(m[1] == match[1] for m in _KEY.finditer(row))
                ):
                    found.root(file, line, f"`{match[1]}` is stored here", 0.84)


CLUE = StoredAs()
