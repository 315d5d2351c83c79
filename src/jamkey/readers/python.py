"""Tracebacks of CPython, its relatives, and its fault handler, as text.

Layout: the `traceback` module's documented format ("Traceback (most recent call last):", frames outermost
first, the summary last), exception groups as of PEP 654, marks under the line as of PEP 657, chains as of
PEP 3134. Syntax errors of the main script come without the header.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import msgspec

from jamkey.late import pattern
from jamkey.model import Frame, Jam, Link, Phase, Relation
from jamkey.readers.base import Cursor
from jamkey.readers.python_words import HEADER, NAMED, SYNTAX
from jamkey.text import whole

#: Of a notebook's kernel: the type stands before the header, and a cell in place of a file.
_TYPED_HEADER, _CELL_SIGN = "  Traceback (most recent call last)", " In"
#: What the handler of a log puts before the calls that led to the message it could not write.
_CALLED = "Call stack:"
_CHAIN: dict[str, Relation] = {
    "The above exception was the direct cause of the following exception:": "caused-by",
    "During handling of the above exception, another exception occurred:": "while-handling",
}
_FRAME = pattern(r'\s*File "([^"]*)", line (-?\d+)(?:, in (.*))?$')
_FAULT_FRAME = pattern(r'  File "([^"]*)", line (\d+) in (.*)$')
_SUMMARY = pattern(r"([A-Za-z_][\w.]*)(?:: ?(.*))?$")
_REPEATED = pattern(r"\s*\[Previous line repeated (\d+) more times?\]$")
_MARKS = pattern(r"[ ~^\t]*[~^][ ~^\t]*$")
_LONE = pattern(r"([A-Z]\w*(?:Error|Exception)): (.*) on line (\d+)$")
_LOG_LINE = pattern(
    r"\d{4}-\d\d-\d\d[T ]|\d\d:\d\d(?::\d\d)?[ .,\]]|\[\d|[{<]|(?:DEBUG|INFO|WARNING|ERROR|CRITICAL)\b|Exception in thread |"
    r"Exception ignored |Task exception was never|future: <|\S+ +\| "
)
#: Wordings of the interpreter's own that never run on: what follows them is other output.
_WHOLE = pattern(
    r"name '\w+' is not defined|division by zero$|[\w ]+ index out of range$|No module named |"
    r"'[\w.]+' object (?:has no attribute|is not|does not support)|cannot access local variable |unsupported operand type"
)
#: A trace whose header is missing: a frame with its source, and a summary behind the last one.
_TORN = pattern(r'^ *File "[^"\n]*", line \d+, in ', re.MULTILINE)
#: A syntax error whose place is missing: its marks, and its summary.
_LOST = pattern(rf"^ +[~^][~^ ]*\n(?:{'|'.join(SYNTAX)}): ", re.MULTILINE)
#: A message that runs on for more lines than this is cut; the text itself is kept elsewhere.
_LONGEST_MESSAGE = 200


class PythonReader:
    """Reads what a Python interpreter prints when it stops."""

    name = "python"

    def score(self, text: str) -> float:
        """Score by the header, a frame line of a syntax error, or the fault handler's first line."""
        if HEADER in text:
            return 1.0
        if _TYPED_HEADER in text or ("SyntaxError" in text and ("In[" in text or "In [" in text)):
            return 0.9
        if "File <tokenize>:" in text:
            return 0.9
        if "\nE   " in text and "\n>" in text:
            return 0.8
        if "Fatal Python error: " in text:
            return 1.0
        if 'File "' in text and any(f"{name}: " in text for name in SYNTAX):
            return 0.9
        if _LOST.search(text):
            return 0.6
        if 'File "' in text and ", in " in text and _TORN.search(text):
            return 0.7
        if "Error: " in text and " on line " in text:
            return 0.3
        return 0.0

    def read(self, text: str) -> list[Jam]:
        """Return all tracebacks; identical ones are counted, not repeated."""
        if text.startswith('File "') or '\nFile "' in text:
            from jamkey.readers.unindented import set_in

            text = set_in(text)
        lines = text.split("\n")
        logged = any(_LOG_LINE.match(line) for line in lines)
        jams: list[Jam] = []
        cursor = Cursor(lines)
        while cursor.more:
            start = cursor.position
            jam = _start(cursor, logged=logged)
            if jam is None:
                cursor.position = max(cursor.position, start + 1)
                continue
            jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=jam.last_line or cursor.position))
        return _counted(jams)


