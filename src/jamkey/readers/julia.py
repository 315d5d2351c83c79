"""What Julia 1.6 to 1.11 prints: LoadError around the error, a numbered stack with `@` places, both parsers' errors."""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam, Link
from jamkey.readers.base import Cursor
from jamkey.text import whole

_ERROR = re.compile(r"(?:ERROR: |Unhandled Task ERROR: )(?:LoadError: |InitError: )*(.*)$")
#: Behind what was printed without the end of a line.
_BEHIND = re.compile(r"[^\n]{1,200}?ERROR: LoadError: (.*)$")
#: In a notebook, which says no `ERROR:`; the stack is below.
_PLAIN = re.compile(r"(?:LoadError: |InitError: )*((?:[A-Z]\w*(?:Error|Exception)|DimensionMismatch)\b.*)$")
#: Lines of a message at most, above its stack.
_ABOVE = 12
#: What the prompt says of a text that is no program.
_AT_PROMPT = re.compile(r"^ERROR: (?:ParseError:$|syntax: )", re.M)
_CAUSE = re.compile(r"caused by: (?:LoadError: |InitError: )*(.*)$")
_NESTED = re.compile(r"( +)nested task error: (.*)$")
_STARTED = re.compile(r"in expression starting at (\S+?):(\d+)$")
_FRAME = re.compile(r"\s*\[(\d+)\] (.*)$")
_PLACE = re.compile(r"\s*@ (?:(\S+) )?(\S+?):(\d+)(?: \[inlined\])?$")
_SAME_LINE = re.compile(r"(.*?) @ (?:(\S+) )?(\S+?):(\d+)(?: \[inlined\])?$")
_REPEATS = re.compile(r"\(repeats (\d+) times\)")
_SYNTAX_AT = re.compile(r"# Error @ (\S+?):(\d+):(\d+)$")
_OLD_SYNTAX = re.compile(r"syntax: (.*?)(?: around (\S+?):(\d+))?$")
#: What ends the words of a failure.
_ENDS = ("Stacktrace:", "in expression starting at", "ERROR: ", "caused by: ")
_TYPED = re.compile(r"([A-Z]\w*(?:Error|Exception|Mismatch))\b")


class JuliaReader:
    """Reads what Julia prints when a script stops."""

    name = "julia"

    def score(self, text: str) -> float:
        """Score by the stack's form or LoadError."""
        if "ERROR: LoadError: " in text:
            return 0.97
        if "ERROR: " in text and "\nStacktrace:" in text:
            return 0.95
        if "Stacktrace:\n" in text and "\n [1] " in text:
            return 0.9
        return 0.9 if _AT_PROMPT.search(text) is not None else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return the errors in order."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        while cursor.more:
            start = cursor.position
            match = _ERROR.match(cursor.peek()) or _BEHIND.match(cursor.peek()) or _without_word(cursor)
            if match is None:
                cursor.position = start + 1
                continue
            cursor.take()
            jam = _with_causes(cursor, _failure(cursor, match[1]))
            jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=cursor.position))
        return jams


def _without_word(cursor: Cursor) -> re.Match[str] | None:
    """Return the line of a failure that has its stack below, and nothing to say that it is one."""
    match = _PLAIN.match(cursor.peek())
    if match is None:
        return None
    ahead = next((step for step in range(1, _ABOVE) if cursor.peek(step).startswith(_ENDS)), 0)
    return match if cursor.peek(ahead).startswith("Stacktrace:") else None


def _with_causes(cursor: Cursor, jam: Jam) -> Jam:
    """Read what led to a failure, printed behind it."""
    while cursor.more:
        blank = 1 if not cursor.peek().strip() else 0
        match = _CAUSE.match(cursor.peek(blank))
        if match is None:
            break
        cursor.position += blank + 1
        jam = msgspec.structs.replace(jam, chain=(*jam.chain, Link(relation="caused-by", jam=_failure(cursor, match[1]))))
    return jam


