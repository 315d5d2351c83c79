"""Two things the wrong way round: arguments against the parameters' names, the ends of a span in a subtraction."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

_ENDS = (
    ("first", "last"),
    ("start", "end"),
    ("start", "stop"),
    ("begin", "end"),
    ("from", "to"),
    ("min", "max"),
    ("low", "high"),
    ("lo", "hi"),
    ("lowest", "highest"),
    ("lower", "upper"),
    ("before", "after"),
    ("open", "close"),
    ("opened", "closed"),
)
_MINUS = re.compile(r"(?<![\w.$])((?:\w+[.$])*(\w+?))\s*-\s*((?:\w+[.$])*(\w+))(?![\w(\[])")


class Swapped:
    """Arguments, and the ends of a span."""

    kinds = frozenset(
        """
        raised-on-purpose wrong-count out-of-resource bad-index index-out-of-range wrong-type missing-value
        bad-arithmetic wrong-arguments memory-misuse
    """.split()
    )

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the call or the subtraction, and the other order."""
        self._arguments(scene, found)
        if scene.jam.kind in ("wrong-type", "missing-value", "wrong-arguments"):
            return
        for file, line, row, language in project_lines(scene):
            for match in _MINUS.finditer(row) if language else ():
                left, right = (re.sub(r"^.*[_.]", "", part).lower() for part in (match[2], match[4]))
                if (left, right) in _ENDS:
                    found.root(file, line, f"`{match[0]}` is below zero when the order is the usual one", 0.82)
                    new = f"{match[3]} - {match[1]}"
                    edit = Edit(
                        file=file, line=line, column=match.start() + 1, end_line=line, end_column=match.end() + 1, new_text=new
                    )
                    found.key(
                        f"other-way-{line}",
                        f"Subtract the other way round: `{new}`",
                        "the end lies behind the start",
                        0.85,
                        [edit],
                    )

    def _arguments(self, scene: Scene, found: Diagnosis) -> None:
        on_stack = {frame.function.rpartition(".")[2] for frame in scene.jam.frames if frame.function}
        for _, code in scene.own_codes():
            for function in code.functions():
                names = [param.name for param in function.params if param.name not in ("self", "this")]
                if len(names) < 2 or (function.name not in on_stack and function.owner not in on_stack):
                    continue
                for file, other in scene.own_codes():
                    for call in other.calls(function.name):
                        given = [part for _, part in call.arguments]
                        sources = [part.name if part.sort in ("name", "member") else "" for part in given]
                        self._compare(scene, found, file, names, given, sources)

    def _compare(self, scene: Scene, found: Diagnosis, file: str, names: list[str], given: list, sources: list[str]) -> None:  # type: ignore[type-arg]
        for i in range(min(len(names), len(given))):
            for j in range(i + 1, min(len(names), len(given))):
                crossed = sources[i] == names[j] and sources[j] == names[i]
                leaning = _leans(sources[i], names[j]) and _leans(sources[j], names[i]) and not crossed
                if not crossed and not leaning:
                    continue
                line = given[i].span.line
                found.root(
                    file,
                    line,
                    f"`{given[i].source}` stands where `{names[i]}` is expected, and the other way round",
                    0.92 if crossed else 0.86,
                )
                edits = [
                    Edit(
                        file=file,
                        line=a.span.line,
                        column=a.span.column,
                        end_line=a.span.end_line,
                        end_column=a.span.end_column,
                        new_text=b.source,
                    )
                    for a, b in ((given[i], given[j]), (given[j], given[i]))
                ]
                found.key(
                    "swap-arguments",
                    f"Swap `{given[i].source}` and `{given[j].source}`",
                    "the parameters stand in the other order",
                    0.92,
                    edits,
                )


def _leans(given: str, wanted: str) -> bool:
    """Tell `lo` for `lowest`: the same end of a span."""
    if not given or not wanted:
        return False
    for low, high in _ENDS:
        for end in (low, high):
            if (
                given.lower().startswith(end[:2])
                and wanted.lower().startswith(end[:2])
                and (given.lower() in (low, high) or wanted.lower() in (low, high))
            ):
                return True
    return False


CLUE = Swapped()
