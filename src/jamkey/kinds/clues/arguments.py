"""Too many arguments, or one that no parameter takes: the call without it."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.model import Edit


class Arguments:
    """The call on the failing line."""

    kinds = frozenset(["wrong-arguments"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the call without the argument that is too many."""
        frame, message = scene.frame, scene.jam.message or ""
        if frame is None:
            return
        row = scene.row(frame.file, scene.line)
        unused = re.search(r"unused arguments? \((.*)\)", message)
        if unused is not None:
            at = row.find(", " + unused[1])
            if at >= 0:
                edit = Edit(
                    file=frame.file,
                    line=scene.line,
                    column=at + 1,
                    end_line=scene.line,
                    end_column=at + 3 + len(unused[1]),
                    new_text="",
                )
                found.key("leave-out", f"Leave `{unused[1]}` out", "no parameter takes it", 0.9, [edit])
        if "too many" in message:
            for part in scene.parts_of(frame):
                given = [argument for _, argument in part.arguments] if part.sort == "call" else []
                if len(given) < 2:
                    continue
                before, last = given[-2].span, given[-1].span
                edit = Edit(
                    file=frame.file,
                    line=before.end_line,
                    column=before.end_column,
                    end_line=last.end_line,
                    end_column=last.end_column,
                    new_text="",
                )
                found.key("leave-last-out", f"Leave `{given[-1].source}` out", "the function takes fewer", 0.85, [edit])
                break


CLUE = Arguments()
