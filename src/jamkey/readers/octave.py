"""What GNU Octave prints (`error:`, `called from`, parse errors), and the commercial dialect's "Error in f (line n)"."""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.text import whole

_ERROR = re.compile(r"(error|warning): (.*)$")
_PARSE = re.compile(r"(?:error: )?parse error(?: near line (\d+) of file (.*))?:?$")
_CALLED = re.compile(r"(?:error|warning): called from$")
_FRAME = re.compile(r"(?:\s+|(?=\S.* at line \d))(\S.*?)(?: at line (-?\d+)(?: column (-?\d+))?)?$")
#: What the runtime says of its own end, after the failure.
_ENDING = re.compile(r"^ignoring .{1,80} while preparing to exit$")
_NEAR = re.compile(r"(.*) near line (-?\d+),? column (-?\d+)$")
_OTHER = re.compile(r"Error in (\S+?)(?:>([\w/]+))? \(line (\d+)\)$")
_OTHER_PARSE = re.compile(r"Error: File: (\S+) Line: (\d+) Column: (\d+)$")
_QUIET = ("singular to machine precision", "division by zero", "implicit conversion", "rank deficient")


#: Lines of a message that tells how a function is used.
_LONGEST_USAGE = 40


class OctaveReader:
    """Reads what a matrix language's interpreter prints when it stops."""

    name = "octave"

    def score(self, text: str) -> float:
        """Score by `error: called from`, a parse error's form, or the other dialect's frames."""
        if "error: called from" in text or "parse error near line" in text or "warning: called from" in text:
            return 0.95
        if re.search(r"^Error in \S+ \(line \d+\)$", text, re.M) or re.search(
            r"(?m)^Error: File: \S+ Line: \d+ Column: \d+$", text
        ):
            return 0.9
        if re.search(r"^(?:error: )?parse error:$", text, re.M) and ">>>" in text:
            return 0.9
        rows = text.strip().split("\n")
        # without frames only the last word of a program counts: others say "error: " as well
        return 0.4 if re.match(r"error: \S", rows[-1]) else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return errors in order; a warning only where no error follows."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        while cursor.more:
            start = cursor.position
            jam = _parse(cursor) or _other(cursor) or _error(cursor)
            if jam is None:
                cursor.position = start + 1
                continue
            jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=cursor.position))
        loud = [jam for jam in jams if jam.phase != "quiet" and not (_ENDING.search(jam.message or "") and len(jams) > 1)]
        return loud or jams[:1]


def _parse(cursor: Cursor) -> Jam | None:
    match = _PARSE.match(cursor.peek())
    if match is None:
        return None
    cursor.take()
    said = ""
    source = None
    column = None
    for _ in range(8):
        line = cursor.peek()
        if line.startswith(">>>"):
            shown = cursor.take()[4:]
            source = shown.strip()
            if cursor.peek().strip() == "^":
                column = len(cursor.take().rstrip()) - 4
            break
        if not cursor.more or line.startswith("error:"):
            break
        said = said or line.strip()
        cursor.take()
    message = said if said and said != "syntax error" else "parse error"
    line_number = whole(match[1]) if match[1] else None
    frame = Frame(file=match[2] or "<script>", line=line_number, column=column, source=source)
    facts = {"said": said} if said else {}
    return Jam(
        runtime="octave",
        phase="compile",
        message=message if message != "parse error" else "parse error",
        frames=(frame,),
        facts=facts,
    )


def _error(cursor: Cursor) -> Jam | None:
    match = _ERROR.match(cursor.peek())
    if match is None or _CALLED.match(cursor.peek()):
        return None
    quiet = match[1] == "warning"
    if quiet and not any(words in match[2] for words in _QUIET):
        return None
    cursor.take()
    message = match[2]
    near = _NEAR.match(message)
    column = None
    if near:
        message, column = near[1], whole(near[3])
    frames: list[Frame] = []
    rest = _before_calls(cursor)
    if rest is not None:
        more = [cursor.peek(ahead).strip() for ahead in range(rest)]
        message = "\n".join([message, *filter(None, more)])
        cursor.position += rest + 1
        while cursor.more and (cursor.peek().startswith("    ") or " at line " in cursor.peek()):
            found = _FRAME.match(cursor.peek())
            if found is None:
                break
            cursor.take()
            line = whole(found[2]) if found[2] and whole(found[2]) > 0 else None
            # the column is that of the statement's operator, not of what failed: it would only mislead
            frames.append(Frame(file=f"{found[1].split('>')[0]}.m", function=found[1].split(">")[-1], line=line))
    elif near and whole(near[2]) > 0:
        frames.append(Frame(file="<script>", line=whole(near[2]), column=column))
    return Jam(runtime="octave", phase="quiet" if quiet else "run", message=message, frames=tuple(reversed(frames)))


def _before_calls(cursor: Cursor) -> int | None:
    """Return how many more lines a message has before the calls are listed: how a function is used, what else there is."""
    for ahead in range(_LONGEST_USAGE):
        line = cursor.peek(ahead)
        if _CALLED.match(line):
            return ahead
        if _ERROR.match(line) or _PARSE.match(line):
            break
    return None


def _other(cursor: Cursor) -> Jam | None:
    """The other dialect: the message first, then a frame with its line and marks, innermost first."""
    parse = _OTHER_PARSE.match(cursor.peek())
    if parse:
        cursor.take()
        message = cursor.take().strip()
        return Jam(
            runtime="octave",
            phase="compile",
            message=message,
            frames=(Frame(file=parse[1], line=whole(parse[2]), column=whole(parse[3])),),
        )
    message = cursor.peek().strip()
    ahead = 1
    while ahead < 6 and not cursor.peek(ahead).strip():
        ahead += 1
    if not message or _OTHER.match(message) or not _OTHER.match(cursor.peek(ahead)):
        return None
    cursor.position += ahead
    frames: list[Frame] = []
    while cursor.more:
        match = _OTHER.match(cursor.peek())
        if match is None:
            if cursor.peek().strip() or not _OTHER.match(cursor.peek(1)):
                break
            cursor.take()
            continue
        cursor.take()
        source = cursor.peek()
        column = None
        if source.strip() and not _OTHER.match(source):
            cursor.take()
            marks = cursor.peek()
            if marks.strip() and set(marks.strip()) == {"^"}:
                column = len(marks) - len(marks.lstrip()) + 1
                cursor.take()
        name = match[1].split("/")[0]
        frames.append(
            Frame(
                file=f"{name}.m", function=match[2] or name, line=whole(match[3]), source=source.strip() or None, column=column
            )
        )
    return Jam(runtime="octave", message=message, frames=tuple(reversed(frames)))


READER = OctaveReader()
