"""Plain Rscript prints calls and no lines: the way is walked through the source, from the script to the call that failed.

`Calls:` names the functions that had been entered, outermost first. Each own one is entered in turn; a function that was
handed over (`FUN`, `<Anonymous>`) is the one that the call of the library is given; what the last own function called of
the library, or the text of the failed call, or what the message speaks of, is the line.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from functools import cached_property

import msgspec

from jamkey.follow.r_scopes import (
    MADE,
    WORD,
    Find,
    Scope,
    bare,
    call_at,
    calling,
    calls,
    closed,
    forms,
    holds,
    replaces,
    speaks,
    stops,
    whole,
    within,
)
from jamkey.follow.sources import Sources
from jamkey.languages.base import Code
from jamkey.languages.r import RLanguage
from jamkey.model import Frame, Jam

_CALLED = re.compile(r"(?<![\w.$@])([A-Za-z][\w.]*)\s*\(")
_HEAD = re.compile(r"[\w.$@]+")
_NAME_QUOTED = re.compile(r"[\"']([\w.]{1,60})[\"']")
_OPERATOR = re.compile(r"%[^%\s]*%")
#: Calls that are looked at, from the outermost and from the innermost; functions of a file.
_MOST, _MOST_FUNCTIONS = 40, 400
#: Names of functions that a library was handed.
_HANDED = ("FUN", "<Anonymous>", "f", "fn", "expr")
#: What a message says of a name that is used on the failing line.
_NAMED = re.compile(r"(?:object|function|argument|called) ['\"\u2018]([^'\"\u2019]+)['\"\u2019]")


def placed(jam: Jam, sources: Sources, codes: Sequence[tuple[str, Code]]) -> list[Frame]:
    """Return the frames of an R failure with the files and lines that its calls tell."""
    if not codes:
        return list(jam.frames)
    if jam.phase == "compile":
        *asked, unread = jam.frames
        way = _Way(msgspec.structs.replace(jam, frames=tuple(asked)), sources, codes).frames() if asked else []
        return [*way, _grammar(unread, jam, codes)]
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
                self.known.setdefault(function.name.strip("`"), within(name, code, function))
        self.scopes = [whole(*_main_file(codes))]
        self.pending: list[str] = []
        #: Name under which an own function was entered -> the function.
        self.entered: dict[str, Scope] = {}
        self.found: list[Frame] = []

    def frames(self) -> list[Frame]:
        """Walk, and return the frames that have a line; those that were given where there is none."""
        for frame in self._entered():
            name = frame.function or ""
            if frame.line is not None and self.sources.resolve(frame.file):
                self.found.append(frame)
                if name in self.known:
                    self._enter(self.known[name])
                elif not name and not self.pending:
                    self._began_in(frame.file)
                continue
            own, through = self._own(name)
            if own is not None:
                self.entered[name] = own
                self._called(own, through)
            elif name:
                self.pending.append(name)
        line, scope = self._line()
        if not self.found or (self.found[-1].file, self.found[-1].line) != (scope.file, line):
            self.found.append(Frame(file=scope.file, line=line, function=scope.name))
        return [frame for frame in self.found if frame.line is not None] or list(self.jam.frames)

    def _began_in(self, file: str) -> None:
        """Begin in the file in which a report stopped, not in the one that looks like the main one."""
        name = self.sources.resolve(file)
        code = next((code for other, code in self.codes if other == name), None)
        if name is not None and code is not None:
            self.scopes = [whole(name, code)]

    def _entered(self) -> list[Frame]:
        """Return the frames that were entered; the one that refused its arguments was not."""
        frames = [frame for frame in self.jam.frames if frame.line is not None or frame.function]
        frames = frames if len(frames) <= 2 * _MOST else frames[:_MOST] + frames[-_MOST:]
        operators = [name for name in _OPERATOR.findall(bare(self.call)) if name in self.known]
        if operators and not frames:
            return [Frame(file="<script>", function=operators[0])]
        if not frames or frames[-1].function not in self.known:
            return frames
        refused = self.message.startswith("unused argument")
        # a check speaks for the function that asked for it, which stands among the calls already
        spoken_for = any(frame.function == frames[-1].function for frame in frames[:-2]) and frames[-1].source == self.call
        return frames[:-1] if refused or spoken_for else frames

    def _own(self, name: str) -> tuple[Scope | None, list[str]]:
        """Return the own function that was entered under a name, and the names of what it was handed to, if it was."""
        for form in forms(name):
            if form in self.known:
                return self.known[form], []
        if name in self.entered and name not in _HANDED:
            return self.entered[name], []
        function = self.scopes[-1].function
        if function is not None and any(param.name == name for param in function.params):
            return self._handed([function.name], self.scopes[:-1]), [name]
        if name in _HANDED or name.startswith("(function"):
            return self._handed(self.pending, self.scopes), self.pending
        # made by another: what is called when the name is set gives back the function, or is given it
        set_to = re.compile(rf"(?<![\w.$]){re.escape(name)}\s*(?:<-|=)\s*([\w.]+)\s*\(")
        for scope in self._while_there_is_time() if name else ():
            for number, row in scope.shown:
                maker = set_to.search(row)
                if maker is not None and maker[1] in self.known:
                    return self.known[maker[1]], []
                if maker is not None:
                    return self._given(scope, number, maker[1]), []
        return None, []

    def _enter(self, scope: Scope) -> None:
        self.scopes.append(scope)
        self.pending = []

    def _called(self, own: Scope, through: Sequence[str] = ()) -> None:
        """Enter an own function, from the line that calls it or hands it to the library."""
        names = [*through, own.name or ""]
        hit = next((hit for name in names for hit in self._outward(calling(name))), None)
        if hit is None and not through:
            hit = next(
                ((scope, at) for scope in self._while_there_is_time() if (at := calls(scope, own.name or "")) is not None), None
            )
        if hit is not None:
            self.found.append(Frame(file=hit[0].file, line=hit[1], function=hit[0].name))
        self._enter(own)

    @cached_property
    def _all(self) -> list[Scope]:
        """The functions of each file, and what stands outside of them."""
        found: list[Scope] = []
        for name, code in self.codes:
            found += (within(name, code, function) for function in code.functions()[:_MOST_FUNCTIONS])
            found.append(whole(name, code))
        return found

    def _while_there_is_time(self) -> Iterator[Scope]:
        for scope in self._all:
            if self.sources.out_of_time():
                return
            yield scope

    def _outward(self, find: Find) -> Iterator[tuple[Scope, int]]:
        for scope in reversed(self.scopes):
            if self.sources.out_of_time():
                return
            at = find(scope)
            if at is not None:
                yield scope, at

    def _handed(self, names: Sequence[str], scopes: Sequence[Scope]) -> Scope | None:
        """Return the function that one of these was called with."""
        for form in (form for name in names for form in forms(name)):
            for scope in reversed(scopes):
                if self.sources.out_of_time():
                    return None
                at = calls(scope, form)
                given = self._given(scope, at, form) if at is not None else None
                if given is not None:
                    return given
        return None

    def _given(self, scope: Scope, line: int, name: str) -> Scope | None:
        """Return the function that a call is given: named in it, also in quotes, or written in it."""
        region = call_at(scope, line, name)
        shown = bare(region.text)
        for word in (*WORD.findall(shown), *_NAME_QUOTED.findall(region.text)):
            if word in self.known and word not in (scope.name, name):
                return self.known[word]
        made = MADE.search(shown)
        if made is None:
            return None
        first = region.first + region.text.count("\n", 0, made.start())
        last = first + closed(region.text[made.start() :], body=True).count("\n")
        return Scope(scope.file, scope.code, first, last, scope.function)

    def _line(self) -> tuple[int | None, Scope]:
        """Return the failing line and where it lies."""
        elided = "elided" in self.jam.facts
        for find in self._after() if elided else ():
            for scope in reversed(self._reached()):
                if (line := find(scope)) is not None:
                    return line, scope
        for find in self._ways():
            for scope, at in self._outward(find):
                return at, scope
        if elided or len(self.scopes) == 1:
            for find in self._ways():
                for scope in self._while_there_is_time():
                    if (line := find(scope)) is not None:
                        return line, scope
        if elided and len(asks := self._asks()) == 1:
            return asks[0]
        return None, self.scopes[-1]

    def _after(self) -> Iterator[Find]:
        """Yield how to look for what was called behind the calls that were left out."""
        behind = {frame.function for frame in self.jam.frames[int(self.jam.facts["elided"]) :]}
        if not self._is_own(self.call):
            yield lambda scope: holds(scope, self.call)
        yield from self._told()
        if self.pending:
            yield self._inside
        for form in (form for name in self.pending if name in behind for form in forms(name)):
            yield calling(form, self.message)

    def _is_own(self, call: str) -> bool:
        """Tell whether a call is that of a function that was entered: the failing line is in it."""
        head = _HEAD.match(call)
        name = head[0].rpartition("$")[2] if head else ""
        named = (head is not None and head[0] in self.entered) or name in self.known or name in _HANDED
        return named or call.startswith("(function") or any(name in call for name in self.entered if "%" in name)

    def _reached(self) -> list[Scope]:
        """Return the last own function that was entered and those that it calls."""
        reached = [self.scopes[-1]]
        for scope in reached:
            if self.sources.out_of_time():
                break
            words = {word for _, row in scope.shown for word in WORD.findall(row)}
            reached += [own for name, own in self.known.items() if name in words and own not in reached]
        return reached

    def _asks(self) -> list[tuple[int, Scope]]:
        """Return the lines that ask a library for more than the usual, in what the last own function calls."""
        usual = RLanguage.builtins | RLanguage.keywords
        return [
            (number, scope)
            for scope in self._reached()
            for number, row in scope.shown
            if any(name not in usual and name not in self.known for name in _CALLED.findall(row))
        ]

    def _ways(self) -> Iterator[Find]:
        """Yield how to look for the failing line, what is surest first."""
        head = _HEAD.match(self.call)
        directly = not self.pending or (head is not None and head[0] in self.pending[:1])
        if self.call and directly and not self._is_own(self.call):
            yield lambda scope: holds(scope, self.call)
            yield lambda scope: replaces(scope, self.call)
        if self.pending:
            yield self._inside
        for form in (form for name in self.pending for form in forms(name)):
            yield calling(form, self.message)
        yield from self._told()
        if self.call:
            yield lambda scope: holds(scope, self.call)

    def _told(self) -> Iterator[Find]:
        """Yield how to look for what the message speaks of."""
        yield lambda scope: stops(scope, self.message)
        named = _NAMED.search(self.message)
        if named is not None:
            yield lambda scope: speaks(scope, named[1])

    def _inside(self, scope: Scope) -> int | None:
        """Return the line within what a call of the library is given to evaluate: a block, an argument."""
        asked = forms(self.pending[0])
        found = ((at, form) for form in asked if (at := calls(scope, form)) is not None)
        at, form = next(found, (None, ""))
        region = call_at(scope, at, form) if at is not None else None
        if region is None or region.last == region.first:
            return None
        part = Scope(scope.file, scope.code, region.first, region.last, scope.function)
        called = [calling(form, self.message) for name in self.pending[:0:-1] for form in forms(name) if form not in asked]
        for find in [lambda inner: holds(inner, self.call), *self._told(), *called]:
            line = find(part)
            if line is not None:
                return line
        return None


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