def _failure(cursor: Cursor, message: str) -> Jam:
    body: list[str] = []
    inner: Jam | None = None
    while cursor.more and not cursor.peek().startswith(_ENDS) and len(body) < 60:
        nested = _NESTED.match(cursor.peek())
        if nested is not None and inner is None:
            cursor.take()
            inner = _nested(cursor, nested[1], nested[2])
            continue
        body.append(cursor.take())
    frames: list[Frame] = []
    if cursor.peek().startswith("Stacktrace:"):
        cursor.take()
        frames = _frames(cursor)
    while (started := _STARTED.match(cursor.peek())) or cursor.peek().startswith("in expression starting at"):
        cursor.take()
        # the statement that was running, where the stack holds nothing but the library's own
        if started and all(frame.file.startswith("<julia>") for frame in frames):
            frames.insert(0, Frame(file=started[1], line=whole(started[2])))
    if inner is not None:
        # a task says only that it failed: what failed is what ran in it, for those who waited
        waiting = tuple(frame for frame in frames if not frame.file.startswith("<julia>"))
        return msgspec.structs.replace(inner, frames=(*waiting, *inner.frames))
    if message.startswith("ParseError"):
        at = next((found for row in body if (found := _SYNTAX_AT.match(row))), None)
        said = next((row.split("── ", 1)[1] for row in body if "── " in row), message)
        shown = (Frame(file=at[1], line=whole(at[2]), column=whole(at[3])),) if at else tuple(frames)
        return Jam(runtime="julia", phase="compile", exception_type="ParseError", message=said, frames=shown)
    old = _OLD_SYNTAX.match(message) if message.startswith("syntax: ") else None
    if old:
        placed = re.search(r"(?:at|around) (\S+?):(\d+)", message)
        frame = Frame(file=placed[1], line=whole(placed[2])) if placed else None
        return Jam(
            runtime="julia",
            phase="compile",
            exception_type="syntax error",
            message=message,
            frames=(frame,) if frame else tuple(frames),
        )
    typed = _TYPED.match(message)
    facts = {"hint": body[0].strip()} if body and body[0].strip() and not body[0].startswith("Closest") else {}
    return Jam(
        runtime="julia",
        exception_type=typed[1] if typed else "ErrorException",
        message=message,
        frames=tuple(frames),
        facts=facts,
    )


def _nested(cursor: Cursor, indent: str, message: str) -> Jam:
    """Read the failure of a task, set in by some blanks."""
    rows: list[str] = []
    while cursor.more and (cursor.peek().startswith(indent) or not cursor.peek().strip()) and len(rows) < 400:
        rows.append(cursor.take()[len(indent) :])
    return _failure(Cursor(rows), message)


def _frames(cursor: Cursor) -> list[Frame]:
    """Read the stack, innermost first; returned outermost first, the includer before the included."""
    frames: list[Frame] = []
    while cursor.more:
        match = _FRAME.match(cursor.peek())
        if match is None:
            if cursor.peek().strip() == "" or cursor.peek().strip().startswith("..."):
                cursor.take()
                continue
            break
        cursor.take()
        words = match[2]
        repeats = _REPEATS.search(words)
        place = _PLACE.match(cursor.peek())
        module = None
        if place:
            cursor.take()
            module, file, line = place[1], place[2], whole(place[3])
        else:
            inline = _SAME_LINE.match(words)
            if inline is None:
                continue
            words, module, file, line = inline[1], inline[2], inline[3], whole(inline[4])
        function = re.match(r"[\w!#.@∘]+", words)
        name = None if words.startswith("top-level scope") else function[0] if function else None
        if file.startswith("./") or (module is not None and module.split(".")[0] in ("Base", "Core")):
            file = f"<julia>/{file.removeprefix('./')}"
        if file in ("none", "<julia>/none"):
            file = "<julia>/none"
        frames.append(Frame(file=file, line=line or None, function=name, repeated=whole(repeats[1]) - 1 if repeats else 0))
    return list(reversed(frames))


READER = JuliaReader()
