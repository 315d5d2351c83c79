"""Where in very much text a failure may stand: literals that runtimes print, found all at once.

Hyperscan (extra `pile`) looks for all of them in one pass; without it each is sought on its own, block by block, which costs
one pass each and finds the very same places.
"""

from __future__ import annotations

import re
from functools import cache
from typing import Protocol

#: What a mark leads to: a trace of Python's, a syntax error without one, or a block of lines that belong together.
TRACE, BARE, BLOCK, EVENT = "trace", "bare", "block", "event"

#: Literal -> what it leads to. A literal that begins with a line end stands at the beginning of a line.
MARKS: dict[bytes, str] = {
    b"Traceback (most recent call last)": TRACE,
    b"SyntaxError: ": BARE,
    b"IndentationError: ": BARE,
    b"TabError: ": BARE,
    b'"exception': EVENT,
    b"Fatal Python error: ": BLOCK,
    b"\n____": BLOCK,
    # JavaScript
    b"\n    at ": BLOCK,
    b"\nNode.js v": BLOCK,
    b":CONSOLE:": BLOCK,
    # Java
    b"\tat ": BLOCK,
    b'Exception in thread "': BLOCK,
    b"Error: Could not find or load main": BLOCK,
    b"Error: Main method not found": BLOCK,
    # C, C++, Swift and what their compilers say
    b": error: ": BLOCK,
    b"fatal error: ": BLOCK,
    b": error C": BLOCK,
    b": error LNK": BLOCK,
    b"undefined reference to": BLOCK,
    b"multiple definition of": BLOCK,
    b": runtime error: ": BLOCK,
    b" received signal ": BLOCK,
    b": Assertion ": BLOCK,
    b"Sanitizer: ": BLOCK,
    b"terminate called": BLOCK,
    b"== Invalid ": BLOCK,
    b"uninitialised value": BLOCK,
    b"Segmentation fault": BLOCK,
    b"Floating point exception": BLOCK,
    b"Bus error": BLOCK,
    b"(core dumped)": BLOCK,
    b"double free or corruption": BLOCK,
    b"stack smashing detected": BLOCK,
    b"Fatal error: ": BLOCK,
    b"ncaught exception ": BLOCK,
    b"Program crashed: ": BLOCK,
    # R, Octave, Lua, Julia, SuperCollider, Stata, Basic
    b"Error in ": BLOCK,
    b"Execution halted": BLOCK,
    b"\nerror: ": BLOCK,
    b"parse error": BLOCK,
    b"stack traceback:": BLOCK,
    b"\nlua": BLOCK,
    b"\nERROR: ": BLOCK,
    b"ERROR: LoadError: ": BLOCK,
    b"CALL STACK:": BLOCK,
    b"\nr(": BLOCK,
    b"Run-time error '": BLOCK,
    b"\nCompile error": BLOCK,
    b"BASIC runtime error": BLOCK,
}
LITERALS = tuple(MARKS)
WAYS = tuple(MARKS.values())
#: Bytes looked through at once where each literal is sought on its own, so that they stay near the processor.
_BLOCK = 1 << 18


class Finder(Protocol):
    """Finds the marks in a buffer."""

    def __call__(self, data: bytes, start: int) -> list[tuple[int, str]]:
        """Return (offset, what it leads to) of every mark from `start` on, in order; a line end before it does not count."""
        ...


def with_hyperscan(data: bytes, start: int) -> list[tuple[int, str]]:
    """Find the marks in one pass.

    Raises:
        ImportError: hyperscan is not installed.
    """
    found: list[tuple[int, str]] = []

    def met(number: int, begins: int, end: int, flags: int, context: object) -> None:
        found.append((start + end - _LENGTHS[number], WAYS[number]))

    _database().scan(memoryview(data)[start:], match_event_handler=met)
    found.sort()
    return found


#: Length of each literal, a line end before it left out.
_LENGTHS = tuple(len(literal.lstrip(b"\n")) for literal in LITERALS)


@cache
def _database():  # type: ignore[no-untyped-def]  # hyperscan has no types
    import hyperscan

    database = hyperscan.Database(mode=hyperscan.HS_MODE_BLOCK)
    database.compile(
        expressions=[re.escape(literal) for literal in LITERALS],
        ids=list(range(len(LITERALS))),
        elements=len(LITERALS),
        flags=[0] * len(LITERALS),
    )
    return database


def one_by_one(data: bytes, start: int) -> list[tuple[int, str]]:
    """Find the marks with one search for each literal."""
    found: list[tuple[int, str]] = []
    for block in range(start, len(data), _BLOCK):
        for literal, way in MARKS.items():
            stop = min(block + _BLOCK + len(literal) - 1, len(data))
            at = data.find(literal, block, stop)
            while at >= 0:
                found.append((at + (literal[0] == 10), way))
                at = data.find(literal, at + 1, stop)
    found.sort()
    return found


@cache
def finder() -> Finder:
    """Return the quicker of the two that is here."""
    try:
        _database()
    except ImportError:
        return one_by_one
    return with_hyperscan
