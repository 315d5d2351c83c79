"""Parts of an R source in which one function runs, and how a line is found in them by what a failure prints."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache

from jamkey.follow.named_lines import writing
from jamkey.languages.base import Code, Function
from jamkey.languages.r import RLanguage
from jamkey.languages.scan import pieces

_SPACE = re.compile(r"\s+")
WORD = re.compile(r"(?<![\w.$@\"'])[\w.]+(?![\w.\"'])")
#: A function that is written out.
MADE = re.compile(r"(?<![\w.])function\s*\(|\\\(")
_STOPS = re.compile(r"\b(?:stop|warning|error)\s*\(")
#: Letters of a text that a message is known by.
_LEAST = 4
#: Functions that one method of R serves all: what fails within it was called by one of these names.
_GROUPS = {
    "Summary": "max min range sum prod any all",
    "Math": "abs sign sqrt floor ceiling trunc round signif exp log log2 log10 log1p cumsum cumprod cummax cummin",
}


@lru_cache(maxsize=256)
def bare(text: str) -> str:
    """Return a text of the same length without texts and comments; a name in quotes of its own is left."""
    kept: list[str] = []
    end = 0
    for piece in pieces(text, RLanguage.style):
        if piece.sort in ("text", "comment") and piece.mark != "`":
            kept += text[end : piece.start], re.sub(r"[^\n]", " ", text[piece.start : piece.end])
            end = piece.end
    return "".join(kept) + text[end:]


def plain(text: str) -> str:
    """Return a text without its blanks."""
    return _SPACE.sub("", text)


@dataclass(frozen=True)
class Scope:
    """A part of a file in which one function runs: its own lines, without the functions that are named in it."""

    file: str
    code: Code
    first: int
    last: int
    #: None for a script's own lines.
    function: Function | None = None

    @cached_property
    def rows(self) -> list[tuple[int, str]]:
        """Return (line, text) of the lines."""
        rows = self.code.text.split("\n")
        within = range(self.first, min(self.last, len(rows)) + 1)
        inner = {
            number
            for function in self.code.functions()
            if (self.first, self.last) != (function.span.line, function.span.end_line)
            and self.first <= function.span.line
            and function.span.end_line <= self.last
            for number in range(function.span.line, function.span.end_line + 1)
        }
        return [(number, rows[number - 1]) for number in within if number not in inner]

    @cached_property
    def shown(self) -> list[tuple[int, str]]:
        """Return (line, text) of the lines without texts and comments, and without the function's head."""
        rows = bare(self.code.text).split("\n")
        return [(number, self._body(number, rows[number - 1])) for number, _ in self.rows]

    def _body(self, number: int, row: str) -> str:
        """Return of a function's first line only what stands behind its parameters."""
        if self.function is None or number != self.function.span.line:
            return row
        head = MADE.search(row)
        start = head.start() + len(closed(row[head.start() :])) if head is not None else len(row)
        return " " * start + row[start:]

    @property
    def name(self) -> str | None:
        """Return the name of the function."""
        return self.function.name if self.function is not None else None


#: Looks for a line in a scope.
Find = Callable[[Scope], int | None]


def whole(name: str, code: Code) -> Scope:
    """Return a script's own lines."""
    return Scope(name, code, 1, code.text.count("\n") + 1)


def within(name: str, code: Code, function: Function) -> Scope:
    """Return a function's lines."""
    return Scope(name, code, function.span.line, function.span.end_line, function)


def calling(name: str, said: str = "") -> Find:
    """Return how the line is found that calls a function."""
    return lambda scope: calls(scope, name, said)


def forms(name: str) -> list[str]:
    """Return the names by which R may have been asked for a function: a method is called by what stands before its class."""
    name = name.rpartition("$")[2]
    parts = name.split(".")
    shorter = [".".join(parts[:size]) for size in range(len(parts), 0, -1) if parts[0]]
    return [other for form in shorter for other in (form, *_GROUPS.get(form, "").split())]


