"""Nothing, written out: the argument, field or assignment that is nothing on purpose, or for lack of a value."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

_NOTHING = {
    "java": "null",
    "c": "NULL|nullptr",
    "javascript": "null|undefined",
    "lua": "nil",
    "swift": "nil",
    "objective-c": "nil",
    "basic": "Nothing",
    "r": "NULL",
    "julia": "nothing|missing",
    "supercollider": "nil",
}


class WrittenNull:
    """The word for nothing in the source."""

    kinds = frozenset(["missing-value", "memory-misuse"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer lines that hand nothing over, store it, or assign it; a comparison is none."""
        word = _NOTHING.get(scene.jam.runtime)
        if word is None:
            return
        handed = re.compile(rf"(?:[(,{{\[]\s*|[^=!<>~]=\s*)(?P<nothing>{word})\s*(?:[,)}}\];]|$)")
        returned = re.compile(rf"\breturn\s+(?:{word})\s*;?\s*$")
        for file, line, row, language in project_lines(scene):
            if not language:
                continue
            match = handed.search(row)
            if (
                match is not None
                and re.search(r"\b(?:assert|is|equals?|objectForKey|initWithObjects|arrayWithObjects|dictionaryWith\w+)\b", row)
                is None
            ):
                name = (scene.facts.get("name") or "").rpartition(".")[2]
                if name and scene.code is not None and re.fullmatch(r"\w+", name):
                    at, end = match.span("nothing")
                    edit = Edit(file=file, line=line, column=at + 1, end_line=line, end_column=end + 1, new_text=name)
                    found.key(
                        f"hand-{name}",
                        f"Hand `{name}` over instead of `{row[at:end]}`",
                        "nothing is handed over here",
                        0.82,
                        [edit],
                    )
                found.root(
                    file,
                    line,
                    f"`{' '.join(row.split())[:60]}` writes nothing as a value",
                    0.8 if match[0].lstrip()[:1] in "(,{[" else 0.72,
                )
            elif returned.search(row):
                found.root(file, line, "nothing is given back here", 0.6)


CLUE = WrittenNull()
