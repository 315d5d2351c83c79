"""A web page that loads its scripts too early, in the wrong order, or not all of them."""

from __future__ import annotations

import os
import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.model import Edit

_SCRIPT = re.compile(r"<script\b[^>]*\bsrc\s*=\s*[\"']([^\"']+)[\"'][^>]*>", re.I)
_ASKED = re.compile(r"(?:getElementById\s*\(\s*|querySelector\s*\(\s*)[\"']#?([\w-]+)[\"']")


class PageScripts:
    """The `<script>` lines of the page."""

    kinds = frozenset(["missing-value", "unknown-name", "not-callable"])
    runtimes = frozenset(["javascript"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line of the page that loads the failing script, or lacks another."""
        if scene.frame is None:
            return
        script = os.path.basename(scene.frame.file)
        for page in [name for name in scene.sources.files() if name.lower().endswith((".html", ".htm"))]:
            rows = (scene.sources.text(page) or "").split("\n")
            tags = [(n, match) for n, row in enumerate(rows, 1) for match in _SCRIPT.finditer(row)]
            mine = next(((n, match) for n, match in tags if os.path.basename(match[1]) == script), None)
            if mine is None:
                continue
            if scene.jam.kind == "missing-value":
                self._too_early(scene, found, page, rows, mine)
            else:
                self._not_loaded(scene, found, page, rows, tags, mine)

    def _too_early(self, scene: Scene, found: Diagnosis, page: str, rows: list[str], mine: tuple[int, re.Match[str]]) -> None:
        text = scene.sources.text(scene.frame.file if scene.frame else "") or ""
        line, match = mine
        for asked in dict.fromkeys(_ASKED.findall(text)):
            marks = re.compile(rf"\bid\s*=\s*[\"']{re.escape(asked)}[\"']")
            at, column = next(
                ((n, found_at.start()) for n, row in enumerate(rows, 1) if (found_at := marks.search(row))), (0, 0)
            )
            if (at, column) > (line, match.start()) and not re.search(r"\b(?:defer|async)\b|type\s*=\s*[\"']module", match[0]):
                found.root(page, line, f"the script runs here, before the page has `{asked}` (line {at})", "page-early")
                edit = Edit(file=page, line=line, column=match.end(), end_line=line, end_column=match.end(), new_text=" defer")
                found.key("defer", "Let the script wait for the page: `defer`", f"`{asked}` comes later in the page", [edit])
                return

    def _not_loaded(
        self,
        scene: Scene,
        found: Diagnosis,
        page: str,
        rows: list[str],
        tags: list[tuple[int, re.Match[str]]],
        mine: tuple[int, re.Match[str]],
    ) -> None:
        name = scene.facts.get("name", "")
        if not re.fullmatch(r"[\w$]+", name):
            return
        makes = re.compile(rf"\b(?:function|const|let|var|class)\s+{re.escape(name)}\b")
        line, _ = mine
        for file in scene.sources.files():
            if (
                not file.endswith((".js", ".mjs"))
                or file == (scene.frame.file if scene.frame else "")
                or not makes.search(scene.sources.text(file) or "")
            ):
                continue
            loaded = next(((n, m) for n, m in tags if os.path.basename(m[1]) == os.path.basename(file)), None)
            src = os.path.relpath(file, os.path.dirname(page) or ".").replace(os.sep, "/")
            row = rows[line - 1]
            tag = f'{row[: len(row) - len(row.lstrip())]}<script src="{src}"></script>\n'
            before = Edit(file=page, line=line, column=1, end_line=line, end_column=1, new_text=tag)
            if loaded is None:
                found.root(page, line, f"`{name}` is defined in {file}, which the page does not load", "page-without")
                found.key("load-script", f"Load {file} before this script", f"`{name}` is defined there", [before])
            elif loaded[0] > line:
                found.root(
                    page, line, f"`{name}` is defined in {file}, which the page loads only on line {loaded[0]}", "page-late"
                )
                gone = Edit(file=page, line=loaded[0], column=1, end_line=loaded[0] + 1, end_column=1, new_text="")
                found.key("load-script-first", f"Load {file} before this script", f"`{name}` is defined there", [before, gone])
            return


CLUE = PageScripts()
