"""TypeScript's compiler: one failure a row, `file(line,column): error TS2304: message`, or with the row and a mark below it."""

from __future__ import annotations

import re

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.text import whole

_ROW = re.compile(
    r"(?:ERROR in )?(?:\./)?([^\s():][^():\n]{0,300}\.[cm]?tsx?)[(:](\d{1,7})[,:](\d{1,7})\)?(?: - |: )"
    r"error (TS\d+): (.*)$"
)
#: What belongs to a message: more of it, further in.
_MORE = re.compile(r"  \S")
_MARK = re.compile(r"\s*~+$")


class TypeScriptReader:
    """Reads what the compiler refuses; what fails while running is a JavaScript runtime's."""

    name = "typescript"

    def score(self, text: str) -> float:
        """Score by the compiler's numbers."""
        return 0.97 if "error TS" in text and any(_ROW.match(row) for row in text.split("\n") if "error TS" in row) else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return the failures in order."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        while cursor.more:
            start = cursor.position
            match = _ROW.match(cursor.take())
            if match is None:
                continue
            message = [match[5]]
            while _MORE.match(cursor.peek()):
                message.append(cursor.take().strip())
            source, end = _shown(cursor, match[2])
            column = whole(match[3])
            frame = Frame(
                file=match[1], line=whole(match[2]), column=column, end_column=column + end if end else None, source=source
            )
            jams.append(
                Jam(
                    runtime="typescript",
                    phase="compile",
                    exception_type=match[4],
                    message="\n".join(message),
                    frames=(frame,),
                    first_line=start + 1,
                    last_line=cursor.position,
                )
            )
        return jams


def _shown(cursor: Cursor, line: str) -> tuple[str | None, int]:
    """Return the row that is shown below a message and how many signs its mark covers, where both are there."""
    row = re.match(rf"{line} (.*)$", cursor.peek(1)) if not cursor.peek().strip() else None
    if row is None:
        return None, 0
    mark = cursor.peek(2)
    cursor.position += 3 if _MARK.match(mark) else 2
    return row[1].strip() or None, mark.count("~")


READER = TypeScriptReader()
