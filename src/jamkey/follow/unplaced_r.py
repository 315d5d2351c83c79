"""Plain Rscript prints calls and no lines: the way is walked through the source, from the script to the call that failed.

`Calls:` names the functions that had been entered, outermost first. Each own one is entered in turn; a function that was
handed over (`FUN`, `<Anonymous>`) is the one that the call of the library is given; what the last own function called of
the library, or the text of the failed call, or what the message speaks of, is the line.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import msgspec

from jamkey.follow.sources import Sources
from jamkey.languages.base import Code, Function
from jamkey.languages.r import RLanguage
from jamkey.model import Frame, Jam

_SPACE = re.compile(r"\s+")
_OPAQUE = re.compile(r"\"(?:[^\"\\]|\\.)*\"|'(?:[^'\\]|\\.)*'|#[^\n]*")
_WORD = re.compile(r"(?<![\w.$@\"'])[\w.]+(?![\w.\"'])")
_CALLED = re.compile(r"(?<![\w.$@])([A-Za-z][\w.]*)\s*\(")
_MADE = re.compile(r"(?<![\w.])function\s*\(|\\\(")
#: Names of functions that a library was handed.
_HANDED = ("FUN", "<Anonymous>", "f", "fn", "expr")
#: Functions that one method of R serves all: what fails within it was called by one of these names.
_GROUPS = {
    "Summary": "max min range sum prod any all",
    "Math": "abs sign sqrt floor ceiling trunc round signif exp log log2 log10 log1p cumsum cumprod cummax cummin",
}
#: What a message says of a name that is used on the failing line.
_NAMED = re.compile(r"(?:object|function|argument) ['\"\u2018]([^'\"\u2019]+)['\"\u2019]")


def _bare(text: str) -> str:
    """Return a text of the same length without what stands in quotes and comments."""
    return _OPAQUE.sub(lambda found: re.sub(r"[^\n]", " ", found[0]), text)


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


def placed(jam: Jam, sources: Sources, codes: Sequence[tuple[str, Code]]) -> list[Frame]:
    """Return the frames of an R failure with the files and lines that its calls tell."""
    if not codes:
        return list(jam.frames)
    if jam.phase == "compile":
        return [_grammar(frame, jam, codes) for frame in jam.frames]
    return _Way(jam, sources, codes).frames()


class _Way:
    """From the script to the failing line, one call after the other."""

    def __init__(self, jam: Jam, sources: Sources, codes: Sequence[tuple[str, Code]]) -> None:
        self.jam, self.sources, self.codes = jam, sources, codes
        self.message = jam.wording or ""
        self.call = jam.facts.get("call", "")
        self.known: dict[str, Scope] = {}
        for name, code in codes:
            for function in code.functions():
                self.known.setdefault(function.name, within(name, code, function))
        self.scopes = [whole(*_main_file(codes))]
        self.pending: list[str] = []
        self.found: list[Frame] = []

    def frames(self) -> list[Frame]:
        """Walk, and return the frames that have a line; those that were given where there is none."""
        for index, frame in enumerate(self._entered()):
            name = frame.function or ""
            if frame.line is not None and self.sources.resolve(frame.file):
                self.found.append(frame)
                if name in self.known:
                    self._enter(self.known[name])
                continue
            own = next((self.known[form] for form in _forms(name) if form in self.known), None)
            if own is not None and (own.function is None or name == own.name or index):
                self._called(own)
            elif name in _HANDED or name.startswith("(function"):
                handed = self._handed()
                if handed is not None:
                    self._called(handed, self.pending)
                else:
                    self.pending.append(name)
            elif name:
                self.pending.append(name)
        line, scope = self._line()
        if not self.found or (self.found[-1].file, self.found[-1].line) != (scope.file, line):
            self.found.append(Frame(file=scope.file, line=line, function=scope.name))
        return [frame for frame in self.found if frame.line is not None] or list(self.jam.frames)

    def _entered(self) -> list[Frame]:
        """Return the frames that were entered; the one that refused its arguments was not."""
        frames = [frame for frame in self.jam.frames if frame.line is not None or frame.function]
        if not frames or frames[-1].function not in self.known:
            return frames
        refused = self.message.startswith("unused argument")
        # a check speaks for the function that asked for it, which stands among the calls already
        spoken_for = any(frame.function == frames[-1].function for frame in frames[:-2]) and frames[-1].source == self.call
        return frames[:-1] if refused or spoken_for else frames

    def _enter(self, scope: Scope) -> None:
        self.scopes.append(scope)
        self.pending = []

    def _called(self, own: Scope, through: Sequence[str] = ()) -> None:
        """Enter an own function, from the line that calls it or hands it to the library."""
        names = [*through, own.name or ""]
        hit = next((hit for name in names for hit in self._outward(_calling(name))), None)
        if hit is None and not through:
            hit = next(((scope, at) for scope in self._all() if (at := calls(scope, own.name or "")) is not None), None)
        if hit is not None:
            self.found.append(Frame(file=hit[0].file, line=hit[1], function=hit[0].name))
        self._enter(own)

    def _all(self) -> Iterator[Scope]:
        for name, code in self.codes:
            yield from (within(name, code, function) for function in code.functions())
            yield whole(name, code)

    def _outward(self, find: Find) -> Iterator[tuple[Scope, int]]:
        for scope in reversed(self.scopes):
            at = find(scope)
            if at is not None:
                yield scope, at

    def _handed(self) -> Scope | None:
        """Return the function that the last call of the library was handed: named there, or written there."""
        for name in self.pending:
            for form in _forms(name):
                for scope, at in self._outward(_calling(form)):
                    region = _call_at(scope, at, form)
                    for word in _WORD.findall(_bare(region.text)):
                        if word in self.known and word != scope.name:
                            return self.known[word]
                    made = _MADE.search(region.text)
                    if made is not None:
                        first = region.line + region.text.count("\n", 0, made.start())
                        last = first + _closed(region.text[made.start() :], body=True).count("\n")
                        return Scope(scope.file, scope.code, first, last, scope.function)
        return None

    def _line(self) -> tuple[int | None, Scope]:
        """Return the failing line and where it lies."""
        for find in self._ways():
            for scope, at in self._outward(find):
                return at, scope
        if "elided" in self.jam.facts or len(self.scopes) == 1:
            for find in self._ways():
                for scope in self._all():
                    if (line := find(scope)) is not None:
                        return line, scope
        if "elided" in self.jam.facts and len(asks := self._asks()) == 1:
            return asks[0]
        return None, self.scopes[-1]

    def _asks(self) -> list[tuple[int, Scope]]:
        """Return the lines that ask a library for more than the usual, in what the last own function calls."""
        reached = [self.scopes[-1]]
        for scope in reached:
            reached += [own for name, own in self.known.items() if own not in reached and calls(scope, name)]
        usual = RLanguage.builtins | RLanguage.keywords
        return [
            (number, scope)
            for scope in reached
            for number, row in scope.rows
            if any(name not in usual and name not in self.known for name in _CALLED.findall(_bare(row)))
        ]

    def _ways(self) -> Iterator[Find]:
        head = re.match(r"[\w.]+", self.call)
        name = head[0] if head else ""
        entered = name in self.known or name in _HANDED or self.call.startswith("(function")
        if self.call and not entered and (not self.pending or name in self.pending[:1]):
            yield lambda scope: holds(scope, self.call)
            yield lambda scope: replaces(scope, self.call)
        if self.pending:
            for name in self.pending:
                for form in _forms(name):
                    yield _calling(form, self.message)
        if self.message.endswith("TRUE"):
            yield _calling("stopifnot", self.message)
        yield lambda scope: stops(scope, self.message)
        named = _NAMED.search(self.message)
        if named is not None:
            yield lambda scope: speaks(scope, named[1])
        if self.call:
            yield lambda scope: holds(scope, self.call)


def _calling(name: str, said: str = "") -> Find:
    return lambda scope: calls(scope, name, said)


def _forms(name: str) -> list[str]:
    """Return the names by which R may have been asked for a function: a method is called by what stands before its class."""
    name = name.rpartition("$")[2]
    parts = name.split(".")
    forms = [".".join(parts[:size]) for size in range(len(parts), 0, -1) if parts[0]]
    return [other for form in forms for other in (form, *_GROUPS.get(form, "").split())]


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
    for number, row in scope.rows:
        bare = _bare(row)
        if scope.function is not None and number == scope.function.span.line and bare.count(name) < 2:
            continue
        match = pattern.search(bare)
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
    for number, row in scope.rows:
        if re.search(r"\b(?:stop|warning|error)\s*\(", row):
            texts = re.findall(r'"([^"]{3,})"', row)
            if any(part and part in message for text in texts for part in re.split(r"%\S", text) if len(part.strip()) > 3):
                return number
    return None


def speaks(scope: Scope, name: str) -> int | None:
    """Return the line that uses a name."""
    for number, row in scope.rows:
        bare = _bare(row)
        if scope.function is not None and number == scope.function.span.line:
            bare = bare.rpartition("{")[2] if "{" in bare else ""
        if name in _WORD.findall(bare):
            return number
    return None


@dataclass(frozen=True)
class _Region:
    line: int
    text: str


def _call_at(scope: Scope, line: int, name: str) -> _Region:
    """Return the text of a call that begins on a line, brackets and all."""
    rows = scope.code.text.split("\n")
    at = max(rows[line - 1].find(name), 0)
    rest = "\n".join([rows[line - 1][at:], *rows[line : line + 400]])
    return _Region(line, _closed(rest))


def _closed(text: str, *, body: bool = False) -> str:
    """Return a text up to the bracket that closes its first one; of a function up to the end of its body."""
    bare = _bare(text)
    depth = 0
    for place, sign in enumerate(bare):
        if sign in "([{":
            depth += 1
        elif sign in ")]}":
            depth -= 1
            if depth < 0:
                return text[:place]
            if depth == 0 and not (body and sign == ")"):
                return text[: place + 1]
            if depth == 0:
                following = bare[place + 1 :]
                if following.lstrip()[:1] != "{":
                    return text[: place + 1] + following.partition("\n")[0]
                body = False
    return text


def _main_file(codes: Sequence[tuple[str, Code]]) -> tuple[str, Code]:
    """Return the file that is run: the one that the others do not source."""
    named = "\n".join(code.text for _, code in codes)
    for name, code in codes:
        if not re.search(rf"source\s*\(\s*[\"'][^\"']*{re.escape(os.path.basename(name))}", named):
            return name, code
    return codes[0]


def _grammar(frame: Frame, jam: Jam, codes: Sequence[tuple[str, Code]]) -> Frame:
    """A parse error echoes the text it read: its last line is the place; the end of input is the last line."""
    if frame.line is not None:
        return frame
    echo = [row for row in jam.facts.get("echo", "").split("\n") if row.strip()]
    for name, code in codes:
        rows = code.text.rstrip("\n").split("\n")
        if not echo and "end of input" in (jam.wording or ""):
            if len(codes) == 1 or _open_brackets(code.text):
                return msgspec.structs.replace(frame, file=name, line=len(rows), source=rows[-1].strip())
            continue
        for number, row in enumerate(rows, 1):
            if not echo or not row.startswith(echo[-1].rstrip()):
                continue
            if len(echo) > 1:
                before = [r for r in rows[: number - 1] if r.strip()]
                if not before or before[-1].strip() != echo[-2].strip():
                    continue
            return msgspec.structs.replace(frame, file=name, line=number, column=len(echo[-1].rstrip()), source=row.strip())
    return frame


def _open_brackets(text: str) -> bool:
    return any(text.count(a) > text.count(b) for a, b in ("()", "[]", "{}"))