def _counted(jams: Sequence[Jam]) -> list[Jam]:
    seen: dict[object, int] = {}
    kept: list[Jam] = []
    for jam in jams:
        same = (jam.exception_type, jam.message, jam.frames)
        if same in seen:
            first = kept[seen[same]]
            kept[seen[same]] = msgspec.structs.replace(first, count=first.count + 1)
        else:
            seen[same] = len(kept)
            kept.append(jam)
    return kept


def _start(cursor: Cursor, *, logged: bool) -> Jam | None:
    """Read one failure that starts at the cursor, or return None without a promise about the place."""
    line = cursor.peek()
    if _CELL_SIGN in line or _TYPED_HEADER in line or "File <tokenize>:" in line:
        # loaded only where its layout shows: most traces come from a script
        from jamkey.readers import kernel

        if kernel.starts(cursor):
            return kernel.read(
                cursor, lambda at, frames: _summary(at, frames, logged=logged), lambda at: _relation(at, kernel.starts)
            )
    if line.startswith("__") and line.endswith("__"):
        from jamkey.readers import testrun

        if testrun.starts(cursor):
            return testrun.read(cursor)
    if HEADER in line:
        return _trace(cursor, logged=logged)
    if line.startswith("Fatal Python error: "):
        return _fault(cursor)
    if 'File "' in line and (place := _FRAME.match(line)):
        return _bare_syntax(cursor, logged=logged) if place[3] is None else _headless(cursor, logged=logged)
    if line.startswith(tuple(f"{name}: " for name in SYNTAX)) and _MARKS.match(cursor.peek(-1) if cursor.position else ""):
        return _summary(cursor, [], logged=logged)  # its place is missing
    if " on line " in line and (lone := _LONE.match(line)):
        cursor.take()
        kind, message, number = lone[1], lone[2], whole(lone[3])
        phase: Phase = "compile" if kind in SYNTAX else "run"
        frame = Frame(file="<main>", line=number)
        return Jam(runtime="python", phase=phase, exception_type=kind, frames=(frame,), message=f"{message} on line {number}")
    return None


def _trace(cursor: Cursor, *, logged: bool) -> Jam | None:
    """Read a whole chain whose first header is at the cursor, prefixes and group margins taken off."""
    line = cursor.peek()
    before = line[: line.index(HEADER)]
    if "+ Exception Group " in before and not before.split("+", 1)[0].strip():
        return _group(cursor, logged=logged)
    if before.strip():
        from jamkey.readers import strands

        return strands.read(cursor, before, lambda inner: _chain(inner, logged=True))
    if before and (jam := _inset(cursor, before, logged=logged)) is not None:
        return jam
    start = cursor.position
    jam = _chain(cursor, logged=logged)
    stopped = cursor.peek(1 if cursor.position == start else 0)
    if logged and (jam is None or jam.exception_type is None) and _LOG_LINE.match(stopped):
        from jamkey.readers import strands

        return strands.read_between(cursor, start, _LOG_LINE.match, lambda inner: _chain(inner, logged=True)) or jam
    return jam


def _inset(cursor: Cursor, margin: str, *, logged: bool) -> Jam | None:
    """Read a trace whose every line is set in by a margin of blanks."""
    following = cursor.peek(1)
    if not following.startswith(margin) or not _FRAME.match(following[len(margin) :]):
        return None
    block = [cursor.peek()[len(margin) :]]
    end = cursor.position + 1
    while end < len(cursor.lines) and cursor.lines[end].startswith(margin.rstrip()):
        block.append(cursor.lines[end][len(margin) :])
        end += 1
    inner = Cursor(block)
    jam = _chain(inner, logged=logged)
    cursor.position += inner.position
    return jam


def _headless(cursor: Cursor, *, logged: bool) -> Jam | None:
    """Read a trace whose first lines are missing: nothing where no exception is named behind its frames."""
    inner = Cursor(cursor.lines, cursor.position)
    _frames(inner)
    if not NAMED.match(inner.peek()):
        cursor.position = inner.position
        return None
    return _chain(cursor, logged=logged)


def _chain(cursor: Cursor, *, logged: bool) -> Jam | None:
    """Read traceback after traceback while a chain sentence stands between them."""
    jam = _one(cursor, logged=logged)
    while jam is not None:
        relation = _relation(cursor)
        if relation is None:
            return jam
        later = _group(cursor, logged=logged) if "+ Exception Group " in cursor.peek() else _one(cursor, logged=logged)
        if later is None:
            return jam
        carried = later.message == jam.message and later.exception_type == jam.exception_type and not _raised_from(later, jam)
        if carried and relation == "caused-by":
            # a worker's failure, raised again where its result was asked for: the worker's frames are the inner ones
            later = msgspec.structs.replace(later, frames=later.frames + jam.frames)
            relation = "carried-by"
        jam = msgspec.structs.replace(later, chain=(Link(relation=relation, jam=jam), *later.chain))
    return jam


