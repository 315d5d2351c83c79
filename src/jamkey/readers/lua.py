"""What Lua 5.1 to 5.4 prints: `file:line: message` with `stack traceback:`; a game engine's screen, a small console."""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam
from jamkey.readers.base import Cursor
from jamkey.text import whole

_START = re.compile(r"(?:\S*?lua[\d.]*(?:\.exe)?|luajit|input|Error(?=: [^:\s]+\.lua:\d))(?:: |:)(.*)$")
_PLACED = re.compile(r"(?:\.[/\\])?(\[string \"[^\"]*\"\]|[^:\s][^:]*?):(\d+): (.*)$")
_AT_LINE = re.compile(r"\d+: ")
_FRAME = re.compile(r"\t?(\[C\]|\[string \"[^\"]*\"\]|[^:\t]+?):(?:(\d+):)? (?:in )?(.*)$")
#: A file of the engine that runs the program.
_ENGINE = re.compile(r"\[\w+ \"[^\"]*\"\]$")
#: What stands above the stack: an engine draws it on its screen, with blank lines around and none of the tabs.
_STACK, _SCREEN = "stack traceback:", "Traceback"
_ON_SCREEN = re.compile(r"^(?:\[[^\]\n]*\]|[^:\s][^:\n]*\.lua):\d+: in (?:function|main chunk)", re.M)
_NAMED = re.compile(
    r"(?:local|upvalue|field|method|global|function|metamethod|for iterator)\s+['<]([^'>]*)['>]|function <([^>]*)>"
)
_CONSOLE = re.compile(r"^line (\d+) \(tab (\d+)\): (.*)$", re.M)
_CONSOLE_FRAME = re.compile(r"  (\w+): line (\d+) \(tab (\d+)\)$")
_SYNTAX = (" near ", "expected", "unfinished", "malformed", "ambiguous syntax")


class LuaReader:
    """Reads what a Lua interpreter prints when it stops."""

    name = "lua"

    def score(self, text: str) -> float:
        """Score by the stack traceback's words, the interpreter's name, or the console's form."""
        if _STACK in text and ("in main chunk" in text or "[C]:" in text or ".lua:" in text):
            return 0.95
        if _SCREEN in text and _ON_SCREEN.search(text) is not None:
            return 0.95
        if re.search(r"^\S*lua[\d.]*: \S", text, re.M):
            return 0.9
        return 0.9 if _CONSOLE.search(text) else 0.0

    def read(self, text: str) -> list[Jam]:
        """Return the failures in order."""
        cursor = Cursor(text.split("\n"))
        jams: list[Jam] = []
        while cursor.more:
            start = cursor.position
            jam = _console(cursor) or _failure(cursor)
            if jam is None:
                cursor.position = start + 1
                continue
            jams.append(msgspec.structs.replace(jam, first_line=start + 1, last_line=cursor.position))
        return jams


def _failure(cursor: Cursor) -> Jam | None:
    line = cursor.peek()
    match = _START.match(line)
    if match is not None and _AT_LINE.match(match[1]) and not line.startswith("input:"):
        match = None  # a script's name, not the interpreter's
    if match is None:
        if not _PLACED.match(line) or not (cursor.peek(1) == _STACK or _below(cursor, 1) is not None):
            return None
    cursor.take()
    words = match[1].strip() if match else line
    placed = _PLACED.match(words)
    message = placed[3] if placed else words
    rest: list[str] = []
    while cursor.more and cursor.peek() != _STACK and cursor.peek().startswith("\t") and len(rest) < 40:
        rest.append(cursor.take().strip())
    if (screen := _below(cursor, 0)) is not None:
        cursor.position += screen
    frames = _frames(cursor) if cursor.peek() in (_STACK, _SCREEN) else []
    own = Frame(file=_plain(placed[1]), line=whole(placed[2])) if placed else None
    compiled = own is not None and not frames and any(words in message for words in _SYNTAX)
    if compiled and own is not None:
        frames = [own]
    elif own is not None and (not frames or not any((f.file, f.line) == (own.file, own.line) for f in frames)):
        if not frames:
            frames = [own]
    if match is None and not frames:
        return None
    inner = _PLACED.match(rest[0]) if rest and message.startswith("error loading module ") else None
    if inner is not None:
        # `require` tells what its parser said of another file: that file is the place
        frames.append(Frame(file=_plain(inner[1]), line=whole(inner[2])))
        return Jam(runtime="lua", phase="compile", message=inner[3], frames=tuple(frames))
    text = "\n".join([message, *rest])
    if text == "interrupted!":
        return Jam(runtime="lua", phase="hang", kind="interrupted", frames=tuple(frames))  # its word for Ctrl-C
    return Jam(runtime="lua", phase="compile" if compiled else "run", message=text, frames=tuple(frames))


def _below(cursor: Cursor, begin: int) -> int | None:
    """Return how many lines further down the stack of an engine's screen begins, behind blank lines only."""
    step = begin
    while step < begin + 4 and not cursor.peek(step).strip() and cursor.position + step < len(cursor.lines):
        step += 1
    return step if cursor.peek(step) == _SCREEN else None


def _plain(file: str) -> str:
    return file.removeprefix("./")


def _frames(cursor: Cursor) -> list[Frame]:
    """Read the stack, innermost first; returned outermost first."""
    on_screen = cursor.take() == _SCREEN
    while on_screen and cursor.more and not cursor.peek().strip():
        cursor.take()
    frames: list[Frame] = []
    while cursor.more:
        line = cursor.peek()
        skipped = re.match(r"\t\.\.\.\s*(?:\(skipping (\d+) levels\))?$", line)
        if skipped:
            cursor.take()
            if frames:
                frames[-1] = msgspec.structs.replace(frames[-1], repeated=whole(skipped[1] or "0"))
            continue
        match = _FRAME.match(line) if on_screen or line.startswith("\t") else None
        if match is None:
            break
        cursor.take()
        named = _NAMED.match(match[3])
        function = None
        if named:
            function = named[1] if named[1] is not None else None
        if match[3].startswith("main chunk"):
            function = None
        file = "<native>" if match[1] == "[C]" or (_ENGINE.match(match[1]) and "[string " not in match[1]) else _plain(match[1])
        frames.append(Frame(file=file, line=whole(match[2]) if match[2] else None, function=function))
    return list(reversed(frames))


def _console(cursor: Cursor) -> Jam | None:
    match = _CONSOLE.match(cursor.peek())
    if match is None:
        return None
    cursor.take()
    frames: list[Frame] = []
    while (found := _CONSOLE_FRAME.match(cursor.peek())) is not None:
        cursor.take()
        frames.append(Frame(file=f"tab{found[3]}.lua", line=whole(found[2]), function=found[1]))
    message, _, opened = match[3].partition(" (function opened at line ")
    compiled = "near end of tab" in match[3] or any(words in match[3] for words in _SYNTAX[1:4])
    facts = {"opened": opened.rstrip(")")} if opened else {}
    frames = frames or [Frame(file=f"tab{match[2]}.lua", line=whole(match[1]))]
    if (message if opened else match[3]) == "interrupted!":
        return Jam(runtime="lua", phase="hang", kind="interrupted", frames=tuple(reversed(frames)))  # its word for Ctrl-C
    return Jam(
        runtime="lua",
        phase="compile" if compiled else "run",
        message=message if opened else match[3],
        frames=tuple(reversed(frames)),
        facts=facts,
    )


READER = LuaReader()
