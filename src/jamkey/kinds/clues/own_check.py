"""The program's own check failed: where the checked value is computed, a term twice or a condition that adds nothing."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, idioms_of, wrap
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

_ABOUT_TYPE = re.compile(r"\b(?:must be|expected|should be|needs?)\b.*\b(?:number|numeric|string|text|list|table)\b")
_TERMS = re.compile(r"=\s*([^=;]+?)\s*;?\s*$|<-\s*([^;]+?)\s*;?\s*$|^\s*return\s+([^;]+?)\s*;?\s*$")


class OwnCheck:
    """Sums with a term that stands twice."""

    kinds = frozenset(["raised-on-purpose"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the sum without the second one."""
        self._wrong_type(scene, found)
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

    def _wrong_type(self, scene: Scene, found: Diagnosis) -> None:
        """The check is about a type: the caller handed it over."""
        if scene.jam.snag is None or not _ABOUT_TYPE.search(scene.jam.message or ""):
            return
        outer = scene.caller_index(scene.jam.snag)
        frame = scene.jam.frames[outer] if outer is not None else None
        code = scene.code_of(frame)
        if frame is None or code is None or frame.line is None:
            return
        found.root(frame.file, frame.line, "this call hands over a value of another type", 0.85)
        idioms = idioms_of(scene)
        for part in scene.parts_of(frame):
            for _, argument in part.arguments if part.sort == "call" else ():
                if argument.sort in ("name", "member", "index") and "number" in (scene.jam.message or ""):
                    number = idioms.to_number.format(argument.source)
                    found.key(
                        f"number-{argument.source}",
                        f"Turn it into a number: `{number}`",
                        "the check asks for a number",
                        0.85,
                        [wrap(frame.file, argument, idioms.to_number)],
                    )


CLUE = OwnCheck()
