"""Stack traces of JavaScript: Node's uncaught errors, and browser consoles in both stack styles.

Layout: V8's stack trace API ("Type: message", then "    at function (file:line:column)", innermost first);
Node prints the place with the line and a mark above it, and properties in braces below. The other browsers
write "function@file:line:column".
"""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam, Link, Phase
from jamkey.readers.base import Cursor
from jamkey.text import whole

_AT = re.compile(
    r"\s*at (?:async )?(?:(.*?) \()?((?:file://|node:|https?://|/|[A-Za-z]:[\\/]|<|\[eval|\[stdin|evalmachine\.)[^()]*?"
    r"|[\w.-][^()\s:]{0,200}\.(?:[cm]?[jt]sx?|html?)):(\d+):(\d+)"
    r"\)?,?(?: \{)?$"
)
_AT_NATIVE = re.compile(r"\s*at (?:async )?(.*?) \((?:<anonymous>|native|index \d+)\),?(?: \{)?$")
#: A browser's console names the file at the end of the line, or before it when it is copied out.
_AT_CONSOLE = re.compile(r"\s+(\S+) ((?:file|https?)://\S+?\.(?:[cm]?[jt]sx?|html?)(?:\?\S*?)?):(\d+)(?::(\d+))?$")
_SHOWN = re.compile(
    r"(?:(?:(\S+\.(?:[cm]?[jt]sx?|html?)):(\d+)(?::\d+)? |error: )(?=Uncaught )|"
    r"\(node:\d+\) (?:\w+Warning: )?(?=[A-Z]\w*Error: ))"
)
_AT_STYLE = re.compile(r"\s*((?:global|module|eval) code|[^\s@]*)@((?:file://|https?://|/)[^\s]*?):(\d+):(\d+)$")
_AT_STYLE_NATIVE = re.compile(r"\s*([^\s@]*)@\[native code\]$")
_SUMMARY = re.compile(
    r"(Uncaught )?(\(in promise\) )?([A-Z][\w.]*(?:Error|Exception|Rejection)|Error)(?: \[\w+\])?(?:: (.*))?$"
)
_PLACE = re.compile(r"((?:file://|node:|/|[A-Za-z]:[\\/]|<anonymous|\[eval|\[stdin|evalmachine\.)[^\s:]*(?::[^\s:]*)*?):(\d+)$")
_MARK = re.compile(r"\s*\^+\s*$")
_CAUSE = re.compile(r"\s*\[cause\]: (.*)$")
_GROUP = re.compile(r"\[(\w*Error): (.*)\] \{$")
_CONSOLE = re.compile(r'\[[^\]]*:CONSOLE:(\d+)\] "(.*)", source: (.*) \((\d+)\)$')
_VERSION = re.compile(r"Node\.js v(\d+\.\d+\.\d+)")
#: Message lines that may stand between a summary and its first frame.
_LONGEST_MESSAGE = 60


class JavaScriptReader:
    """Reads what Node and browser consoles print."""

    name = "javascript"

    def score(self, text: str) -> float:
        """Score by frame lines and Node's last line."""
        if "\nNode.js v" in text:
            return 1.0
        if "    at " in text and re.search(r"(?m)^ +at .*[\w>)]:\d+:\d+\)?$", text):
            return 0.9
        if ":CONSOLE:" in text or re.search(r"(?m)^[ \t]*(?:\w+ code|[^\s@]*)@(?:file|https?)://\S+:\d+:\d+$", text):
            return 0.8
        if "Uncaught " in text and re.search(r"(?m)^(?:\S+:\d+ |error: )?Uncaught (?:\(in promise\) )?[A-Z]\w+", text):
            return 0.8
        return 0.0

    def read(self, text: str) -> list[Jam]:
        """Return the uncaught errors in the text."""
        version = _VERSION.search(text)
        lines = text.split("\n")
        cursor = Cursor(lines)
        jams: list[Jam] = []
        place: tuple[int, Frame] | None = None
        while cursor.more:
            start = cursor.position
            line = cursor.peek()
            found = _place(cursor)
            if found is not None:
                place = (start, found)
                continue
            jam = _console(line) or _start(cursor)
            if jam is None:
                cursor.position = start + 1
                continue
            if cursor.position == start:
                cursor.take()
            first = start
            if place is not None and start - place[0] < 12:
                first = place[0]
                jam = _with_place(jam, place[1])
            place = None
            if not jam.frames and first == start and jam.phase == "run" and not line.startswith("Uncaught"):
                continue  # a line that merely mentions an error
            if version and jam.runtime_version is None:
                jam = msgspec.structs.replace(jam, runtime_version=version[1])
            jams.append(msgspec.structs.replace(jam, first_line=first + 1, last_line=cursor.position))
        return jams


