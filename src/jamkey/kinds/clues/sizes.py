"""Two sizes that do not fit: the lists and ranges of those sizes that the source writes out."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

_LIST = re.compile(r"(?:\bc\s*\(|\[|\{)([^()\[\]{}]*)(?:\)|\]|\})")
_RANGE = re.compile(r"(?<![\w.:])(\d+):(\d+)(?![\w.:])")
_SHORTER = re.compile(r"\bdiff\s*\(|\[-1\]|\[2:end\]|\(2:end\)|\bhead\s*\(|\(1:end-1\)|\[1:end-1\]")


class Sizes:
    """Written-out lists of one of the sizes in the message."""

    kinds = frozenset(["shape-mismatch", "wrong-count", "out-of-resource"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the list that is one short or one long, the range, and what makes a vector shorter."""
        message = scene.jam.wording or ""
        sizes = {int(n) for n in re.findall(r"(?<!op)\d+", message) if 1 < int(n) < 1000}
        if scene.jam.kind == "out-of-resource":
            self._large(scene, found)
            return
        lengths: list[int] = []
        traced = {(root.file, root.line) for root in found.roots}
        frame = scene.frame
        for file, line, row, language in project_lines(scene):
            if not language or frame is None:
                continue
            way = "-traced" if (file, line) in traced else ""
            for match in _LIST.finditer(row):
                items = [
                    item
                    for item in re.split(r"[,;]" if "," in match[1] or ";" in match[1] else r"\s+", match[1].strip())
                    if item.strip()
                ]
                if (
                    len(items) > 1
                    and (len(items) in sizes or not sizes)
                    and all(re.fullmatch(r"\s*[-\"'\w. @]+\s*", item) for item in items)
                ):
                    short = len(items) == min(sizes, default=0) or (not sizes and any(len(items) < other for other in lengths))
                    lengths.append(len(items))
                    if short and (sizes or lengths) and len(items) + 1 in (sizes | set(lengths)):
                        sign = ", " if "," in match[1] else " "
                        for where in dict.fromkeys((items[-1].strip(), items[0].strip())):
                            edit = Edit(
                                file=file,
                                line=line,
                                column=match.end(1) + 1,
                                end_line=line,
                                end_column=match.end(1) + 1,
                                new_text=sign + where,
                            )
                            found.key(f"one-more-{where}", f"Add an item: `{where}`", "the list is one short", [edit])
                    found.root(file, line, f"this list has {len(items)} items", ("short-list" if short else "list-size") + way)
                    if (
                        scene.traits.items_without_commas
                        and "," not in match[1]
                        and ";" not in match[1]
                        and match[0].startswith("[")
                    ):
                        edit = Edit(
                            file=file,
                            line=line,
                            column=match.start(1) + 1,
                            end_line=line,
                            end_column=match.end(1) + 1,
                            new_text="; ".join(items),
                        )
                        found.key(
                            f"column-{line}",
                            f"Make it a column: `[{'; '.join(items)}]`",
                            "a product takes a row times a column",
                            [edit],
                        )
            for match in _RANGE.finditer(row) if (file, line) != (frame.file, frame.line) else ():
                low, high = int(match[1]), int(match[2])
                if high - low + 1 in sizes or not sizes:
                    found.root(
                        file, line, f"this range has {high - low + 1} numbers", f"range{'-from-0' if low == 0 else ''}{way}"
                    )
                    for name, new in (("one-less", f"{low}:{high - 1}"), ("one-later", f"{low + 1}:{high}")):
                        edit = Edit(
                            file=file,
                            line=line,
                            column=match.start() + 1,
                            end_line=line,
                            end_column=match.end() + 1,
                            new_text=new,
                        )
                        found.key(f"range-{name}-{line}", f"Write `{new}` on line {line}", "then the sizes fit", [edit])
            if _SHORTER.search(row) and (way or file == frame.file):
                found.root(file, line, "what this gives has fewer items than what it takes", "fewer-taken")
                assigned = re.match(r"(\s*\w+\s*<-\s*)(.*\bdiff\s*\(.*)$", row)
                if assigned and scene.traits.columns_by_sign:
                    edit = Edit(
                        file=file,
                        line=line,
                        column=len(assigned[1]) + 1,
                        end_line=line,
                        end_column=len(row) + 1,
                        new_text=f"c(NA, {assigned[2]})",
                    )
                    found.key(
                        "na-in-front",
                        f"Put an NA in front: `c(NA, {assigned[2]})`",
                        "differences are one fewer than the values",
                        [edit],
                    )

    def _large(self, scene: Scene, found: Diagnosis) -> None:
        """A size that is a product of numbers, or the drawing area that is too small."""
        drawn = "margins" in (scene.jam.wording or "")
        for file, line, row, language in project_lines(scene):
            if language and re.search(
                r"\b(?:png|pdf|jpeg|svg)\s*\(" if drawn else r"\*\s*\d{2,}\s*\*\s*\d|\d{3,}\s*\*\s*\d", row
            ):
                found.root(
                    file, line, "the area for drawing is set here" if drawn else "this makes the size large", "drawn-large"
                )


CLUE = Sizes()