def holds(scope: Scope, words: str) -> int | None:
    """Return the line whose text holds the words, blanks aside; a call may run over several lines."""
    wanted = plain(words)
    if not wanted:
        return None
    rows = [(number, row) for number, row in scope.rows if not row.lstrip().startswith("#")]
    for number, row in rows:
        if wanted in plain(row):
            return number
    head = wanted[:24]
    for place, (number, row) in enumerate(rows):
        joined = plain("".join(other for _, other in rows[place : place + 6]))
        if wanted in joined and joined.find(wanted) < len(plain(row)):
            return number
    return next((number for number, row in rows if len(head) >= 12 and head in plain(row)), None)


def calls(scope: Scope, name: str, said: str = "") -> int | None:
    """Return the line that calls a function or names it as an argument.

    Of several, the first that holds what the message quotes; else the first.
    """
    pattern = re.compile(rf"(?<![\w.]){re.escape(name)}(?![\w.])\s*(\()?")
    other: int | None = None
    found: list[tuple[int, str]] = []
    for (number, row), (_, shown) in zip(scope.rows, scope.shown, strict=True):
        match = pattern.search(shown)
        if match and match[1]:
            found.append((number, row[match.end() :]))
        if match and other is None:
            other = number
    quoting = [number for number, rest in found if said and len(plain(rest)) > 4 and _quoted(plain(rest), plain(said))]
    return next(iter(quoting or [number for number, _ in found]), other)


def _quoted(call: str, said: str) -> bool:
    """Tell whether a message begins with what stands in a call's brackets."""
    end = len(call)
    while end > 4 and not said.startswith(call[:end]):
        end -= 1
    return end > 4 and not re.match(r"\w", call[end : end + 1])


def replaces(scope: Scope, call: str) -> int | None:
    """An assignment into a table is a call of its own kind: find the line by what is set or taken."""
    setting = re.match(r"`(\$|\[\[?)<-(?:\.[\w.]+)?`\(`?\*tmp\*`?, ?([^,)]*)", call)
    taking = re.match(r"`(\[\[?)(?:\.[\w.]+)?`\(([\w.]+),", call)
    if setting:
        name = re.escape(setting[2].strip().strip('"`'))
        pattern = re.compile(rf"\${name}\s*(?:<-|=)" if setting[1] == "$" else r"\]\s*(?:<-|=)(?!=)")
    elif taking:
        pattern = re.compile(rf"(?<![\w.]){re.escape(taking[2])}\s*{re.escape(taking[1])}")
    else:
        return None
    return next((number for number, row in scope.rows if pattern.search(row)), None)


def stops(scope: Scope, message: str) -> int | None:
    """Return the line that stops with text that the message holds."""
    words = " ".join(message.split())
    written = {line for _, line in writing(words, [(scope.file, scope.code)], RLanguage.name, _LEAST)}
    return next((number for number, shown in scope.shown if number in written and _STOPS.search(shown)), None)


def speaks(scope: Scope, name: str) -> int | None:
    """Return the line that uses a name."""
    return next((number for number, shown in scope.shown if name in WORD.findall(shown)), None)


@dataclass(frozen=True)
class Region:
    """A piece of source that begins on a line."""

    first: int
    text: str

    @property
    def last(self) -> int:
        """Return the line on which it ends."""
        return self.first + self.text.count("\n")


def call_at(scope: Scope, line: int, name: str) -> Region:
    """Return the text of a call that begins on a line, brackets and all."""
    rows = scope.code.text.split("\n")
    at = max(rows[line - 1].find(name), 0)
    rest = "\n".join([rows[line - 1][at:], *rows[line : line + 400]])
    return Region(line, closed(rest))


def closed(text: str, *, body: bool = False) -> str:
    """Return a text up to the bracket that closes its first one; of a function up to the end of its body."""
    shown = bare(text)
    depth = 0
    for place, sign in enumerate(shown):
        if sign in "([{":
            depth += 1
        elif sign in ")]}":
            depth -= 1
            if depth < 0:
                return text[:place]
            if depth == 0 and not (body and sign == ")"):
                return text[: place + 1]
            if depth == 0:
                following = shown[place + 1 :]
                if following.lstrip()[:1] != "{":
                    return text[: place + 1] + following.partition("\n")[0]
                body = False
    return text
