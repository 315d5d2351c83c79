"""The same failures of C and C++ as other systems word them: clang's library, other shells, other linkers, `lldb`."""

from __future__ import annotations

import re

from jamkey.late import pattern
from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.text import whole

#: Words by which such a text is known.
SIGNS = (
    "libc++abi",
    "Assertion failed: (",
    "malloc: *** error for object",
    "Undefined symbols for architecture",
    "undefined symbol: ",
    "duplicate symbol",
    "stop reason = ",
)
_THROWN = pattern(
    r"libc\+\+abi(?:\.dylib)?: terminating (?:due to|with) uncaught exception of type ([\w:<>, *]{1,200}?)(?:: (.*))?$"
)
_ASSERT = pattern(r"Assertion failed: \((.*)\), function (.*), file (\S+?), line (\d+)\.?$")
_MALLOC = pattern(r"\S+\(\d+,0x[0-9a-fA-F]+\) malloc: \*\*\* error for object 0x[0-9a-fA-F]+: (.*)$")
#: What a shell says of a signal -> the system's own words for it.
_WORDS = {
    "segmentation fault": "Segmentation fault",
    "bus error": "Bus error",
    "abort": "Aborted",
    "abort trap": "Aborted",
    "floating point exception": "Floating point exception",
    "illegal hardware instruction": "Illegal instruction",
    "illegal instruction": "Illegal instruction",
    "killed": "Killed",
    "trace trap": "Trace/breakpoint trap",
    "trace/bpt trap": "Trace/breakpoint trap",
}
_ENDS = "|".join(sorted(_WORDS, key=len, reverse=True))
#: `zsh: bus error  ./hives`, and where a number follows the words: `Segmentation fault: 11`.
_SHELL = pattern(rf"(?:zsh|fish|ksh|tcsh): (?:Job \d+, .{{0,80}}terminated by signal \w+ \()?({_ENDS})\b.*$")
_NUMBERED = pattern(rf"(?:\S+: line \d+:\s*\d+ )?((?i:{_ENDS})): \d+(?:\s.*)?$")
_UNDEFINED = pattern(r"Undefined symbols for architecture (\w+):$")
_NAMED = pattern(r' +"(.+)", referenced from:$')
_FROM = pattern(r" +(\S.*) in (\S+\.o)$")
_LLD = pattern(r"(?:\S*ld\S*|mold): error: (undefined symbol: .*|duplicate symbol: .*)$")
_LLD_FROM = pattern(r">>> (?:referenced|defined) (?:by|at) (\S+?):(\d+)")
_TWICE = pattern(r"duplicate symbol '?(.+?)'? in:$")
_STOPPED = pattern(r"\* thread #\d+.*stop reason = (\w+)(.*)$")
_STOPPED_FRAME = pattern(r"\s*\*? *frame #\d+: 0x[0-9a-f]+ [^`]*`([^\s(]+)")
_STOPPED_AT = pattern(r"([^\s:]+):(\d+)(?::(\d+))?$")
#: Whose words they are: the compiler took the program.
_BY_LINKER = {"by": "linker"}


def elsewhere(cursor: Cursor, function: str | None) -> Jam | None:
    """Read one failure at the cursor, which is moved behind it; None where none of these begins there."""
    line = cursor.peek().strip()
    for read in (_thrown, _asserted, _undefined, _twice, _stopped):
        if (jam := read(cursor, line)) is not None:
            return jam
    if (match := _MALLOC.match(line)) is not None:
        cursor.take()
        return Jam(runtime="c", message=match[1])
    if (match := _SHELL.match(line) or _NUMBERED.match(line)) is not None:
        cursor.take()
        return Jam(runtime="c", message=_WORDS[match[1].lower()])
    return None


def _thrown(cursor: Cursor, line: str) -> Jam | None:
    match = _THROWN.match(line)
    if match is None or match[1] == "NSException":
        return None
    cursor.take()
    return Jam(runtime="c", exception_type=match[1], message=match[2], facts={"thrown": match[1]})


def _asserted(cursor: Cursor, line: str) -> Jam | None:
    match = _ASSERT.match(line)
    if match is None:
        return None
    cursor.take()
    frame = Frame(file=match[3], line=whole(match[4]), function=match[2].partition("(")[0].split(" ")[-1])
    return Jam(runtime="c", message=f"Assertion failed: ({match[1]})", frames=(frame,))


def _plain(symbol: str) -> str:
    """Return a symbol without the sign that some systems put before the names of C."""
    return symbol.removeprefix("_") if "(" not in symbol else symbol


def _undefined(cursor: Cursor, line: str) -> Jam | None:
    """Read the first name that a linker misses, and the function that uses it."""
    if (found := _LLD.match(line)) is not None:
        cursor.take()
        placed = _LLD_FROM.match(cursor.peek().strip())
        frames = (Frame(file=placed[1], line=whole(placed[2])),) if placed is not None else ()
        return Jam(runtime="c", phase="compile", message=found[1], frames=frames, facts=_BY_LINKER)
    match = _UNDEFINED.match(line)
    named = _NAMED.match(cursor.peek(1)) if match is not None else None
    if match is None or named is None:
        return None
    cursor.take()
    cursor.take()
    used = _FROM.match(cursor.peek())
    name = _plain(used[1]).partition("(")[0] if used is not None else None
    frame = (Frame(file=re.sub(r"-[0-9a-f]{4,}(?=\.o$)", "", used[2]), function=name),) if used is not None else ()
    message = f'undefined symbol for architecture {match[1]}: "{_plain(named[1])}"'
    return Jam(runtime="c", phase="compile", message=message, frames=frame, facts=_BY_LINKER)


def _twice(cursor: Cursor, line: str) -> Jam | None:
    match = _TWICE.match(line)
    if match is None:
        return None
    cursor.take()
    return Jam(runtime="c", phase="compile", message=f"duplicate symbol '{_plain(match[1])}'", facts=_BY_LINKER)


def _stopped(cursor: Cursor, line: str) -> Jam | None:
    """Read where `lldb` says that a program stopped, and the frames that it lists."""
    match = _STOPPED.match(line)
    if match is None:
        return None
    cursor.take()
    frames: list[Frame] = []
    for _ in range(400):
        if not cursor.more:
            break
        row = cursor.peek()
        found, at = _STOPPED_FRAME.match(row), _STOPPED_AT.match(row.rpartition(" at ")[2])
        if found is not None and at is not None:
            frames.append(Frame(file=at[1], line=whole(at[2]), column=whole(at[3]) if at[3] else None, function=found[1]))
        elif row.startswith("(lldb)") and frames:
            break
        cursor.take()
    return Jam(runtime="c", exception_type=match[1], message=f"{match[1]}{match[2]}", frames=tuple(reversed(frames)))
