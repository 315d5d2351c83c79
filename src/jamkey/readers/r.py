"""What Rscript prints: errors with their call and the chain of calls, parse errors with echo, warnings, traceback().

Plain Rscript names no file and no line; the calls are kept as frames, and the places are found in the sources.
"""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.readers.r_bullets import bulleted
from jamkey.text import whole

#: What R puts between a call and what is said of it; the blanks at the end of a line are often lost.
_BETWEEN = re.compile(r" :(?: |$)|:(?= |$)")
_QUOTED = re.compile(r"\"(?:[^\"\\]|\\.)*\"|'(?:[^'\\]|\\.)*'|`[^`]*`")
_ERROR = re.compile(r"Error(?: in [\w.]+\(\))? ?: (.*)$")
_CALLS = re.compile(r"Calls: (.*)$")
_TRACE = re.compile(r"\s*(\d+): (.*?)(?: at (?:(\S+?)?#(\d+)))?$")
_PARSE = re.compile(r"(\S+?):(\d+):(\d+): (unexpected .*)$")
_SYNTAX = (
    "unexpected ",
    "invalid multibyte character in parser",
    "INCOMPLETE_STRING",
    "attempt to use zero-length variable name",
)
_WARNINGS = (
    "NAs introduced by coercion",
    "NaNs produced",
    "longer object length is not a multiple",
    "number of items to replace is not a multiple",
)


#: Where a report stopped: the lines of the chunk, with its name and file behind it or before.
_REPORT = re.compile(r"Quitting from lines (\d+)-(\d+) (?:\[[^\]]*\] )?\((\S+)\)\s*$")
_REPORT_FILE = re.compile(r"Quitting from (\S+):(\d+)-(\d+)(?: \[[^\]]*\])?\s*$")
#: Lines of a message behind its first, where they are not indented.
_LONGEST_REST = 8


class RReader:
    """Reads what R prints when a script stops."""

    name = "r"

    def score(self, text: str) -> float:
        """Score by R's own last words and the form of its errors."""
        if "Execution halted" in text and "Error" in text:
            return 0.98
        if "\nCalls: " in text and "Error in " in text:
            return 0.95
        if text.startswith(("Error in ", "Error: unexpected ")) or "\nError in " in text:
            return 0.6
        if "Error:\n! " in text or "Error: Problem with `" in text or "does not exist in current working directory" in text:
            return 0.6
        return 0.5 if "Warning message" in text and any(words in text for words in _WARNINGS) else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return the errors in order; of warnings only those that change values, where no error follows."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        traced: list[Frame] = []
        chunk: Frame | None = None
        while cursor.more:
            start = cursor.position
            line = cursor.peek()
            if line.startswith("Quitting from "):
                chunk = _chunk(line)
            jam = (bulleted(cursor) or _error(cursor)) if line.startswith("Error") else None
            if jam is None and line[:1].isdigit() and re.match(r"\d+: .", line):
                traced = _traced(cursor)
                if traced and jams and any(frame.line for frame in traced):
                    jams[-1] = msgspec.structs.replace(
                        jams[-1], frames=tuple(_joined(jams[-1].frames, traced)), last_line=cursor.position
                    )
                cursor.position = max(cursor.position, start + 1)
                continue
            if jam is None:
                cursor.position = start + 1
                continue
            if chunk is not None:
                jam = msgspec.structs.replace(jam, frames=(chunk, *jam.frames))
            if traced:
                jam = msgspec.structs.replace(jam, frames=tuple(_joined(jam.frames, traced)))
            jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=cursor.position))
        return jams or _warned(text)


def _chunk(line: str) -> Frame | None:
    """Return the chunk of a report in which its script stopped."""
    if (match := _REPORT.match(line)) is not None:
        return Frame(file=match[3], line=whole(match[1]), end_line=whole(match[2]))
    if (match := _REPORT_FILE.match(line)) is not None:
        return Frame(file=match[1], line=whole(match[2]), end_line=whole(match[3]))
    return None


