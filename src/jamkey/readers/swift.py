"""Swift and Objective-C apps: fatal errors, crashes with a backtrace, uncaught exceptions with a call stack, compile errors."""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.text import whole

_COMPILE = re.compile(r"(\S[^:]*\.swift):(\d+):(\d+): error: (.*)$")
_FATAL = re.compile(
    r"(?:\d{4}-\d\d-\d\d [\d:.]+\S* )?(?:\S+\[\d+:\d+\] )?(\S+\.swift):(\d+): ((?:Fatal error|Assertion "
    r"failed|Precondition failed)(?:: .*)?)$"
)
_UNCAUGHT = re.compile(r".*\*\*\* Terminating app due to uncaught exception '([^']*)', reason: '(.*)'$")
_GNUSTEP = re.compile(r".*: Uncaught exception (\w+), reason: (.*)$")
_STACK = re.compile(r"(?:\d+)\s+(\S+)\s+0x[0-9a-f]+ (.*?)(?: \+ \d+)?(?: at (\S+?):(\d+)(?::(\d+))?)?$")
#: A debugger's console: what stopped the thread, and its calls.
_STOPPED = re.compile(r"Thread \d+: ((?:Swift runtime failure|Fatal error|EXC_\w+|Precondition failed|Assertion failed).*)$")
_CAST = re.compile(r"(?:.*\[\d+:\d+\] )?(Could not cast value of type '[^']*'.*)$")
_CALL = re.compile(r"#\d+\s+0x[0-9a-f]+ in (.*?)(?: \(\))?(?: at (\S+?):(\d+)(?::(\d+))?)?$")
_CRASH = re.compile(r"(?:💣 |\*\*\* )?Program crashed: (.*)$")
_CRASH_FRAME = re.compile(
    r"\d+ (?:\[.*?\]\s+|\s*0x[0-9a-f]+ )?(.*?)(?: \+ \d+)? in \S+(?: at ([^:\s]+)(?::(\d+)(?::(\d+))?)?)?$"
)


class SwiftReader:
    """Reads what an app's console shows when it stops."""

    name = "swift"

    def score(self, text: str) -> float:
        """Score by the runtime's and the frameworks' own words."""
        if "uncaught exception '" in text or "Uncaught exception NS" in text:
            return 0.97
        if ".swift:" in text and (
            "Fatal error" in text or ": error: " in text or "Assertion failed" in text or "Precondition failed" in text
        ):
            return 0.96
        if ": Uncaught exception " in text or "Swift runtime failure: " in text or "Could not cast value of type" in text:
            return 0.9
        return 0.9 if "Program crashed: " in text and ".swift" in text else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return the failures; the same one said twice counts once."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        while cursor.more:
            start = cursor.position
            jam = _compile(cursor) or _fatal(cursor) or _uncaught(cursor) or _crashed(cursor) or _stopped(cursor)
            if jam is None:
                cursor.position = start + 1
                continue
            if (
                jams
                and jams[-1].exception_type == "Fatal error"
                and not jams[-1].frames
                and jam.exception_type == "Fatal error"
            ):
                # said first, then where: one failure
                jams[-1] = msgspec.structs.replace(jams[-1], frames=jam.frames, last_line=cursor.position)
                continue
            if not any((jam.exception_type, jam.message) == (other.exception_type, other.message) for other in jams):
                jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=cursor.position))
        compiled = [jam for jam in jams if jam.phase == "compile"]
        return compiled[:1] or jams


def _compile(cursor: Cursor) -> Jam | None:
    match = _COMPILE.match(cursor.peek())
    if match is None:
        return None
    cursor.take()
    source = cursor.take().strip() if cursor.more else None
    frame = Frame(file=match[1], line=whole(match[2]), column=whole(match[3]), source=source)
    return Jam(runtime="swift", phase="compile", exception_type="error", message=f"error: {match[4]}", frames=(frame,))


