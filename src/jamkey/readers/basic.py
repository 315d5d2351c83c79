"""The dialog texts of office macro languages: number, message, module, procedure, the line that is marked."""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.text import whole

_RUN = re.compile(r"(Run-time error '(-?\d+)(?: \([0-9a-fA-F]+\))?'):?(?: (.+))?$")
_COMPILE = re.compile(r"Compile error:?(?: ([A-Z].+))?$")
_OFFICE = re.compile(r"(?:BASIC runtime error|Error) (\d+) \(line (\d+)\): (.*)$")
_OFFICE_TYPE = re.compile(r"BASIC runtime error\.?$")
_MODULE = re.compile(r"Module: (.*)$")
_PROCEDURE = re.compile(r"Procedure: (.*)$")
_MARKED = re.compile(r"=>\s*(\d+)  ?(.*)$")
#: Signs of the shortest line that says something: `=>1`.
_SHORTEST = 3


class BasicReader:
    """Reads what an office program's macro dialog says, and what is noted beside it."""

    name = "basic"

    def score(self, text: str) -> float:
        """Score by the dialog's first line."""
        if re.search(r"^Run-time error '-?\d+", text, re.M):
            return 0.95
        if re.search(r"^Compile error:?(?: [A-Z].+)?$", text, re.M):
            return 0.8
        return (
            0.9
            if re.search(r"^(?:BASIC runtime error|Error) \d+ \(line \d+\): ", text, re.M) or "BASIC runtime error" in text
            else 0.0
        )

    def read(self, text: str) -> list[Jam]:
        """Return the failures in order; a place noted before or after the dialog belongs to it."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        module = procedure = source = ""
        line: int | None = None
        while cursor.more:
            start = cursor.position
            row = cursor.take()
            words = row.strip()
            if len(words) < _SHORTEST:
                continue
            if (found := _MODULE.match(row)) is not None:
                module = found[1].strip()
            elif (found := _PROCEDURE.match(row)) is not None:
                procedure = found[1].strip()
            elif (found := _MARKED.match(row)) is not None:
                line, source = whole(found[1]), found[2].strip()
            elif (found := _OFFICE.match(row)) is not None:
                frame = Frame(file="<script>", line=None)
                message = _raised(found[3], cursor)
                jams.append(
                    Jam(
                        runtime="basic",
                        exception_type=found[1],
                        message=message,
                        frames=(frame,),
                        facts={"line": found[2]},
                        first_line=start + 1,
                        last_line=cursor.position,
                    )
                )
            elif (found := _RUN.match(words) or _COMPILE.match(words)) is not None:
                ran = found.re is _RUN
                kind, message = found[1] if ran else "Compile error", found[3 if ran else 1]
                while not message and cursor.more:
                    message = cursor.take().strip()
                message = message or ""
                jams.append(
                    Jam(
                        runtime="basic",
                        phase="run" if ran else "compile",
                        exception_type=kind,
                        message=message,
                        first_line=start + 1,
                        last_line=cursor.position,
                    )
                )
        if jams and (module or line):
            file = module if "." in module else f"{module}.bas" if module else "<script>"
            frame = Frame(file=file, line=line, function=procedure or None, source=source or None)
            jams[-1] = msgspec.structs.replace(jams[-1], frames=(frame,))
        return jams


def _raised(message: str, cursor: Cursor) -> str:
    """Return what the office's own objects raised: type and message, which may stand on lines of their own."""
    if not message.startswith("An exception occurred"):
        return message
    while cursor.more and cursor.peek().startswith(("Type: ", "Message: ")):
        message += " " + cursor.take()
    found = re.search(r"Type: (\S+)\s+Message: (.*)$", message)
    if found is None:
        return message
    told = re.sub(r"(?:^| )at \S+:\d+\.?$", "", found[2]).strip(" .")
    return f"{found[1]}: {told}" if told else found[1]


READER = BasicReader()
