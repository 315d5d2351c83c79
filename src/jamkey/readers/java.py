"""What a Java runtime and its compiler print: uncaught exceptions with causes and suppressed ones, compile errors.

Layout: `Throwable.printStackTrace` (frames innermost first, "Caused by:", "Suppressed:", "... n more"), and the
compiler's `File.java:line: error: text` with the line, a caret, and details below.
"""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam, Link
from jamkey.readers.base import Cursor
from jamkey.text import whole

_UNCAUGHT = re.compile(r'(?:Exception in thread "[^"]*" )?([A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*)(?:: (.*))?$')
_THREAD = re.compile(r'Exception in thread "[^"]*" ')
_FRAME = re.compile(r"\s*at (?:[\w.@$]*/)*([\w.$<>]+)\.([\w$<>]+)\(([^()]*)\)$")
_CAUSE = re.compile(r"(\s*)(Caused by|Suppressed): ([\w.$]+)(?:: (.*))?$")
_MORE = re.compile(r"\s*\.\.\. \d+ (?:more|common frames omitted)$")
_COMPILE = re.compile(r"(\S.*\.java):(\d+): error: (.*)$")
#: The same as builders and workbenches print it: place and words on one line or two, and no source below.
_BUILT = re.compile(r"\[ERROR\] (\S.*\.java):\[(\d+),(\d+)\] (?:error: )?(.*)$")
_PLACED = re.compile(r"(\S.*\.java):(\d+):(\d+)$")
_SAID = re.compile(r"java: (.*)$")
#: A class that was built all the same, with what its compiler refused put in its place.
_UNRESOLVED = "Unresolved compilation problem"
_NOT_STARTED = re.compile(r"Error: (Could not find or load main class .*|Main method not found in .*|LinkageError .*)$")
_DETAIL = re.compile(r"(?:\[ERROR\])?\s+(symbol|location|required|found|reason|first type|second type): *(.*)$")


class JavaReader:
    """Reads what a Java program or the compiler prints when it stops."""

    name = "java"

    def score(self, text: str) -> float:
        """Score by frames with a .java place, by the compiler's form, by the launcher's words."""
        if "\tat " in text and (".java:" in text or "(Native Method)" in text or "(Unknown Source)" in text):
            return 0.95
        if ".java:" in text and ": error: " in text:
            return 0.95
        if ".java:[" in text or ("\njava: " in text and ".java:" in text):
            return 0.9
        if "Error: Could not find or load main class" in text or "Error: Main method not found in class" in text:
            return 0.9
        return 0.4 if 'Exception in thread "' in text and "java." in text else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return exceptions and compile errors in order."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        while cursor.more:
            start = cursor.position
            jam = _failure(cursor)
            if jam is None:
                cursor.position = start + 1
                continue
            jams.append(msgspec.structs.replace(_as_refused(jam), first_line=start + 1, last_line=cursor.position))
        return _first_of_compiler(jams)


def _first_of_compiler(jams: list[Jam]) -> list[Jam]:
    """Of a compiler's errors the first is the one to mend; those after it often follow from it."""
    compiled = [jam for jam in jams if jam.phase == "compile"]
    if len(compiled) < 2:
        return jams
    return [*[jam for jam in jams if jam.phase != "compile"], compiled[0]]


def _failure(cursor: Cursor) -> Jam | None:
    line = cursor.peek()
    if (built := _built_error(cursor)) is not None:
        return built
    compiled = _COMPILE.match(line) if ": error: " in line else None
    if compiled:
        return _compile_error(cursor, compiled)
    started = _NOT_STARTED.match(line)
    if started:
        cursor.take()
        cause = _CAUSE.match(cursor.peek())
        if cause:
            cursor.take()
            name = (cause[4] or "").split(" ")[0].rpartition(".")[2]
            frame = Frame(file=f"{name}.java", line=1)
            return Jam(runtime="java", exception_type=cause[3], message=cause[4], frames=(frame,))
        return Jam(runtime="java", message=started[1])
    thread = _THREAD.match(line)
    found = _UNCAUGHT.match(line.strip().removeprefix("Caused by: "))  # the first lines may be missing
    if found is None or not (thread or _starts_trace(cursor)):
        return None
    cursor.take()
    message = [found[2]] if found[2] is not None else []
    while cursor.more and message and not _FRAME.match(cursor.peek()) and not _CAUSE.match(cursor.peek()) and len(message) < 40:
        if not any(_FRAME.match(cursor.peek(ahead)) for ahead in range(1, 4)):
            break
        message.append(cursor.take())
    return _trace(cursor, found[1], "\n".join(message) if message else None, 0)


