"""What C and C++ programs, their compiler, linker and checkers print.

Layouts: gcc and MSVC-style compile errors, link errors, `terminate called`, assertions, the C library's aborts, bare
signals as the shell words them, AddressSanitizer and UndefinedBehaviorSanitizer reports, gdb's `bt`, valgrind.
"""

from __future__ import annotations

import re
from collections.abc import Callable

import msgspec

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.readers.c_elsewhere import SIGNS, elsewhere
from jamkey.text import whole

_DRIVE = r"(?:[A-Za-z]:[\\/])?"
_GCC = re.compile(rf"({_DRIVE}\S[^:]*\.(?:c|h|cc|cpp|cxx|hpp|hh|ino|m|mm)):(\d+)(?::(\d+))?: ((?:fatal )?error): (.*)$")
#: What asked for a template or a constant that failed: two blanks more than an error or a note has, in any language.
_ASKING = re.compile(rf"({_DRIVE}\S[^:]*):(\d+):(\d+): {{3}}\S")
_MOST_ASKING = 60
_IN_FUNCTION = re.compile(rf"{_DRIVE}\S[^:]*: In (?:member )?function [‘'`\"](.*)[’'\"]:$")
_MSVC = re.compile(r"(?:\d+>)?(\S.*?)\((\d+)(?:,\d+)?\)\s*: (?:fatal )?error ([A-Z]+\d+): (.*)$")
#: The linker of the same compilers.
_MSVC_LINK = re.compile(r"(\S+) : (?:fatal )?error (LNK\d+): (.*)$")
#: What a symbol is called there: a whole head in quotes, or the name of C behind a sign of the system's.
_MSVC_SYMBOL = re.compile(r"(?:external symbol|in function) (?:\"([^\"(]*)\(|_?(\w+))")
_LINK = re.compile(
    r"(?:.*?[/\\]?ld(?:\.exe)?: )?(?:\S+\.o: ?)?(\S+?\.(?:c|cc|cpp|cxx|h|hh|hpp)):(\d+): (undefined reference to "
    r".*|multiple definition of .*)$"
)
_LINK_PLACE = re.compile(r"(?:.*?ld: )?\S+\.o: in function [`‘'](.*?)['’]:$")
#: Without the lines of a debugger the linker knows the file and a place in the machine's code.
_LINK_SECTION = re.compile(
    r"(?:.*?[/\\]?ld(?:\.exe)?: )?(?:\S+\.o: ?)?(\S+?\.(?:c|cc|cpp|cxx|h|hh|hpp)):\(\.\S+\): (undefined reference to "
    r".*|multiple definition of .*)$"
)
_LINK_BARE = re.compile(r"(?:.*?ld: )?\S+\.o:?\S*: (undefined reference to .*|multiple definition of .*)$")
#: Whose words they are: the compiler took the program.
_BY_LINKER = {"by": "linker"}
_TERMINATE = re.compile(r"terminate called after throwing an instance of '([^']*)'$")
_TERMINATE_BARE = re.compile(r"terminate called (?:without an active exception|recursively)$")
_ASSERT = re.compile(r"(?:\S+: )?(\S+?\.(?:c|cc|cpp|cxx|h|hpp)):(\d+): (.*?): (Assertion [`'].*['’] failed\.)$")
_ABORTS = (
    "free(): ",
    "malloc(): ",
    "realloc(): ",
    "double free or corruption",
    "corrupted size vs. prev_size",
    "munmap_chunk(): ",
    "corrupted double-linked list",
    "munmap(): ",
    "malloc_consolidate(): ",
    "*** stack smashing detected ***",
    "*** buffer overflow detected ***",
)
_SIGNALS = (
    "Segmentation fault",
    "Floating point exception",
    "Bus error",
    "Illegal instruction",
    "Aborted",
    "Killed",
    "Trace/breakpoint trap",
)
_ENDS = "|".join(map(re.escape, _SIGNALS))
#: What a shell or make says before it.
_BEFORE = r"\S+: line \d+:\s+\d+ |g?make(?:\[\d+\])?: \*\*\* \[[^\]]{1,200}\] "
_BARE = re.compile(rf"(?:{_BEFORE})((?:{_ENDS})(?: \(core dumped\))?)(?:\s+.*)?$|((?:{_ENDS})(?: \(core dumped\))?)$")
_ASAN = re.compile(r"==\d+==\s?ERROR: (?:Address|Leak|Memory|Thread)Sanitizer: (.*)$")
_ASAN_FRAME = re.compile(
    r"\s*#(\d+) 0x[0-9a-fA-F]+ in (.+?) (\S+?):(\d+)(?::(\d+))?$|\s*#(\d+) 0x[0-9a-fA-F]+ in (\S+) (?:\(?\S.*)$"
)
_UBSAN = re.compile(r"(\S+?\.(?:c|cc|cpp|cxx|h|hpp)):(\d+):(\d+): (runtime error: .*)$")
_GDB_SIGNAL = re.compile(r"(?:Program|Thread \d+ .*) received signal (\w+), (.*)\.$")
_GDB_FRAME = re.compile(r"#(\d+)\s+(?:0x[0-9a-fA-F]+ in )?(\S.*?) \((.*)\)(?: at (\S+?):(\d+)| from \S+)?$")
_VALGRIND = re.compile(r"==\d+== ?(.*)$")
_VALGRIND_ERROR = re.compile(
    r"(Invalid (?:read|write) of size \d+|Use of uninitialised value of size \d+|Conditional jump or move depends "
    r"on uninitialised "
    r"value\(s\)|Invalid free\(\).*|Mismatched free\(\).*|Jump to the invalid address.*|Source and destination overlap.*)$"
)
_VALGRIND_FRAME = re.compile(r"\s*(?:at|by) 0x[0-9A-Fa-f]+: (\S+) \((?:in )?([^():]+?)(?::(\d+))?\)$")