def _place(cursor: Cursor) -> Frame | None:
    """Read Node's head: `file:line`, the source line, a mark. Moves past it when it is one."""
    match = _PLACE.match(cursor.peek())
    if match is None:
        return None
    source = cursor.peek(1)
    marks = cursor.peek(2)
    marked: tuple[int, int] | None = None
    inset = len(source) - len(source.lstrip())
    if _MARK.match(marks) and "^" in marks:
        marked = (max(marks.index("^") - inset, 0) + 1, max(len(marks.rstrip()) - inset, 0) + 1)
        cursor.position += 3
    elif not source.strip() and not marks.strip():
        cursor.position += 2
    else:
        return None
    return Frame(file=_file(match[1]), line=whole(match[2]), source=source.strip() or None, marked=marked)


def _file(text: str) -> str:
    return text.removeprefix("file://")


def _start(cursor: Cursor) -> Jam | None:
    """Read a summary with its frames at the cursor."""
    line = cursor.peek()
    group = _GROUP.match(line)
    if group:
        cursor.take()
        return _aggregate(cursor, group[1], group[2])
    shown = _SHOWN.match(line)
    match = _SUMMARY.match(line, shown.end() if shown is not None else 0)
    if match is None:
        return None
    cursor.take()
    jam = _error(cursor, match)
    if shown is not None and shown[1] and not jam.frames:
        jam = msgspec.structs.replace(jam, frames=(Frame(file=_file(shown[1]), line=whole(shown[2])),))
    return jam


def _error(cursor: Cursor, match: re.Match[str]) -> Jam:
    message = [match[4] or ""]
    start = cursor.position
    while cursor.more and len(message) < _LONGEST_MESSAGE:
        line = cursor.peek()
        if _at(line) is not None or _MARK.match(line):
            break
        message.append(cursor.take())
    if len(message) > 1 and _MARK.match(cursor.peek()) and _at(cursor.peek(1)) is not None:
        message.pop()  # the line of the source, with a mark below it
        cursor.take()
    if not cursor.more or _at(cursor.peek()) is None:
        # no frames follow: what was taken as message was other output
        cursor.position = start
        message = message[:1]
    frames = _frames(cursor)
    chain: list[Link] = []
    if cursor.lines[cursor.position - 1].rstrip().endswith("{"):
        chain = _properties(cursor)
    text = "\n".join(message).rstrip("\n")
    text = text.split("\nRequire stack:", 1)[0]
    kind = match[3]
    return Jam(
        runtime="javascript",
        phase=_phase(kind, text, frames),
        exception_type=kind,
        message=text,
        # an error that wraps its cause was made further out: the cause's own frames lead to where it arose
        frames=tuple(reversed(frames)) + (chain[0].jam.frames if chain else ()),
        chain=tuple(chain),
    )


def _phase(kind: str, message: str, frames: list[Frame]) -> Phase:
    """A syntax error that no code of the program's raised comes from the compiler."""
    if kind == "SyntaxError" and all(frame.file.startswith(("node:", "<")) for frame in frames):
        reads = any(frame.function and frame.function.startswith("JSON.") for frame in frames)
        return "run" if reads or "JSON" in message else "compile"  # the data are no program
    return "run"