def _fatal(cursor: Cursor) -> Jam | None:
    match = _FATAL.match(cursor.peek())
    if match is None:
        return None
    cursor.take()
    frames: list[Frame] = []
    if cursor.peek().startswith("Current stack trace:"):
        cursor.take()
        frames = _stack(cursor)
    place = Frame(file=match[1], line=whole(match[2]))
    own = [frame for frame in frames if frame.line]
    library = match[1].startswith("Swift/")
    chosen = frames if own else [place] if not library else frames
    return Jam(
        runtime="swift", exception_type="Fatal error", message=match[3], frames=tuple(chosen or (() if library else (place,)))
    )


def _stack(cursor: Cursor) -> list[Frame]:
    frames: list[Frame] = []
    while cursor.more and (match := _STACK.match(cursor.peek().strip())) is not None:
        cursor.take()
        name = match[2]
        frames.append(
            Frame(file=match[3], line=whole(match[4]), column=whole(match[5]) if match[5] else None, function=name)
            if match[3]
            else Frame(file=f"<{match[1]}>", function=name)
        )
    return list(reversed(frames))


def _uncaught(cursor: Cursor) -> Jam | None:
    match = _UNCAUGHT.match(cursor.peek())
    bare = None if match else _GNUSTEP.match(cursor.peek())
    if match is None and bare is None:
        return None
    cursor.take()
    kind, reason = (match[1], match[2]) if match else (bare[1], bare[2])  # type: ignore[index]
    frames: list[Frame] = []
    if cursor.peek().startswith("*** First throw call stack"):
        cursor.take()
        if cursor.peek().strip() == "(":
            cursor.take()
        frames = _stack(cursor)
    facts: dict[str, str] = {}
    owner = re.search(r"\[<(?:\w+\.)?(\w+) 0x|-\[(?:\w+\.)?(\w+) (\S+?)\]", reason)
    if owner:
        facts["class"] = owner[1] or owner[2] or ""
        if owner[3]:
            facts["member"] = owner[3]
    key = re.search(r"for the key (\w+)", reason)
    if key:
        facts["member"] = key[1]
    runtime = "swift" if match else "objective-c"
    message = reason if match else f"Uncaught exception {kind}, reason: {reason}"
    return Jam(runtime=runtime, exception_type=kind, message=message, frames=tuple(frames), facts=facts)


def _crashed(cursor: Cursor) -> Jam | None:
    match = _CRASH.match(cursor.peek().strip())
    if match is None:
        return None
    cursor.take()
    frames: list[Frame] = []
    message = match[1]
    for _ in range(400):
        if not cursor.more:
            break
        found = _CRASH_FRAME.match(cursor.peek().strip())
        if found:
            if "Swift runtime failure: " in found[1]:
                message = found[1]
            elif found[2] and found[3]:
                frames.append(
                    Frame(file=found[2], line=whole(found[3]), column=whole(found[4]) if found[4] else None, function=found[1])
                )
        elif cursor.peek().startswith(("Registers:", "Images ")):
            break
        cursor.take()
    return Jam(runtime="swift", exception_type="Fatal error", message=message, frames=tuple(reversed(frames)))


def _stopped(cursor: Cursor) -> Jam | None:
    """Read what a debugger shows of a thread that was stopped, or a cast that failed."""
    line = cursor.peek()
    match, cast = _STOPPED.match(line), _CAST.match(line)
    if match is None and cast is None:
        return None
    cursor.take()
    frames: list[Frame] = []
    while cursor.more and (found := _CALL.match(cursor.peek().strip())) is not None:
        cursor.take()
        if found[2]:
            frames.append(
                Frame(file=found[2], line=whole(found[3]), column=whole(found[4]) if found[4] else None, function=found[1])
            )
    message = cast[1] if cast is not None else line.strip()
    if match is not None and not match[1].startswith("Swift runtime failure"):
        message = match[1]
    return Jam(runtime="swift", exception_type="Fatal error", message=message, frames=tuple(reversed(frames)))


READER = SwiftReader()
