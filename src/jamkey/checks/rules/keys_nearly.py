"""A key in quotes that stands once, and is nearly one that the file, or the data beside it, knows."""

from __future__ import annotations

import ast
import json
from collections import Counter
from collections.abc import Iterator

from jamkey.checks.base import View
from jamkey.checks.rules.members_nearly import Nearly
from jamkey.model import Finding

_LONGEST = 200_000


class KeysNearly:
    """See the module."""

    name = "keys-nearly"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield `x["nmae"]` where `name` is a key elsewhere."""
        asked = [
            n
            for n in view.of(ast.Subscript)
            if isinstance(n, ast.Subscript)
            and isinstance(n.ctx, ast.Load)
            and isinstance(n.slice, ast.Constant)
            and isinstance(n.slice.value, str)
        ]
        if not asked:
            return
        counts = Counter(n.value for n in view.of(ast.Constant) if isinstance(n.value, str))  # type: ignore[attr-defined]
        known = {text for text, count in counts.items() if text.isidentifier() and len(text) > 2}
        beside = self._beside(view)
        every = Nearly(known | beside)
        for node in asked:
            key = node.slice.value  # type: ignore[attr-defined]
            if counts[key] > 1 or len(key) < 4 or key in beside:
                continue
            meant = every.meant(key)
            if meant is None or (counts[meant] < 2 and meant not in beside):
                continue
            quote = view.source(node.slice)[:1]
            edits = (view.replace(node.slice, f"{quote}{meant}{quote}"),) if quote in "\"'" else ()
            yield view.finding(
                self.name,
                "no-such-key",
                node.slice,
                f"the key `{key}` stands only here; `{meant}` is nearly the same",
                title=f"Ask for `{meant}`",
                edits=edits,
            )

    def _beside(self, view: View) -> set[str]:
        """Return headings and keys of small tables and JSON files in the folder."""
        found: set[str] = set()
        if view.folder is None:
            return found
        for path in sorted(view.folder.glob("*.[cj]s*"))[:10]:
            try:
                if path.stat().st_size > _LONGEST or path.suffix not in (".csv", ".json"):
                    continue
                text = path.read_text(encoding="utf-8", errors="replace")
                if path.suffix == ".csv":
                    found |= {part.strip(' "') for part in text.split("\n", 1)[0].replace(";", ",").split(",")}
                else:
                    stack = [json.loads(text)]
                    while stack:
                        value = stack.pop()
                        if isinstance(value, dict):
                            found |= set(value)
                            stack += value.values()
                        elif isinstance(value, list):
                            stack += value[:50]
            except (OSError, ValueError, RecursionError):
                continue
        return found


RULE = KeysNearly()