def _frames(cursor: Cursor) -> list[Frame]:
    frames: list[Frame] = []
    while cursor.more:
        line = cursor.peek()
        if line.strip().startswith(("... ", "[... ")) and line.rstrip().endswith(("trace ...", "trace ...]")):
            cursor.take()
            continue
        frame = _at(line)
        if frame is None:
            return frames
        frames.append(frame)
        cursor.take()
        if line.rstrip().endswith("{"):
            return frames
    return frames


def _at(line: str) -> Frame | None:
    """Return the frame a line states, or None."""
    stripped = line.lstrip()
    if stripped.startswith("at "):
        match = _AT.match(line)
        if match:
            function = match[1] or None
            if function == "Object.<anonymous>":
                function = "<module>"
            column = whole(match[4])
            return Frame(file=_file(match[2]), line=whole(match[3]), column=column, function=function)
        native = _AT_NATIVE.match(line)
        if native:
            return Frame(file="<native>", function=native[1])
        return None
    if "@" in stripped:
        match = _AT_STYLE.match(line)
        if match:
            function = "<module>" if match[1].endswith(" code") else match[1] or None
            return Frame(file=_file(match[2]), line=whole(match[3]), column=whole(match[4]), function=function)
        native = _AT_STYLE_NATIVE.match(line)
        if native:
            return Frame(file="<native>", function=native[1])
    console = _AT_CONSOLE.match(line)
    if console is not None:
        at = whole(console[4]) if console[4] else None
        function = None if console[1].startswith("<") else console[1]
        return Frame(file=_file(console[2]), line=whole(console[3]), column=at, function=function)
    return None


def _properties(cursor: Cursor) -> list[Link]:
    """Read the braces below an error; a `[cause]` in them is a failure of its own."""
    links: list[Link] = []
    while cursor.more:
        line = cursor.peek()
        if line == "}" or not line.startswith(" "):
            cursor.take()
            return links
        cause = _CAUSE.match(line)
        cursor.take()
        if cause:
            match = _SUMMARY.match(cause[1])
            if match:
                links.append(Link(relation="caused-by", jam=_error(cursor, match)))
    return links


def _aggregate(cursor: Cursor, kind: str, message: str) -> Jam:
    """Read an AggregateError: its members stand in `[errors]`; the first one's frames say where."""
    links: list[Link] = []
    while cursor.more:
        line = cursor.peek()
        if line == "}":
            cursor.take()
            break
        match = _SUMMARY.match(line.strip())
        if match:
            cursor.take()
            links.append(Link(relation="member-of", jam=_error(cursor, match)))
            continue
        if not line.startswith(" "):
            break
        cursor.take()
    frames = links[0].jam.frames if links else ()
    return Jam(runtime="javascript", exception_type=kind, message=message, frames=frames, chain=tuple(links))


def _console(line: str) -> Jam | None:
    """Read a browser's console line in its log."""
    match = _CONSOLE.match(line)
    if match is None:
        return None
    summary = _SUMMARY.match(match[2])
    if summary is None:
        return None
    frame = Frame(file=_file(match[3]), line=whole(match[4]))
    return Jam(runtime="javascript", exception_type=summary[3], message=summary[4] or "", frames=(frame,))


def _with_place(jam: Jam, place: Frame) -> Jam:
    """Join Node's head with the frames: it carries the line's text, and for compile errors the only place."""
    frames = list(jam.frames)
    for index in range(len(frames) - 1, -1, -1):
        if frames[index].file == place.file and frames[index].line == place.line:
            frames[index] = msgspec.structs.replace(frames[index], source=place.source, marked=place.marked)
            return msgspec.structs.replace(jam, frames=tuple(frames))
    # a file that is loaded while the program runs: the loader's frames follow, and the head alone names the file
    is_loaded = jam.exception_type == "SyntaxError" and bool(frames) and frames[-1].file.startswith("node:")
    phase: Phase = "compile" if is_loaded else jam.phase
    if phase == "compile" or not frames:
        frames.append(place)
    return msgspec.structs.replace(jam, frames=tuple(frames), phase=phase)


READER = JavaScriptReader()
