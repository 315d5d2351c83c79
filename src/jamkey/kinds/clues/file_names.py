"""A file's name in the source, and no such file beside it: but one that is called nearly so."""

from __future__ import annotations

import os
import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.words import project_lines
from jamkey.kinds.similar import similarity
from jamkey.model import Edit

_NAME = re.compile(r"[\"']([^\"'\n*?%{}<>|$]{1,80}\.[A-Za-z]\w{1,4})[\"']")
_FOLDER = re.compile(r"\b(?:folder|dir|directory|root|base|setwd|cd|chdir)\w*\b[^\"'\n]{0,20}[\"']", re.I)
_ENDING = re.compile(r"[\"'](\.[A-Za-z]\w{1,4})[\"']")


class FileNames:
    """Names of data files."""

    kinds = frozenset(["missing-value", "file-access", "memory-misuse", "wrong-order", "bad-arithmetic", "no-such-module", "raised-on-purpose"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line that names the file that is not there."""
        there = {os.path.basename(name): name for name in scene.sources.files()}
        for file, line, row, language in project_lines(scene):
            for match in _NAME.finditer(row) if language else ():
                name = os.path.basename(match[1])
                ending = os.path.splitext(name)[1].lower()
                if name in there or ending in (".html", ".com", ".org") or _writes(row):
                    continue
                rest = [other for other in there if os.path.splitext(other)[1].lower() == ending]
                near = sorted(((_score(name, other), other) for other in rest), reverse=True)
                if not near or near[0][0] < 0.5:
                    continue
                found.root(file, line, f"there is no {name}; there is {near[0][1]}", 0.9)
                new = match[1].removesuffix(name) + near[0][1]
                edit = Edit(file=file, line=line, column=match.start(1) + 1, end_line=line, end_column=match.end(1) + 1, new_text=new)
                found.key(f"file-{near[0][1]}", f"Open `{new}`", f"there is no {name} here", 0.92, [edit])
            if scene.jam.kind == "file-access" and language and _FOLDER.search(row):
                found.root(file, line, "the folder is set here", 0.7)
            if scene.jam.kind == "file-access" and language and _ENDING.search(row) and ("paste" in row or "+" in row or ".." in row or "cat" in row):
                found.root(file, line, "the file's name is put together here", 0.72)


def _writes(row: str) -> bool:
    return any(word in row for word in ("write", "save", "png(", "pdf(", "'w'", '"w"', "output", "print("))


def _score(name: str, other: str) -> float:
    one, two = os.path.splitext(name)[0].lower(), os.path.splitext(other)[0].lower()
    if one.startswith(two) or two.startswith(one):
        return 0.9
    return similarity(one, two)


CLUE = FileNames()