class CReader:
    """Reads what a C or C++ program, its compiler or a checker prints."""

    name = "c"

    def score(self, text: str) -> float:
        """Score by the checkers' and the compiler's own forms; a bare signal alone says little."""
        if "Sanitizer: " in text or "terminate called" in text or "== Invalid " in text or "uninitialised value" in text:
            return 0.95
        if ": error: " in text or "fatal error: " in text or "undefined reference to" in text or ": runtime error: " in text:
            return 0.85
        if " received signal " in text or ": Assertion " in text or ") : error C" in text or "): error C" in text:
            return 0.9
        if any(word in text for word in (*_ABORTS, *SIGNS)):
            return 0.8
        if "multiple definition of" in text or ": error LNK" in text or "fatal error C" in text:
            return 0.85
        last = text.strip().split("\n")[-3:]
        return 0.5 if any(_BARE.match(line) or elsewhere(Cursor([line]), None) is not None for line in last) else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return the failures: of a compile the first error, of a run what stopped it."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        function: str | None = None
        while cursor.more:
            start = cursor.position
            line = cursor.peek()
            if not line.strip():
                cursor.position = start + 1
                continue
            inside = _IN_FUNCTION.match(line) or _LINK_PLACE.match(line)
            if inside:
                function = inside[1].partition("(")[0].split(" ")[-1]
            jam = next((made for read in _READS if (made := read(cursor, function)) is not None), None)
            if jam is None:
                cursor.position = start + 1
                continue
            jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=max(cursor.position, start + 1)))
            cursor.position = max(cursor.position, start + 1)
        return _one(jams)


def _one(jams: list[Jam]) -> list[Jam]:
    """A compile: its first error. A run: the report, not the bare signal that follows it."""
    compiled = [jam for jam in jams if jam.phase == "compile"]
    ran = [jam for jam in jams if jam.phase != "compile"]
    told = [jam for jam in ran if jam.frames or jam.exception_type]
    last = [jam for jam in ran if not (jam.frames or jam.exception_type)]
    if last and told and (last[0].first_line or 0) < (told[0].first_line or 0) and told[0].phase != "compile":
        # the signal first, then the report of the second run with the checkers: what happened, and where
        told = [
            msgspec.structs.replace(last[0], frames=told[0].frames, facts={**told[0].facts, "report": told[0].message or ""})
        ]
    thrown = next((jam for jam in told if jam.exception_type and not jam.frames), None)
    placed = next((jam for jam in told if jam.frames and jam is not thrown), None)
    if thrown is not None and placed is not None:
        # what was thrown, said by the runtime; where, said by a debugger
        told = [msgspec.structs.replace(thrown, frames=placed.frames)]
    kept = compiled[:1] + (told[:1] if told else last[:1])
    return sorted(kept, key=lambda jam: jam.first_line or 0)


def _gcc(cursor: Cursor, function: str | None) -> Jam | None:
    match = _GCC.match(cursor.peek())
    if match is None:
        return None
    asking = _asking(cursor)
    cursor.take()
    source = marked = None
    shown = re.match(r"\s*\d+ \| (.*)$", cursor.peek())
    if shown:
        source = shown[1].strip()
        cursor.take()
        if mark := re.match(r"\s*\| ([ ~]*)\^", cursor.peek()):
            # tabs are blanks in what is shown, and in newer versions in the column that is told
            begin = len(mark[1]) - (len(shown[1]) - len(shown[1].lstrip())) + 1
            marked = (begin, begin + 1) if begin > 0 else None
    message = match[5] if match[4] == "error" else f"fatal error: {match[5]}"
    place = None if match[4] != "error" else function
    frame = Frame(
        file=match[1],
        line=whole(match[2]),
        column=whole(match[3]) if match[3] else None,
        function=place,
        source=source,
        marked=marked,
    )
    return Jam(runtime="c", phase="compile", message=message, frames=(*asking, frame))


