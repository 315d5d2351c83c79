"""The message quotes a value: the place where that value is written."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines

_LITERAL = re.compile(r"\"((?:[^\"\\\n]|\\.)*)\"|'((?:[^'\\\n]|\\.)*)'|`((?:[^`\\]|\\.)*)`")
_HOLE = re.compile(r"\$\{[^}]*\}|\{[^}]*\}|%[-+ 0#]*\d*(?:\.\d+)?[a-zA-Z]|\\\([^)]*\)|\$\w+")


class Quoted:
    """Values in the program's own message."""

    kinds = frozenset(["raised-on-purpose"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer each place that writes a value of the message, the rarest value first."""
        if scene.frame is None:
            return
        rows = [scene.row(scene.frame.file, line) for line in range(max(scene.line - 3, 1), scene.line + 3)]
        fixed = [
            piece
            for row in rows
            for match in _LITERAL.finditer(row)
            for piece in _HOLE.split(next(g for g in match.groups() if g is not None))
        ]
        text = scene.jam.message or ""
        for piece in sorted((p for p in fixed if p.strip()), key=len, reverse=True):
            text = text.replace(piece, "\0")
        pieces = [piece.strip(" .,:;'\"!") for piece in text.split("\0")]
        spots: list[tuple[int, bool, str, str, int]] = []
        for piece in dict.fromkeys(p for p in pieces if 1 <= len(p) <= 40):
            pattern = re.compile(rf"(?<![\w.]){re.escape(piece)}(?![\w]|\.\d)")
            number = re.fullmatch(r"-?[\d.]+", piece) is not None
            hits: list[tuple[str, int]] = []
            for file, line, row, language in project_lines(scene):
                if (file, line) == (scene.frame.file, scene.line) or not pattern.search(row):
                    continue
                in_quotes = any(piece in part for group in _LITERAL.findall(row) for part in group)
                if number or not language or in_quotes or re.match(r"\W*\b(?:for|if|while|return)\b", row) is None:
                    hits.append((file, line))
            spots += [(len(hits), number, piece, file, line) for file, line in hits[:3] if len(hits) <= 4]
        spots.sort()
        sure = 0.84
        for count, number, piece, file, line in spots[:3]:
            found.root(
                file,
                line,
                f"`{piece}`, which the message names, is written here",
                sure - (0.08 if number else 0) - 0.03 * (count - 1),
            )
            sure -= 0.05


CLUE = Quoted()
