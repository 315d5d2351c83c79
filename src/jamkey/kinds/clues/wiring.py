"""A layout file and the code name things differently: the name that only one of them knows."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.similar import similarity
from jamkey.model import Edit

_LAYOUTS = (".xml", ".storyboard", ".xib", ".fxml", ".ui")
_NAMES = re.compile(r"\b(?:outlet|property|action|selector|customClass|fx:id|onAction)\s*=\s*\"#?([A-Za-z_][\w:]*)\"")
_OUTLET = re.compile(r"@IBOutlet\s+(?:weak\s+)?var\s+(\w+)|@FXML\s+(?:private\s+|public\s+)?\w+\s+(\w+)")


class Wiring:
    """Outlets and fields."""

    kinds = frozenset(["stale-wiring", "missing-value"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the layout's line that names nothing, and the outlet that no layout connects."""
        layouts = [name for name in scene.sources.files() if name.lower().endswith(_LAYOUTS)]
        if not layouts:
            return
        code = "\n".join(
            scene.sources.text(name) or ""
            for name in scene.sources.files()
            if name.endswith((".swift", ".m", ".h", ".mm", ".java"))
        )
        declared = sorted(set(re.findall(r"\b(\w+)\s*[;:=]", code)))
        wired: set[str] = set()
        for file in layouts:
            for line, row in enumerate((scene.sources.text(file) or "").split("\n"), 1):
                for match in _NAMES.finditer(row):
                    wired.add(match[1])
                    if re.search(rf"\b{re.escape(match[1].rstrip(':'))}\b", code):
                        continue
                    found.root(file, line, f"nothing in the code is called `{match[1]}`", 0.92)
                    nearest = max(declared, key=lambda name, asked=match[1]: similarity(asked, name), default="")  # type: ignore[misc]
                    if nearest:
                        edit = Edit(
                            file=file,
                            line=line,
                            column=match.start(1) + 1,
                            end_line=line,
                            end_column=match.end(1) + 1,
                            new_text=nearest,
                        )
                        found.key(f"wire-{nearest}", f"Name it `{nearest}`", "the code calls it so", 0.8, [edit])
        here = scene.row(scene.frame.file, scene.line) if scene.frame is not None else ""
        for one, other in _OUTLET.findall(code):
            name = one or other
            if name in wired or not re.search(rf"\b{re.escape(name)}\b", here):
                continue
            for file in layouts:
                rows = (scene.sources.text(file) or "").split("\n")
                line = next((n for n, row in enumerate(rows, 1) if "<connections>" in row), 1)
                found.root(file, line, f"no connection here sets `{name}`", 0.92)


CLUE = Wiring()