def _raised_from(later: Jam, cause: Jam) -> bool:
    """Tell `raise ... from error` in one process: the function that raises again is the one in which the cause was caught."""
    if not later.frames or not cause.frames:
        return False
    last, first = later.frames[-1], cause.frames[0]
    return (last.file, last.function) == (first.file, first.function)


def _relation(cursor: Cursor, starts: Callable[[Cursor], bool] | None = None) -> Relation | None:
    """Consume blank lines, a chain sentence and the lines before the next header; or consume nothing."""
    ahead = 0
    while ahead < 3 and cursor.peek(ahead).strip() in ("", '"""', "|"):
        ahead += 1
    relation = _CHAIN.get(cursor.peek(ahead).strip(" |"))
    if relation is None:
        return None
    ahead += 1
    while ahead < 8 and not cursor.peek(ahead).strip(" |-" if starts else " |"):
        ahead += 1
    if starts is not None and starts(Cursor(cursor.lines, cursor.position + ahead)):
        cursor.position += ahead
        return relation
    if HEADER not in cursor.peek(ahead) and not _FRAME.match(cursor.peek(ahead)):
        return None
    cursor.position += ahead
    return relation


def _one(cursor: Cursor, *, logged: bool) -> Jam | None:
    """Read one traceback: header if there is one, frames, summary with its message."""
    if HEADER in cursor.peek():
        cursor.take()
    frames = _frames(cursor)
    if not frames and not _SUMMARY.match(cursor.peek()):
        return None
    jam = _summary(cursor, frames, logged=logged)
    if jam is not None and cursor.peek().strip() == _CALLED:
        cursor.take()
        jam = msgspec.structs.replace(jam, frames=(*_frames(cursor), *jam.frames))
    return jam


def _frames(cursor: Cursor) -> list[Frame]:
    frames: list[Frame] = []
    while cursor.more:
        line = cursor.peek()
        match = _FRAME.match(line)
        if match:
            cursor.take()
            frames.append(_frame(cursor, match, len(line) - len(line.lstrip())))
            continue
        repeated = _REPEATED.match(line)
        if repeated and frames:
            cursor.take()
            frames[-1] = msgspec.structs.replace(frames[-1], repeated=whole(repeated[1]))
            continue
        return frames
    return frames


def _frame(cursor: Cursor, match: re.Match[str], indent: int) -> Frame:
    """Read the source and mark lines below a frame line; they are indented deeper than the frame line."""
    source: str | None = None
    marked: tuple[int, int] | None = None
    deeper = " " * (indent + 2)
    inset = 0
    while cursor.more:
        line = cursor.peek()
        if source is not None and marked is None and not line.strip() and _goes_on(cursor.peek(1)):
            cursor.take()  # marks of nothing: the program was stopped as it entered a function
            break
        if not line.startswith(deeper) or _FRAME.match(line) or _REPEATED.match(line):
            break
        body = cursor.take()
        if source is None:
            source = body.strip()
            inset = len(body) - len(body.lstrip())
        elif marked is None and _MARKS.match(body):
            marked = _marked(body, inset)
    if match[3] is None and source is None and cursor.peek().strip() and _offers_source(cursor):
        source = cursor.take().strip()  # Python 2 and some relatives print the line without the deeper indentation
    # 3.11 calls it line -1 where a loop jumps back
    number = whole(match[2]) if match[2][0] != "-" else None
    return Frame(file=match[1], line=number, function=match[3], source=source, marked=marked)


def _goes_on(line: str) -> bool:
    return bool(_FRAME.match(line)) or line.strip() == "KeyboardInterrupt"


def _offers_source(cursor: Cursor) -> bool:
    return bool(_MARKS.match(cursor.peek(1))) and cursor.peek().startswith(" ")


def _marked(marks: str, inset: int) -> tuple[int, int]:
    start = len(marks) - len(marks.lstrip())
    end = len(marks.rstrip())
    return (max(start - inset, 0) + 1, max(end - inset, 0) + 1)


