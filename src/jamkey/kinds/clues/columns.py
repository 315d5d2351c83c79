"""A column that the data does not have: the line that asks for it."""

from __future__ import annotations

import os
import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.kinds.similar import nearest
from jamkey.model import Edit

_TAKEN = re.compile(r"(?<=\$)([A-Za-z_]\w*)(?!\s*(?:<-|=(?!=)|\())")
_QUOTED = re.compile(r"[\"']([^\"'\n]{1,40})[\"']")
_SEPARATOR = re.compile(r"[,;\t]")


class Columns:
    """Names of columns in the source against the headings of the tables beside it."""

    kinds = frozenset(["missing-value", "no-such-key", "unknown-name", "wrong-type", "wrong-count", "shape-mismatch"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line with a name that is no heading, and the headings that are nearest to it."""
        headings: set[str] = set()
        for file in scene.sources.data_files():
            if os.path.splitext(file)[1].lower() in (".csv", ".tsv", ".txt"):
                first = (scene.sources.text(file) or "").split("\n", 1)[0].strip()
                headings |= {part.strip(' "') for part in _SEPARATOR.split(first)} if _SEPARATOR.search(first) else set()
        for _, _, row, language in project_lines(scene):
            for match in re.finditer(r"\b(?:data\.frame|tibble|list)\s*\(([^()]*)", row) if language else ():
                headings |= set(re.findall(r"(\w+)\s*=(?!=)", match[1]))
        if not headings:
            return
        made: set[str] = set()
        for _, _, row, language in project_lines(scene):
            if language:
                made |= set(re.findall(r"\$(\w+)\s*(?:<-|=(?!=))", row)) | set(re.findall(r"(\w+)\s*=(?!=)", row))
        for file, line, row, language in project_lines(scene):
            if not language:
                continue
            taken = [match for match in _TAKEN.finditer(row) if scene.traits.columns_by_sign]
            quoted = list(_QUOTED.finditer(row))
            if any(match[1] in headings for match in quoted):
                taken += quoted
            for match in taken:
                name = match[1]
                if name in headings or (name in made and not row.count(f"${name}")) or "." in name or "/" in name:
                    continue
                found.root(file, line, f"no table here has a column `{name}`", 0.88, column=match.start(1) + 1)
                alike = [other for other, _ in nearest(name, headings, most=2, least=0.4)] or sorted(headings)
                alike += [
                    heading
                    for heading in sorted(headings)
                    if heading not in alike and set(name.split("_")) & set(heading.split("_"))
                ]
                for rank, other in enumerate(alike[:3]):
                    edit = Edit(
                        file=file,
                        line=line,
                        column=match.start(1) + 1,
                        end_line=line,
                        end_column=match.end(1) + 1,
                        new_text=other,
                    )
                    found.key(
                        f"column-{other}",
                        f"Ask for the column `{other}`",
                        "the table has a column of that name",
                        0.88 - 0.04 * rank,
                        [edit],
                    )


CLUE = Columns()