def _asking(cursor: Cursor) -> list[Frame]:
    """Return what the rows above an error say asked for the text that failed, outermost first."""
    found: list[Frame] = []
    for ahead in range(-1, -_MOST_ASKING, -1):
        match = _ASKING.match(cursor.lines[cursor.position + ahead]) if cursor.position + ahead >= 0 else None
        if match is None:
            break
        found.append(Frame(file=match[1], line=whole(match[2]), column=whole(match[3])))
    return found


def _msvc(cursor: Cursor, function: str | None) -> Jam | None:
    match = _MSVC.match(cursor.peek())
    if match is None:
        return None
    cursor.take()
    return Jam(
        runtime="c",
        phase="compile",
        exception_type=match[3],
        message=match[4],
        frames=(Frame(file=match[1], line=whole(match[2])),),
    )


def _msvc_linked(cursor: Cursor, function: str | None) -> Jam | None:
    line = cursor.peek().strip()
    match = _MSVC_LINK.match(line)
    if match is None:
        return None
    cursor.take()
    # the symbol that is missed, then the function that uses it
    names = [(found[1] or "").rpartition(" ")[2] or found[2] for found in _MSVC_SYMBOL.finditer(match[3])]
    facts = {**_BY_LINKER, "name": names[0]} if names else _BY_LINKER
    frames = (Frame(file=f"{match[1].rpartition('.')[0]}.o", function=names[1]),) if len(names) > 1 else ()
    return Jam(runtime="c", phase="compile", exception_type=match[2], message=match[3], frames=frames, facts=facts)


def _linked(cursor: Cursor, function: str | None) -> Jam | None:
    line = cursor.peek()
    match = _LINK.match(line) if "undefined reference" in line or "multiple definition" in line else None
    if match is None:
        placed = _LINK_SECTION.match(line)
        if placed is not None:
            cursor.take()
            message = placed[2].partition("; ")[0]
            frame = Frame(file=placed[1], function=function)
            return Jam(runtime="c", phase="compile", message=message, frames=(frame,), facts=_BY_LINKER)
        bare = _LINK_BARE.match(line)
        if bare is None:
            return None
        cursor.take()
        return Jam(runtime="c", phase="compile", message=bare[1], facts=_BY_LINKER)
    cursor.take()
    frame = Frame(file=match[1], line=whole(match[2]), function=function)
    return Jam(runtime="c", phase="compile", message=match[3], frames=(frame,), facts=_BY_LINKER)


def _terminated(cursor: Cursor, function: str | None) -> Jam | None:
    match = _TERMINATE.match(cursor.peek())
    if match is None:
        if _TERMINATE_BARE.match(cursor.peek()):
            return Jam(runtime="c", message=cursor.take().strip())
        return None
    cursor.take()
    message = None
    what = re.match(r"\s*what\(\):\s+(.*)$", cursor.peek())
    if what:
        cursor.take()
        message = what[1]
    return Jam(runtime="c", exception_type=match[1], message=message, facts={"thrown": match[1]})


def _asserted(cursor: Cursor, function: str | None) -> Jam | None:
    match = _ASSERT.match(cursor.peek())
    if match is None:
        return None
    cursor.take()
    name = match[3].partition("(")[0].split(" ")[-1]
    return Jam(runtime="c", message=match[4], frames=(Frame(file=match[1], line=whole(match[2]), function=name),))


def _aborted(cursor: Cursor, function: str | None) -> Jam | None:
    line = cursor.peek().strip()
    if not line.startswith(_ABORTS):
        return None
    cursor.take()
    return Jam(runtime="c", message=line)


def _signalled(cursor: Cursor, function: str | None) -> Jam | None:
    match = _BARE.match(cursor.peek().strip())
    if match is None:
        return None
    cursor.take()
    return Jam(runtime="c", message=match[1] or match[2])


