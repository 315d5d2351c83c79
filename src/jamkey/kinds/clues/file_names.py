"""A file's name in the source, and no such file beside it: but one that is called nearly so."""

from __future__ import annotations

import os
import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, idioms_of
from jamkey.kinds.clues.project_words import project_lines
from jamkey.kinds.similar import similarity
from jamkey.model import Edit

_NAME = re.compile(r"[\"']([^\"'\n*?%{}<>|$]{1,80}\.[A-Za-z]\w{1,4})[\"']")
_FOLDER = re.compile(r"\b(?:folder|dir|directory|root|base|setwd|cd|chdir)\w*\b[^\"'\n]{0,20}[\"']", re.I)
_ENDING = re.compile(r"[\"'](\.[A-Za-z]\w{1,4})[\"']")


class FileNames:
    """Names of data files."""

    kinds = frozenset(
        [
            "missing-value",
            "file-access",
            "memory-misuse",
            "wrong-order",
            "bad-arithmetic",
            "no-such-module",
            "raised-on-purpose",
        ]
    )

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
                rest += [
                    other for other in there if os.path.splitext(other)[0] == os.path.splitext(name)[0] and other not in rest
                ]
                near = sorted(((_score(name, other), other) for other in rest), reverse=True)
                if not near or near[0][0] < 0.5:
                    continue
                found.root(file, line, f"there is no {name}; there is {near[0][1]}", 0.9)
                new = match[1].removesuffix(name) + near[0][1]
                edit = Edit(
                    file=file, line=line, column=match.start(1) + 1, end_line=line, end_column=match.end(1) + 1, new_text=new
                )
                found.key(f"file-{near[0][1]}", f"Open `{new}`", f"there is no {name} here", 0.92, [edit])
            self._stems(scene, found, file, line, row if language else "", there)
            if scene.jam.kind == "file-access" and language and _FOLDER.search(row):
                found.root(file, line, "the folder is set here", 0.7)
            if (
                scene.jam.kind == "file-access"
                and language
                and _ENDING.search(row)
                and ("paste" in row or "+" in row or ".." in row or "cat" in row)
            ):
                found.root(file, line, "the file's name is put together here", 0.72)
                self._lowered(scene, found, file, line, row, there)

    def _lowered(self, scene: Scene, found: Diagnosis, file: str, line: int, row: str, there: dict[str, str]) -> None:
        """A name made from a word with a capital, where all files of that ending are in small letters."""
        joined = re.search(r"(?<![\w.])([A-Za-z_]\w*)\s*(?:,|\+|\.\.|\.)\s*[\"'](\.[A-Za-z]\w{1,4})[\"']", row)
        if joined is None:
            return
        files = [name for name in there if os.path.splitext(name)[1] == joined[2]]
        lowered = idioms_of(scene).lowered
        if not files or any(name != name.lower() for name in files) or not lowered:
            return
        new = lowered.format(joined[1])
        edit = Edit(file=file, line=line, column=joined.start(1) + 1, end_line=line, end_column=joined.end(1) + 1, new_text=new)
        found.key(
            "in-small-letters", f"Take it in small letters: `{new}`", "all files of that ending are written so", 0.74, [edit]
        )

    def _stems(self, scene: Scene, found: Diagnosis, file: str, line: int, row: str, there: dict[str, str]) -> None:
        """A name without its ending, a folder or a module path that leads nowhere: those that are there."""
        if scene.jam.kind not in ("file-access", "raised-on-purpose", "no-such-module"):
            return
        stems = {
            os.path.splitext(name)[0]: name
            for name in there
            if os.path.splitext(name)[1].lower() in (".csv", ".txt", ".json", ".dat", ".tsv")
        }
        folders = {os.path.dirname(path) for path in there.values()} - {""}
        modules = {os.path.splitext(path)[0].replace("/", "."): path for path in there.values() if path.endswith(".lua")}
        for match in re.finditer(r"[\"']([\w./ -]{2,40})[\"']", row):
            word, options = match[1], []
            if " " in word and not any(" " in name for name in there):
                continue  # a sentence
            called = re.search(r"\w\s*\(\s*$", row[: match.start()]) is not None and "print" not in row[: match.start()]
            if scene.jam.kind == "no-such-module":
                options = [name for name in modules if word not in modules and name.split(".")[-1] == word.split(".")[-1]]
            elif word not in stems and called and "." not in word and "/" not in word:
                options = [stem for stem in stems if stem.lower() == word.lower()] or (
                    list(stems)[:3] if len(stems) <= 3 else []
                )
            elif scene.jam.kind == "file-access" and word not in folders and _FOLDER.search(row) and "." not in word.strip("."):
                options = sorted(folders)[:3]
            for rank, option in enumerate(options):
                edit = Edit(
                    file=file, line=line, column=match.start(1) + 1, end_line=line, end_column=match.end(1) + 1, new_text=option
                )
                found.root(file, line, f"`{word}` names nothing that is here", 0.74)
                found.key(
                    f"named-{option}",
                    f"Write `{option}` instead of `{word}` on line {line}",
                    "that is there",
                    0.84 - 0.04 * rank,
                    [edit],
                )


def _writes(row: str) -> bool:
    return any(word in row for word in ("write", "save", "png(", "pdf(", "'w'", '"w"', "output", "print("))


def _score(name: str, other: str) -> float:
    one, two = os.path.splitext(name)[0].lower(), os.path.splitext(other)[0].lower()
    if one == two:
        return 0.95
    if one.startswith(two) or two.startswith(one):
        return 0.9
    return similarity(one, two)


CLUE = FileNames()
