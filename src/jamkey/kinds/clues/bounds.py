"""A loop that goes to the size itself, or begins at a place that is not there."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

_LOOP = re.compile(r"\b(?:for|while|For|do|loop)\b")
_INCLUSIVE = re.compile(r"<=\s*(\[\w+ count\]|[\w.]*(?:length|size|count|Count|len|n)\b(?:\(\))?(?:\(\w*\))?)")
_SIZE_RANGE = re.compile(r"\(\s*0\s*\.\.\s*([\w.]*size)\s*\)|\b0\s*\.\.\.\s*([\w.]*count)\b|\b0:length\((\w+)\)")
_FROM_ZERO = re.compile(r"=\s*0\s*(,|To|:)\s*")
_TO = re.compile(r"\b0 To (\d+)\b")


class Bounds:
    """Loops with a bound that is one too far."""

    kinds = frozenset(["index-out-of-range", "missing-value", "bad-index", "memory-misuse", "wrong-type"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the loop, and the bound that fits."""
        places = [(frame.file, scene.function_of(frame)) for frame in scene.jam.frames if frame.owner == "yours"]
        for file, line, row, language in project_lines(scene):
            # only loops of what was running: of the functions on the path, of the whole file where the path is not known
            running = any(
                file == at and (f is None or len(places) < 2 or f.span.line <= line <= f.span.end_line) for at, f in places
            )
            if not language or not running or not _LOOP.search(row):
                continue
            for match in _INCLUSIVE.finditer(row):
                found.root(file, line, f"`{match[0]}` lets the loop go one round too far", 0.86)
                self._key(found, file, line, match.start(), match.start() + 2, "<", "the last place is one less than the size")
            for match in _SIZE_RANGE.finditer(row):
                found.root(file, line, f"`{match[0]}` includes the size itself, one past the last place", 0.86)
                if match[1]:
                    self._key(found, file, line, match.end(1), match.end(1), " - 1", "the last place is one less than the size")
                elif match[2]:
                    at = row.index("...", match.start())
                    self._key(found, file, line, at, at + 3, "..<", "the last place is one less than the size")
                else:
                    self._key(found, file, line, match.start(), match.start() + 1, "1", "places count from 1 here")
            zero = _FROM_ZERO.search(row)
            if zero is not None and scene.traits.first_place == 1 and scene.jam.kind in ("bad-index", "missing-value"):
                found.root(file, line, "the loop begins at 0; places count from 1 here", 0.84)
                at = row.index("0", zero.start())
                self._key(found, file, line, at, at + 1, "1", "places count from 1 here")
            to = _TO.search(row)
            if to is not None and scene.jam.kind == "index-out-of-range":
                found.root(file, line, "the loop may go one place too far", 0.84)
                self._key(found, file, line, to.start(1), to.end(1), str(int(to[1]) - 1), "the last place is one less")

        self._fraction(scene, found)

    def _fraction(self, scene: Scene, found: Diagnosis) -> None:
        """A place that is half of something is not always whole."""
        if scene.jam.kind != "bad-index" or scene.frame is None:
            return
        here = scene.row(scene.frame.file, scene.line)
        for file, line, row, language in project_lines(scene):
            match = (
                re.match(r"\s*(\w+)\s*(?:=|<-)\s*([^=;]*/[^;]*?)\s*;?\s*$", row)
                if language and file == scene.frame.file
                else None
            )
            if (
                match is None
                or re.search(rf"[(\[][^()\[\]]*\b{re.escape(match[1])}\b", here) is None
                or "floor" in row
                or "ceil" in row
                or "round" in row
            ):
                continue
            found.root(file, line, f"`{match[1]}` need not be whole after this division", 0.84)
            for word in ("ceil", "floor"):
                edit = Edit(
                    file=file,
                    line=line,
                    column=match.start(2) + 1,
                    end_line=line,
                    end_column=match.end(2) + 1,
                    new_text=f"{word} ({match[2]})",
                )
                sure = 0.86 if word == "ceil" else 0.8
                found.key(
                    f"whole-{word}", f"Round it: `{match[1]} = {word} ({match[2]})`", "a place is a whole number", sure, [edit]
                )

    def _key(self, found: Diagnosis, file: str, line: int, start: int, end: int, new: str, reason: str) -> None:
        edit = Edit(file=file, line=line, column=start + 1, end_line=line, end_column=end + 1, new_text=new)
        found.key(f"bound-{line}-{start}", f"Write `{new.strip()}` in the loop on line {line}", reason, 0.88, [edit])


CLUE = Bounds()