def _joined(calls: tuple[Frame, ...], traced: list[Frame]) -> list[Frame]:
    """A traceback knows lines where the error knows calls only; the error's own call stays where nothing is deeper."""
    return traced if traced else list(calls)


def _traced(cursor: Cursor) -> list[Frame]:
    """Read traceback()'s list, innermost first; a call may run over several lines."""
    frames: list[Frame] = []
    number = None
    while cursor.more:
        match = _TRACE.match(cursor.peek())
        if match is None or (number is not None and whole(match[1]) >= number):
            break
        number = whole(match[1])
        cursor.take()
        call = match[2]
        while cursor.more and not _TRACE.match(cursor.peek()) and cursor.peek().startswith(("       ", "    ")) and number > 1:
            call += " " + cursor.take().strip()
        function = re.match(r"[\w.]+", call)
        frames.append(
            Frame(
                file=match[3] or "<script>",
                line=whole(match[4]) if match[4] and match[3] else None,
                function=function[0] if function else None,
                source=call,
            )
        )
    # what has no name is the handler that printed the list
    return list(reversed([frame for frame in frames if frame.function not in ("traceback", "stop", None)]))


def _to_the_end(cursor: Cursor) -> int:
    """Return how many lines stand before R's own last words, all of which are then the message's; 0 where these are far."""
    for ahead in range(_LONGEST_REST):
        line = cursor.peek(ahead)
        if line.startswith(("Calls: ", "Execution halted")):
            return ahead
        if line.startswith(("Error", "In addition", "Warning", "Backtrace")) or _TRACE.match(line):
            break
    return 0


def _in_call(line: str) -> tuple[str, str] | None:
    """Return the call that failed and what is said of it; None where a line has no call, or not all of it.

    >>> _in_call("Error in rep(1:3, times = -1) : invalid 'times' argument")
    ('rep(1:3, times = -1)', "invalid 'times' argument")
    """
    if not line.startswith("Error in "):
        return None
    text = line[len("Error in ") :]
    # what stands in quotes is the call's; a call that was too long ends within its brackets
    plain = _QUOTED.sub(lambda quoted: "x" * len(quoted[0]), text)
    found = list(_BETWEEN.finditer(plain[:4000]))
    between = next((one for one in found if one[0][0] == " "), found[0] if found else None)
    return (text[: between.start()].strip(), text[between.end() :]) if between else None


