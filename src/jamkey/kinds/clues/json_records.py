"""A record of a JSON file that is not like the others: text where they have a number, a comma that is missing."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.model import Edit


class JsonRecords:
    """The project's JSON files, against the message."""

    kinds = frozenset(["unreadable-value"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the record whose field is text where others have a number, and the line before a missing comma."""
        message = (scene.jam.message or "") + " " + scene.facts.get("rest", "")
        fields = set(re.findall(r"stringValue: \"(\w+)\"|[Ff]ield '?(\w+)'?|key '(\w+)'", message))
        names = {name for group in fields for name in group if name}
        for file in scene.sources.data_files():
            rows = (scene.sources.text(file) or "").split("\n") if file.endswith(".json") else []
            for line, row in enumerate(rows, 1):
                if any(re.search(rf"\"{re.escape(name)}\"\s*:\s*\"", row) for name in names) and "found a string" in message:
                    found.root(file, line, "this record has text where a number belongs", 0.9)
                before = rows[line - 2].rstrip() if line > 1 else ""
                gap = before and before[-1] not in ",{[:" and row.strip()[:1] in ('"', "{")
                if gap and "Expected ','" in message:
                    found.root(file, line - 1, "the comma at the end of this line is missing", 0.93)
                    edit = Edit(
                        file=file,
                        line=line - 1,
                        column=len(before) + 1,
                        end_line=line - 1,
                        end_column=len(before) + 1,
                        new_text=",",
                    )
                    found.key(
                        "comma",
                        f"Put a comma at the end of line {line - 1} of {file}",
                        "entries are parted by commas",
                        0.93,
                        [edit],
                    )


CLUE = JsonRecords()