def _summary(cursor: Cursor, frames: list[Frame], *, logged: bool) -> Jam | None:
    """Read the line that says what went wrong, and the lines its message runs on for."""
    match = _SUMMARY.match(cursor.peek().strip() if frames else cursor.peek())
    if match is None or not cursor.more:
        # cut off: the frames are still worth having
        return Jam(runtime="python", frames=tuple(frames)) if frames else None
    cursor.take()
    kind, first = match[1], match[2]
    message = first or ""
    rest = (
        []
        if first is None or not cursor.more or _WHOLE.match(message)
        else _more_message(cursor, logged=logged, open_end=message.endswith(":"))
    )
    message = "\n".join([message, *rest])
    return _jam(kind, message, frames)


def _jam(kind: str, message: str, frames: list[Frame]) -> Jam:
    from_source = kind in SYNTAX and bool(frames) and frames[-1].function is None
    main_text = from_source and len(frames) == 1
    phase: Phase = "run"
    if kind == "KeyboardInterrupt":
        phase = "hang"
    elif from_source and (main_text or not frames[-1].file.startswith("<")):
        phase = "compile"
    return Jam(runtime="python", phase=phase, exception_type=kind, message=message, frames=tuple(frames))


def _more_message(cursor: Cursor, *, logged: bool, open_end: bool) -> list[str]:
    """Take the further lines of a message: all that follows, unless it starts something else."""
    taken: list[str] = []
    while cursor.more and len(taken) < _LONGEST_MESSAGE:
        line = cursor.peek()
        if HEADER in line or line.strip() in _CHAIN or line.strip() in ('"""', _CALLED) or _FRAME.match(line):
            break
        if not line.strip():
            break
        if _LOG_LINE.match(line) or (logged and not open_end and not line.startswith((" ", "\t"))):
            break
        taken.append(cursor.take())
    return taken


def _bare_syntax(cursor: Cursor, *, logged: bool) -> Jam | None:
    """Read a syntax error of the main script: a place, the line, the mark, the summary; no header."""
    start = cursor.position
    line = cursor.take()
    place = _FRAME.match(line)
    frame = _frame(cursor, place, len(line) - len(line.lstrip())) if place is not None else None
    match = _SUMMARY.match(cursor.peek())
    if frame is not None and match and match[1] in SYNTAX:
        return _summary(cursor, [frame], logged=logged)
    cursor.position = start + 1
    return None


def _fault(cursor: Cursor) -> Jam:
    """Read the fault handler's text, whose frames stand innermost first."""
    message = cursor.take().strip()
    frames: list[Frame] = []
    while cursor.more:
        line = cursor.peek()
        match = _FAULT_FRAME.match(line)
        if match:
            frames.append(Frame(file=match[1], line=whole(match[2]), function=match[3]))
        elif line.startswith("Extension modules:"):
            cursor.take()
            break
        elif (frames and line.strip() and not line.startswith(("  ", "Thread ", "Current thread "))) or (
            line.startswith("Thread ") and frames
        ):
            break
        cursor.take()
    return Jam(runtime="python", message=message, frames=tuple(reversed(frames)))


def _group(cursor: Cursor, *, logged: bool) -> Jam | None:
    """Read an exception group with its members, which are failures of their own."""
    lines: list[str] = []
    while cursor.more and cursor.peek().lstrip(" ").startswith(("|", "+")):
        lines.append(cursor.take())
    jam = _group_block(lines, logged=logged)
    if jam is None:
        cursor.position += 1
    return jam


def _group_block(lines: list[str], *, logged: bool) -> Jam | None:
    margin = len(lines[0]) - len(lines[0].lstrip(" ")) if lines else 0
    own: list[str] = []
    members: list[list[str]] = []
    for line in lines:
        head, rest = line[:margin], line[margin:]
        if not head.strip() and rest.startswith("+-+-"):
            members.append([])
        elif (not head.strip() and rest.startswith(("| ", "+ "))) or rest == "|":
            own.append(rest[2:])
        elif rest.startswith("  +--"):
            if any(character.isdigit() or character == "." for character in rest):
                members.append([])
        elif members:
            members[-1].append(line)
    if own and own[0].startswith("Exception Group "):
        own[0] = own[0].removeprefix("Exception Group ")
    jam = _chain(Cursor(own), logged=logged)
    if jam is None:
        return None
    links: list[Link] = []
    for block in members:
        member = _group_block(block, logged=logged) if block else None
        if member is not None:
            links.append(Link(relation="member-of", jam=member))
    frames = jam.frames + (links[0].jam.frames if links else ())
    return msgspec.structs.replace(jam, frames=frames, chain=(*jam.chain, *links))


READER = PythonReader()