def _sanitized(cursor: Cursor, function: str | None) -> Jam | None:
    match = _ASAN.match(cursor.peek().strip())
    if match is None:
        return None
    cursor.take()
    words = match[1]
    kind = next((word for word in words.split(" ") if "-" in word and not word.startswith("0x")), words.split(" ")[0]).rstrip(
        ":,"
    )
    if words.startswith("attempting"):
        message = " ".join(words.split(" on ")[0].split(" ")) + " on"
    else:
        message = words.split(" 0x")[0].split(" (pc")[0].strip()
    facts: dict[str, str] = {}
    frames = _asan_frames(cursor)
    while cursor.more and not cursor.peek().startswith("SUMMARY"):
        line = cursor.peek().strip()
        stories = ("freed", "previously allocated", "allocated", "located in stack")
        story = next((word for word in stories if line.startswith((word, "Address 0x")) and word in line), None)
        if story is not None:
            cursor.take()
            inner = _asan_frames(cursor)
            own = next((frame for frame in reversed(inner) if frame.line and not frame.file.startswith(("../", "/usr/"))), None)
            if own is not None:
                facts.setdefault(story.split(" ")[0] + "-at", f"{own.file}:{own.line}")
            continue
        variable = re.match(r"\[\d+, \d+\) '([^']+)' \(line (\d+)\)", line)
        if variable:
            facts.setdefault("variable", variable[1])
            facts.setdefault("variable-line", variable[2])
        cursor.take()
    return Jam(runtime="c", exception_type=kind, message=message, frames=tuple(frames), facts=facts)


def _asan_frames(cursor: Cursor) -> list[Frame]:
    """Read numbered frames up to the next number 0; returned outermost first."""
    frames: list[Frame] = []
    seen = False
    while cursor.more:
        line = cursor.peek()
        match = _ASAN_FRAME.match(line)
        if match is None:
            if line.strip().startswith("#") or not seen:
                if not line.strip() and seen:
                    break
                if not line.strip().startswith(("#", "READ", "WRITE", "==", "The signal", "Hint")):
                    break
                cursor.take()
                continue
            break
        if (match[1] or match[6]) == "0" and seen:
            break
        seen = True
        cursor.take()
        if match[1]:
            frames.append(
                Frame(
                    file=match[3],
                    line=whole(match[4]),
                    column=whole(match[5]) if match[5] else None,
                    function=match[2].partition("(")[0],
                )
            )
        else:
            frames.append(Frame(file="<native>", function=match[7]))
    return list(reversed(frames))


def _undefined(cursor: Cursor, function: str | None) -> Jam | None:
    match = _UBSAN.match(cursor.peek())
    if match is None:
        return None
    cursor.take()
    frame = Frame(file=match[1], line=whole(match[2]), column=whole(match[3]))
    frames = [one for one in _asan_frames(cursor) if one.line] or [frame]
    return Jam(runtime="c", message=match[4], frames=tuple(frames))


def _debugged(cursor: Cursor, function: str | None) -> Jam | None:
    match = _GDB_SIGNAL.match(cursor.peek().strip())
    if match is None:
        return None
    cursor.take()
    frames: list[Frame] = []
    for _ in range(400):
        if not cursor.more:
            break
        found = _GDB_FRAME.match(cursor.peek())
        if found:
            if found[1] == "0" and frames:
                frames = []
            frames.append(
                Frame(file=found[4], line=whole(found[5]), function=found[2])
                if found[4]
                else Frame(file="<native>", function=found[2])
            )
        elif len(frames) > 1:
            break
        cursor.take()
    return Jam(runtime="c", exception_type=match[1], message=match[2], frames=tuple(reversed(frames)))


def _checked(cursor: Cursor, function: str | None) -> Jam | None:
    """Valgrind: the error, its frames innermost first, and what it says about the address."""
    line = _VALGRIND.match(cursor.peek().strip())
    error = _VALGRIND_ERROR.match(line[1].strip()) if line else None
    if error is None:
        return None
    cursor.take()
    frames: list[Frame] = []
    facts: dict[str, str] = {}
    story = ""
    for _ in range(60):
        inner = _VALGRIND.match(cursor.peek().strip()) if cursor.more else None
        if inner is None or not inner[1].strip():
            break
        found = _VALGRIND_FRAME.match(inner[1])
        if found and not story:
            frames.append(Frame(file=found[2], line=whole(found[3]) if found[3] else None, function=found[1]))
        elif found and found[3]:
            facts.setdefault(f"{story}-at", f"{found[2]}:{found[3]}")
        elif inner[1].strip().startswith("Address"):
            story = "freed" if "free'd" in inner[1] else "allocated"
        cursor.take()
    return Jam(runtime="c", message=error[1], frames=tuple(reversed(frames)), facts=facts)


_READS: tuple[Callable[[Cursor, str | None], Jam | None], ...] = (
    _gcc,
    _msvc,
    _msvc_linked,
    _linked,
    _terminated,
    _asserted,
    _aborted,
    _sanitized,
    _undefined,
    _debugged,
    _checked,
    _signalled,
    elsewhere,
)
READER = CReader()
