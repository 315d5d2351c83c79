"""Where in very much text a failure may stand: literals that runtimes print, found all at once.

Hyperscan (extra `pile`) looks for all of them in one pass; without it each is sought on its own, block by block, which costs
one pass each and finds the very same places.
"""

from __future__ import annotations

import mmap
import re
from functools import cache
from typing import Protocol

#: What is looked through: bytes, or a file as it lies in memory.
Data = bytes | mmap.mmap
#: What a mark leads to: a trace of Python's, a syntax error without one, a block of lines that belong together, a record of
#: JSON; or letters of which it is not yet known.
TRACE, BARE, BLOCK, EVENT, WORD = "trace", "bare", "block", "event", "word"

#: Literal -> what it leads to. A literal that begins with a line end stands at the beginning of a line. Fewer are found faster:
#: where several sentences share some letters these are sought, and `WORDS` tells which sentence it is.
MARKS: dict[bytes, str] = {
    b"Traceback (most recent call last)": TRACE,
    b'"exception': EVENT,
    b"rror: ": WORD,
    b"rror in ": WORD,
    b"parse error": BLOCK,
    b" (line ": WORD,
    b": error C": WORD,
    b": error L": WORD,
    b"ime error": WORD,
    b"\n____": BLOCK,
    # JavaScript, Java
    b"\n    at ": BLOCK,
    b"\nNode.js v": BLOCK,
    b"\tat ": BLOCK,
    # the same within a record of JSON
    b"\\tat ": BLOCK,
    b"\\n    at ": BLOCK,
    b'"    at ': BLOCK,
    b'Exception in thread \\"': BLOCK,
    b"@http": BLOCK,
    b"@file:": BLOCK,
    b'Exception in thread "': BLOCK,
    # C, C++, Swift and what their compilers say
    b"undefined reference to": BLOCK,
    b"multiple definition of": BLOCK,
    b"received signal SIG": BLOCK,
    b": Assertion ": BLOCK,
    b"Sanitizer: ": BLOCK,
    b"terminate called": BLOCK,
    b"== Invalid ": BLOCK,
    b"uninitialised value": BLOCK,
    b"Segmentation fault": BLOCK,
    b"loating point exc": BLOCK,
    b"(core dumped)": BLOCK,
    b"invalid pointer": BLOCK,
    b"ncaught ": BLOCK,
    b"Program crashed: ": BLOCK,
    # R, Octave, Lua, Julia, SuperCollider, Stata, Basic
    b"Execution halted": BLOCK,
    b"stack traceback:": BLOCK,
    b"\nlua": BLOCK,
    b"\nERROR: ": BLOCK,
    b"\nr(": BLOCK,
    b"\nCompile error": BLOCK,
}
#: What stands around the letters in the sentences meant, from a line's beginning or a word's; the group tells the way.
WORDS = re.compile(
    rb"(?P<bare>(?:Syntax|Indentation|Tab)Error: )|(?P<block>: (?:error|fatal error|runtime error): |: error [CL]\w*\d|"
    rb"(?<!\S)[Ff]atal error: |Fatal Python error: |"
    rb"(?:(?<=[\n\s|])|\A)(?:[Ee]rror: |Error in |Run-time error '|BASIC runtime error|Error \d+ \(line ))"
)
LITERALS = tuple(MARKS)
WAYS = tuple(MARKS.values())
#: Bytes looked through at once where each literal is sought on its own, so that they stay near the processor.
_BLOCK = 1 << 18
#: Bytes before and behind the letters of a word that are looked at.
_NEAR = 16


def meant(data: bytes, at: int) -> tuple[int, str] | None:
    """Return where the sentence begins that letters belong to, and what it leads to; None for other words."""
    low = max(at - _NEAR, 0)
    match = WORDS.search(data[low : at + _NEAR])
    return (low + match.start(), match.lastgroup or BLOCK) if match is not None else None


class Finder(Protocol):
    """Finds the marks in a buffer."""

    def __call__(self, data: Data, start: int) -> list[tuple[int, str]]:
        """Return (offset, what it leads to) of every mark from `start` on, in order; a line end before it does not count."""
        ...


def with_hyperscan(data: Data, start: int) -> list[tuple[int, str]]:
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


def one_by_one(data: Data, start: int) -> list[tuple[int, str]]:
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