def _starts_trace(cursor: Cursor) -> bool:
    following = cursor.peek(1)
    return bool(_FRAME.match(following)) and following.startswith(("\tat ", "    at ", "        at "))


def _trace(cursor: Cursor, kind: str, message: str | None, depth: int) -> Jam:
    """Read frames, then what caused it and what was suppressed; the deepest cause's frames are the inner ones."""
    frames: list[Frame] = []
    repeated = 0
    while cursor.more:
        match = _FRAME.match(cursor.peek())
        if match is None:
            break
        cursor.take()
        frame = _frame(match)
        if frames and frame == msgspec.structs.replace(frames[-1], repeated=0):
            repeated += 1
            frames[-1] = msgspec.structs.replace(frames[-1], repeated=repeated)
        else:
            repeated = 0
            frames.append(frame)
    if _MORE.match(cursor.peek()):
        cursor.take()
    jam = Jam(runtime="java", exception_type=kind, message=message, frames=tuple(reversed(frames)))
    while depth < 20:
        cause = _CAUSE.match(cursor.peek())
        if cause is None:
            return jam
        cursor.take()
        inner = _trace(cursor, cause[3], cause[4], depth + 1)
        relation = "caused-by" if cause[2] == "Caused by" else "member-of"
        if relation == "caused-by":
            # the frames that both share are printed once: the cause's own come behind them
            jam = msgspec.structs.replace(jam, frames=jam.frames + inner.frames)
        jam = msgspec.structs.replace(jam, chain=(*jam.chain, Link(relation=relation, jam=inner)))  # type: ignore[arg-type]
    return jam


def _frame(match: re.Match[str]) -> Frame:
    owner, function, place = match[1], match[2], match[3]
    file, _, number = place.rpartition(":")
    if not file:
        return Frame(file=f"<{owner}>", function=function)
    folder = "/".join(owner.split("$", 1)[0].split(".")[:-1])
    return Frame(
        file=f"{folder}/{file}" if folder else file, line=whole(number) if number.isdigit() else None, function=function
    )


def _built_error(cursor: Cursor) -> Jam | None:
    """Read what a builder or a workbench passes on from the compiler; None where that does not begin here."""
    match = _BUILT.match(cursor.peek())
    placed = _PLACED.match(cursor.peek()) if match is None else None
    said = _SAID.match(cursor.peek(1)) if placed is not None else None
    if match is None and said is None:
        return None
    cursor.take()
    if said is not None:
        cursor.take()
    file, line, column = (match or placed).groups()[:3]  # type: ignore[union-attr]
    facts = _told(_details(cursor))
    frame = Frame(file=file, line=whole(line), column=whole(column))
    message = match[4] if match is not None else said[1] if said is not None else ""
    return Jam(runtime="java", phase="compile", message=message, frames=(frame,), facts=facts)


#: What the compiler calls the types that do not go together -> fact.
_OF_TYPES = {"first type": "left", "second type": "right", "required": "wanted", "found": "given"}


def _details(cursor: Cursor) -> dict[str, str]:
    found: dict[str, str] = {}
    while (detail := _DETAIL.match(cursor.peek())) is not None:
        cursor.take()
        found[detail[1]] = detail[2]
    return found


def _told(details: dict[str, str]) -> dict[str, str]:
    """Return the facts in what the compiler says of a name that it misses, or of two types that do not go together."""
    if "symbol" in details:
        return {"name": details["symbol"].split(" ")[-1].split("(")[0], "sort": details["symbol"].split(" ")[0]}
    if "reason" in details:
        return {}  # what a call requires and finds is no type
    return {fact: details[word] for word, fact in _OF_TYPES.items() if word in details}


def _as_refused(jam: Jam) -> Jam:
    """Return what a compiler refused, where the program was run all the same and came to that place."""
    rows = [row.strip() for row in (jam.message or "").split("\n")]
    if not rows or not rows[0].startswith(_UNRESOLVED) or not jam.frames:
        return jam
    said = next((row for row in rows[1:] if row), jam.message)
    return msgspec.structs.replace(jam, phase="compile", exception_type=None, message=said)


def _compile_error(cursor: Cursor, match: re.Match[str]) -> Jam:
    cursor.take()
    source = cursor.take() if cursor.more else ""
    column = None
    if cursor.peek().strip() == "^":
        column = len(cursor.take().rstrip())
    facts = _told(_details(cursor))
    frame = Frame(file=match[1], line=whole(match[2]), column=column, source=source.strip() or None)
    return Jam(runtime="java", phase="compile", message=match[3], frames=(frame,), facts=facts)


READER = JavaReader()
