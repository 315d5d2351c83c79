"""A name that another file of the project defines, and that file is not loaded, or loaded later."""

from __future__ import annotations

import os
import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, insert_line
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

#: Runtime -> how a file is loaded.
_LOADS = {
    "r": (r"\bsource\s*\(\s*[\"']([^\"']+)", 'source("{0}")'),
    "julia": (r"\binclude\s*\(\s*[\"']([^\"']+)", 'include("{0}")'),
    "octave": (r"\b(?:source|run)\s*\(\s*[\"']([^\"']+)", 'source ("{0}")'),
    "stata": (r"^\s*(?:do|run)\s+\"?([\w./-]+)", "do {0}"),
    "lua": (r"\bdofile\s*\(?\s*[\"']([^\"']+)", 'dofile("{0}")'),
}
_MAKES = (
    r"^\s*(?:function\s+)?{0}\s*(?:<-|=(?!=)|\()|"
    r"\b(?:function|def|generate|gen|egen|program\s+define|rename\s+\w+)\s+(?:double\s+|float\s+)?{0}\b"
)


class LoadOrder:
    """Files that are loaded in the wrong order, or not at all."""

    kinds = frozenset(["unknown-name", "missing-value", "not-callable"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line that loads too early, or the place for the one that is missing."""
        loads = _LOADS.get(scene.jam.runtime)
        name = scene.facts.get("name", "").strip("'\"`")
        if loads is None or not re.fullmatch(r"[\w.]+", name) or scene.frame is None:
            return
        pattern, template = re.compile(loads[0]), loads[1]
        makes = re.compile(_MAKES.replace("{0}", re.escape(name)))
        definer = next(
            (
                file
                for file, _, row, language in project_lines(scene)
                if language and file != scene.frame.file and makes.search(row)
            ),
            None,
        )
        if definer is None:
            return
        loaded = [
            (file, line, row, match)
            for file, line, row, language in project_lines(scene)
            if language and (match := pattern.search(row)) is not None
        ]
        defines = [(file, line) for file, line, _, match in loaded if _is(match[1], definer)]
        uses = [(file, line) for file, line, _, match in loaded if _is(match[1], scene.frame.file)]
        for file, line in uses:
            later = next((at for other, at in defines if other == file and at > line), None)
            if later is not None:
                found.root(
                    file,
                    line,
                    f"this loads {scene.frame.file}, which needs `{name}` of {definer}, loaded only on line {later}",
                    "loaded-late",
                )
                one, two = scene.row(file, line), scene.row(file, later)
                edits = [
                    Edit(file=file, line=at, column=1, end_line=at, end_column=len(old) + 1, new_text=new)
                    for at, old, new in ((line, one, two), (later, two, one))
                ]
                found.key("load-first", f"Load {definer} first", f"`{name}` is defined there", edits)
        if not defines:
            main = uses[0][0] if uses else scene.frame.file
            text = (scene.sources.text(main) or "").split("\n")
            line = next(
                (
                    n
                    for n, row in enumerate(text, 1)
                    if row.strip() and not row.lstrip().startswith(("#", "%", "*", "--", "//", "library"))
                ),
                1,
            )
            found.root(main, line, f"`{name}` is defined in {definer}, which is not loaded before this", "not-loaded")
            found.key(
                "load-it",
                f"Load it: `{template.format(os.path.basename(definer))}`",
                f"`{name}` is defined in {definer}",
                [insert_line(main, line, template.format(os.path.basename(definer)))],
            )


def _is(path: str, file: str) -> bool:
    return os.path.basename(path).split(".")[0] == os.path.basename(file).split(".")[0]


CLUE = LoadOrder()
