"""What a sound-synthesis language's interpreter prints: parse errors with carets, dumps with receiver and call stack.

A dump names no line; each frame that is a function carries its source text, which is found in the sources.
"""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam, Value
from jamkey.readers.base import Cursor
from jamkey.text import whole

_ERROR = re.compile(r"ERROR: (.*)$")
_IN = re.compile(r"  in (?:file '(.*)'|interpreted text)$")
_AT = re.compile(r"  line (\d+) char (\d+):$")
_FRAME = re.compile(r"\t(\S.*?)\t0x[0-9a-f]+$")
_VARIABLE = re.compile(r"\t\t(arg|var) (\w+) = (.*)$")
_TYPE = {
    "not understood.": "DoesNotUnderstandError",
    "binary operator": "BinaryOpFailureError",
    "Primitive '": "PrimitiveFailedError",
}


class SuperColliderReader:
    """Reads what sclang prints."""

    name = "supercollider"

    def score(self, text: str) -> float:
        """Score by a dump's headings or a parse error's place."""
        if "ERROR: " in text and ("CALL STACK:" in text or "RECEIVER:" in text):
            return 0.97
        placed = "  in interpreted text" in text or re.search(r"^  line \d+ char \d+:$", text, re.M) is not None
        return 0.95 if "ERROR: " in text and placed else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return errors in order, each once."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        while cursor.more:
            start = cursor.position
            match = _ERROR.match(cursor.peek())
            if match is None or "Command line parse failed" in match[1] or "There is a discrepancy" in match[1]:
                cursor.position = start + 1
                continue
            cursor.take()
            jam = _parse(cursor, match[1]) or _dump(cursor, match[1])
            if jam is not None and not any((jam.message, jam.frames) == (other.message, other.frames) for other in jams):
                jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=max(cursor.position, start + 1)))
            cursor.position = max(cursor.position, start + 1)
        return jams


def _parse(cursor: Cursor, message: str) -> Jam | None:
    place = _IN.match(cursor.peek())
    at = _AT.match(cursor.peek(1))
    if place is None or at is None:
        return None
    cursor.position += 2
    while cursor.more and not cursor.peek().strip():
        cursor.take()
    source = cursor.take().strip()
    frame = Frame(file=place[1] or "<script>", line=whole(at[1]), column=None, source=source)
    return Jam(runtime="supercollider", phase="compile", message=f"ERROR: {message}", frames=(frame,), facts={"column": at[2]})


def _dump(cursor: Cursor, message: str) -> Jam:
    kind = next((name for words, name in _TYPE.items() if words in message), "Error")
    facts: dict[str, str] = {}
    path = ""
    frames: list[Frame] = []
    while cursor.more and not cursor.peek().startswith("^^ ") and not cursor.peek().startswith("ERROR: "):
        line = cursor.take()
        if line.startswith("PATH: "):
            path = line[6:].strip()
        elif line == "RECEIVER:":
            facts["receiver"] = cursor.peek().strip()
        elif line.endswith("CALL STACK:"):
            frames = _frames(cursor, path)
            break
    text = message if kind != "Error" else f"ERROR: {message}"
    if path:
        facts["path"] = path
        facts.pop("path") if not path else None
    return Jam(runtime="supercollider", exception_type=kind, message=text, frames=tuple(reversed(frames)), facts=facts)


def _frames(cursor: Cursor, path: str) -> list[Frame]:
    """Read the call stack, innermost first: methods of the class library, and functions with their text and variables."""
    frames: list[Frame] = []
    while cursor.more:
        match = _FRAME.match(cursor.peek())
        if match is None:
            break
        cursor.take()
        name = match[1]
        source: str | None = None
        values: list[Value] = []
        while cursor.more and not _FRAME.match(cursor.peek()) and not cursor.peek().startswith(("^^", "CALL STACK")):
            line = cursor.peek()
            variable = _VARIABLE.match(line)
            if variable:
                values.append(Value(name=variable[2], type=_sort(variable[3]), text=variable[3][:160]))
            elif line.startswith("\t\tsourceCode = "):
                rows = [line[len("\t\tsourceCode = ") :]]
                while not rows[-1].endswith('"') or (len(rows) == 1 and rows[0] == '"'):
                    cursor.take()
                    if not cursor.more:
                        break
                    rows.append(cursor.peek())
                source = "\n".join(rows).strip('"').replace('\\"', '"')
            elif not line.strip():
                cursor.take()
                return frames
            cursor.take()
        own = name == "a FunctionDef" or ":" not in name
        frames.append(
            Frame(
                file=path or "<script>" if own else "<native>",
                function=None if own else name,
                source=source,
                values=tuple(values),
            )
        )
    return frames


def _sort(text: str) -> str:
    if text == "nil":
        return "Nil"
    if re.fullmatch(r"-?\d+", text):
        return "Integer"
    return "Float" if re.fullmatch(r"-?\d+\.\d+", text) else "Object"


READER = SuperColliderReader()
