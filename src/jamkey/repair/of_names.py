"""Edits that give a name where a value is missing, and a line that stands too low its place."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.repair.ground import COST, Edit, Ground
from jamkey.repair.lex import Token

#: Names tried at a place, those set nearest to it first.
_MOST = 6
#: What is filled into a text, with nothing in it.
_EMPTY = re.compile(r"(?<!\{)\$?\{\s*\}(?!\})")
#: How much more a place may cost with a name than without one, where one is wanted.
_WANTED = 1.0
#: Lines above that a line may belong above.
_ABOVE = 3


def named(ground: Ground) -> Iterator[Edit]:
    """Yield names that are set and never read, where a value is wanted."""
    words, count = ground.words, ground.usual
    for place, token in enumerate(ground.code):
        off = ground.lines.get(token.line)
        if off is None or place == 0:
            continue
        if token.sort == "text":
            yield from _filled(ground, token, off)
            continue
        at = place + 2
        a, b, c, d = words[at - 2], words[at - 1], words[at], words[at + 1]
        gain = count.of([a, b, "N", c, d]) - count.of([a, b, c, d])
        if gain < _WANTED:
            where = ground.code[place - 1].end
            blank = "" if ground.text[where - 1 : where] in "([{" else " "
            for step, name in enumerate(_unread(ground, token)):
                yield Edit("name", where, where, blank + name, COST["name"] + 2.0 + 0.3 * step + off + gain)


def _filled(ground: Ground, token: Token, off: float) -> Iterator[Edit]:
    if not (token.text[:1] == "`" or (ground.python and re.match(r"[rR]?[fF]", token.text))):
        return
    for match in _EMPTY.finditer(token.text):
        where = token.start + match.end() - 1
        for step, name in enumerate(_unread(ground, token)):
            yield Edit("name", where, where, name, COST["name"] + 0.3 * step + off)


def _unread(ground: Ground, token: Token) -> list[str]:
    """Return names that stand once in all of the code, above a place, and not in the text that stands there."""
    found: dict[str, None] = {}
    for other in reversed([other for other in ground.code if other.end <= token.start]):
        if other.sort == "name" and ground.own.names.get(other.text, 0) == 1 and other.text not in ground.language.keywords:
            if token.sort != "text" or not re.search(rf"\b{re.escape(other.text)}\b", token.text):
                found[other.text] = None
        if len(found) >= _MOST:
            break
    return list(found)


def moved(ground: Ground) -> Iterator[Edit]:
    """Yield the line where the parser stopped above one of those that stand before it in its block."""
    line = ground.line
    row, indent = ground.rows[line - 1], ground.indent(line)
    passed = 0
    for above in range(line - 1, 0, -1):
        if not ground.rows[above - 1].strip():
            continue
        if ground.indent(above) != indent or passed >= _ABOVE or not row.strip():
            return
        passed += 1
        begin, end = ground.starts[above - 1], ground.starts[line] - 1
        between = ground.text[begin : ground.starts[line - 1] - 1]
        yield Edit("move", begin, end, f"{row}\n{between}", COST["move"] + 0.5 * passed)
