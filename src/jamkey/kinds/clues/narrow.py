"""A number grew too big for its type: the declaration that is too narrow."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

#: Runtime -> pattern of a narrow declaration with a hole for the name, the type's word, the wider one.
_NARROW = {
    "c": [
        (r"\bint\s+(?:\w+\s*,\s*)*{0}\b", "int", "long long"),
        (r"\bshort\s+{0}\b", "short", "long"),
        (r"\bchar\s+{0}\b", "char", "int"),
    ],
    "java": [(r"\bint\s+{0}\b", "int", "long"), (r"\bshort\s+{0}\b", "short", "int"), (r"\bbyte\s+{0}\b", "byte", "int")],
    "basic": [(r"\b{0}\s+As\s+Integer\b", "Integer", "Long"), (r"\b{0}\s+As\s+Byte\b", "Byte", "Long")],
    "swift": [(r"\b{0}\s*:\s*U?Int(?:8|16|32)\b", "Int", "Int")],
    "julia": [(r"\b{0}::U?Int(?:8|16|32)\b", "Int", "Int64")],
}


class Narrow:
    """Declarations of the names on the failing line."""

    kinds = frozenset(["bad-arithmetic"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the declaration with a wider type."""
        message = (scene.jam.message or "").lower() + (scene.jam.exception_type or "").lower()
        if "overflow" not in message or scene.frame is None:
            return
        names = dict.fromkeys(re.findall(r"[A-Za-z_]\w*", scene.row(scene.frame.file, scene.line)))
        sure = 0.9
        for name in names:
            for pattern, word, wider in _NARROW.get(scene.jam.runtime, ()):
                declared = re.compile(pattern.replace("{0}", re.escape(name)))
                for file, line, row, language in project_lines(scene):
                    match = declared.search(row) if language else None
                    if match is None:
                        continue
                    found.root(file, line, f"`{name}` is declared with a type that is too narrow here", sure)
                    typed = re.compile(rf"\bU?{word}(?:8|16|32)?\b")
                    new = typed.sub(wider, match[0])
                    edit = Edit(
                        file=file, line=line, column=match.start() + 1, end_line=line, end_column=match.end() + 1, new_text=new
                    )
                    found.key(
                        f"wider-{name}",
                        f"Declare `{name}` wider: `{new}`",
                        "the number does not fit into this type",
                        sure,
                        [edit],
                    )
                    sure -= 0.04


CLUE = Narrow()
