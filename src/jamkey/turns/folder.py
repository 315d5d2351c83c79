"""Make the folder first in which a file is to be written."""

from __future__ import annotations

import posixpath
from collections.abc import Iterator

from jamkey.languages.base import Part, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.convert import filled_in


class Folder(Plain):
    """`open("results/out.txt", "w")` gets `os.makedirs("results", exist_ok=True)` in front of it."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose to make the folder of the path that the message tells, where it is not there."""
        form: str = ground.words.get("folder_made", "")
        path = ground.scene.facts.get("path", "").strip("'\"").replace("\\", "/")
        folder = posixpath.dirname(path)
        root = ground.scene.sources.root
        if not form or not folder or ground.place.distance or ground.place.line != statement.span.line:
            return
        if root is not None and (root / folder).is_dir():
            return
        parts = [part for top in statement.parts for part in top.walk() if part.sort == "call" and part.arguments]
        given = next((part.arguments[0][1] for part in parts if _is_path(part.arguments[0][1], path, ground)), None)
        if given is None or '"' in folder:
            return
        of_path = ground.words.get("folder_of", "")
        written = f'"{folder}"' if given.sort == "text" or not of_path else filled_in(of_path, given.source)
        line = statement.span.line
        yield Made("folder", before_line(line), ground.indent(line) + filled_in(form, written) + ground.ends + "\n")


def _is_path(part: Part, path: str, ground: Ground) -> bool:
    if part.sort == "text":
        return part.name.replace("\\", "/") == path
    value = ground.value(part)
    return value is not None and value.text.strip("'\"").endswith(path)


TURN = Folder()