def _error(cursor: Cursor) -> Jam | None:
    line = cursor.take()
    inside = _in_call(line)
    if inside is None and line.startswith("Error in ") and not line.endswith(":"):
        # a call over several lines
        joined = line
        for ahead in range(6):
            if cursor.peek(ahead).startswith("Error in "):
                break  # another failure
            joined += " " + cursor.peek(ahead).strip()
            inside = _in_call(joined)
            if inside:
                cursor.position += ahead + 1
                break
    match = None if inside else _ERROR.match(line)
    if inside is None and match is None:
        return None
    call = inside[0] if inside else ""
    message = inside[1].strip() if inside else (match[1] if match else "")
    if message.startswith(_SYNTAX) and not call:
        return _parse_error(cursor, message)
    rest: list[str] = []
    last = cursor.position + _to_the_end(cursor)
    while cursor.more and len(rest) < 30:
        following = cursor.peek()
        more = "  " if not (rest or [message])[-1].endswith(",") else " "  # a sentence that goes on is set in by one
        if not following.startswith(more) and cursor.position >= last:
            break
        rest.append(cursor.take().strip())
    message = "\n".join(part for part in (message, *rest) if part)
    named = _PARSE.match(message.split("\n")[0])
    if named:
        echo = []
        while cursor.more and re.match(r"\d+: |\s*\^", cursor.peek()):
            echo.append(cursor.take())
        frame = Frame(file=named[1], line=whole(named[2]), column=whole(named[3]))
        asked = (Frame(file="<script>", function=call.partition("(")[0], source=call),) if call else ()
        return Jam(runtime="r", phase="compile", message=message, frames=(*asked, frame))
    frames: list[Frame] = []
    facts: dict[str, str] = {}
    while cursor.more:
        following = cursor.peek()
        calls = _CALLS.match(following)
        if calls:
            cursor.take()
            names = calls[1]
            while cursor.more and re.match(r"(?:-> )?\S.* ->|\s*-> ", cursor.peek()) and "Error" not in cursor.peek():
                names += " " + cursor.take()
            # what does not fit on a line is left out in the middle
            if " ... " in names:
                facts["elided"] = str(names.partition(" ... ")[0].count("->") + 1)
            frames = [
                Frame(file="<script>", function=name.strip(" `"))
                for name in names.replace(" ... ", " -> ").split("->")
                if name.strip() not in ("", "...")
            ]
        elif following.startswith("In addition: "):
            cursor.take()
            warning = []
            while cursor.more and cursor.peek().strip() and not cursor.peek().startswith(("Execution", "Calls:")):
                warning.append(cursor.take().strip())
            path = re.search(
                r"cannot open (?:compressed )?file '([^']*)'(?:, probable reason '([^']*)')?: ?(.*)$", " ".join(warning)
            )
            if path:
                facts["path"] = path[1]
                facts["reason"] = path[3] or path[2] or "cannot open"
        elif following.startswith("Execution halted"):
            cursor.take()
            break
        else:
            break
    function = re.match(r"[\w.]+(?:[$@][\w.]+)*", call)
    if call:
        facts["call"] = call
    named_call = function[0] if function and "(" in call else None
    if frames and (named_call is None or frames[-1].function == named_call):
        frames[-1] = msgspec.structs.replace(frames[-1], source=frames[-1].source or (call or None))
    if not frames or (named_call and frames[-1].function != named_call) or named_call is None:
        frames.append(Frame(file="<script>", function=named_call, source=call or None))
    return Jam(runtime="r", message=message, frames=tuple(frames), facts=facts)


def _parse_error(cursor: Cursor, message: str) -> Jam:
    """`Error: unexpected symbol in:` and the echo of the text up to the place; no file, no line."""
    echo: list[str] = []
    first = message
    if ' in "' in message:
        first, _, start = message.partition(' in "')
        echo.append(start)
    elif message.endswith(" in:"):
        first = message[:-4]
        echo.append(cursor.take().removeprefix('"'))
    while cursor.more and echo and not echo[-1].endswith('"') and len(echo) < 12:
        echo.append(cursor.take())
    text = "\n".join(echo).removesuffix('"')
    source = text.split("\n")[-1].strip()
    # the echo ends with what was unexpected
    marked = (len(source), len(source) + 1) if source else None
    frame = Frame(file="<script>", source=source or None, marked=marked)
    facts = {"echo": text} if text else {}
    if cursor.peek().startswith("Execution halted"):
        cursor.take()
    return Jam(runtime="r", phase="compile", message=first, frames=(frame,), facts=facts)


def _warned(text: str) -> list[Jam]:
    """Warnings that say that values were lost, when nothing stopped the script."""
    lines = text.split("\n") if "Warning message" in text else []
    for number, line in enumerate(lines, 1):
        known = next((words for words in _WARNINGS if words in line), None)
        if known is None or not any("Warning message" in before for before in lines[max(number - 60, 0) : number]):
            continue
        inside = re.match(r"(?:\d+: )?In (.*?) : ", line) or re.match(
            r"(?:\d+: )?In (.*?) :$", lines[number - 2] if number > 1 else ""
        )
        function = re.match(r"[\w.]+", inside[1]) if inside else None
        frame = Frame(file="<script>", function=function[0] if function else None, source=inside[1] if inside else None)
        message = line.partition(" : ")[2].strip() or line.strip()
        return [Jam(runtime="r", phase="quiet", message=message, frames=(frame,), first_line=number, last_line=number)]
    return []


READER = RReader()
