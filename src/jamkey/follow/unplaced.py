"""Where a frame lies when the runtime names no file or no line: found by the words it prints, in the sources.

Plain Rscript prints calls only; sclang prints the text of the functions; a batch log echoes commands; Octave names
functions whose file follows from their name; a console pastes text. What cannot be found stays as it is.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator

import msgspec

from jamkey.follow.r_scopes import plain
from jamkey.follow.r_steps import at_step
from jamkey.follow.sources import Sources
from jamkey.follow.unplaced_r import placed
from jamkey.languages import ENDINGS, RUNTIMES, language_of
from jamkey.languages.base import Code, Function
from jamkey.languages.traits import traits_of
from jamkey.model import Frame, Jam
from jamkey.text import line_at


def placed_by_words(jam: Jam, sources: Sources) -> Jam:
    """Return the jam with files and lines for the frames whose words tell them."""
    finder = _FINDERS.get(jam.runtime)
    if finder is None:
        return jam
    if "placed" in jam.facts:
        # an agent knows where a statement begins
        return (
            msgspec.structs.replace(jam, frames=tuple(at_step(jam, list(jam.frames), sources))) if "call" in jam.facts else jam
        )
    if traits_of(jam.runtime).unplaced_when_typed and all(
        frame.line is not None for frame in jam.frames if frame.file.startswith("<script>")
    ):
        return jam
    return msgspec.structs.replace(jam, frames=tuple(finder(jam, sources)))


def codes_of(jam: Jam, sources: Sources) -> list[tuple[str, Code]]:
    """Return the project's files in the language of the jam's runtime."""
    wanted = RUNTIMES.get(jam.runtime, jam.runtime)
    found = []
    for name in sources.files():
        if sources.out_of_time():
            break
        language = language_of(name, jam.runtime) if os.path.splitext(name)[1].lower() in ENDINGS else None
        if language is not None and language.name == wanted and (code := sources.code(name, jam.runtime)) is not None:
            found.append((name, code))
    return found


def _lines(code: Code, function: Function | None) -> Iterator[tuple[int, str]]:
    rows = code.text.split("\n")
    first, last = (function.span.line, function.span.end_line) if function is not None else (1, len(rows))
    for number in range(first, min(last, len(rows)) + 1):
        yield number, rows[number - 1]


def _r(jam: Jam, sources: Sources) -> list[Frame]:
    """R names calls only."""
    return at_step(jam, placed(jam, sources, codes_of(jam, sources)), sources)


def _octave(jam: Jam, sources: Sources) -> list[Frame]:
    """A function lies in the file of its name, or in the script that called it."""
    files = {os.path.splitext(os.path.basename(name))[0]: name for name in sources.files() if name.endswith(".m")}
    found: list[Frame] = []
    outer = ""
    for frame in jam.frames:
        name = os.path.splitext(os.path.basename(frame.file))[0]
        if name in files:
            outer = files[name]
            own = frame.function == name
            code = sources.code(outer, "octave")
            script = own and code is not None and not code.functions(name)
            frame = msgspec.structs.replace(frame, file=outer, function=None if script else frame.function)
        elif outer or len(files) == 1:
            holder = outer or next(iter(files.values()))
            codes = ((candidate, sources.code(candidate, "octave")) for candidate in (holder, *files.values()))
            holders = (candidate for candidate, code in codes if code is not None and code.functions(frame.function or ""))
            defined = next(holders, holder if name.startswith("@") else None)
            # what no own file defines is Octave's
            frame = msgspec.structs.replace(frame, file=defined or f"<octave>/{frame.file}")
        if frame.file == "<script>" and frame.line is not None:
            shown = plain(frame.source or "")
            named = [f for f in files.values() if shown and shown in plain(line_at(sources.text(f) or "", frame.line))]
            frame = msgspec.structs.replace(frame, file=named[0]) if named else frame
        if frame.line is None and found and found[-1].line is not None:
            continue  # only its head is known: the line that calls it is the place
        found.append(frame)
    return found


def _supercollider(jam: Jam, sources: Sources) -> list[Frame]:
    """A dump shows the text of each function: it is found in the file, and in it the line of the message sent."""
    codes = codes_of(jam, sources)
    found: list[Frame] = []
    member = jam.facts.get("member") or jam.facts.get("operator") or ""
    path = jam.facts.get("path", "")
    files = [(n, c) for n, c in codes if path and os.path.basename(n) == os.path.basename(path)] + codes
    outer: tuple[str, int, int] | None = None
    for frame in jam.frames:
        if jam.phase == "compile":
            number = frame.line
            named = [n for n, c in files if number and plain(frame.source or "") == plain(line_at(c.text, number))]
            found.append(msgspec.structs.replace(frame, file=named[0]) if frame.file == "<script>" and named else frame)
            continue
        if frame.source is None or "<an open Function>" in frame.source:
            if frame.file != "<native>" and outer is not None:
                found.append(Frame(file=outer[0], line=outer[1], function=frame.function, values=frame.values))
            else:
                found.append(msgspec.structs.replace(frame, source=None))
            continue
        place = _text_place(frame.source, files)
        if place is None:
            found.append(msgspec.structs.replace(frame, source=None))
            continue
        outer = place
        name, first, last = place
        code = next(c for n, c in files if n == name)
        function = next((f for f in code.functions() if f.span.line == first), None)
        found.append(Frame(file=name, line=first, function=function.name if function else None, values=frame.values))
    if jam.phase == "compile" or outer is None:
        return found
    # the innermost text: the line in it that sends the message
    name, first, last = outer
    rows = next(c for n, c in files if n == name).text.split("\n")
    index = max((i for i, f in enumerate(found) if f.file == name), default=-1)
    wanted = _sent(jam, member)
    line = next((n for n in range(first, last + 1) if wanted.search(rows[n - 1])), None)
    if line is None:
        line = next((n for n, row in enumerate(rows, 1) if wanted.search(row)), None)
    if index >= 0 and line is not None:
        found[index] = msgspec.structs.replace(found[index], line=line, source=rows[line - 1].strip())
    return found


def _sent(jam: Jam, member: str) -> re.Pattern[str]:
    message = jam.wording or ""
    if jam.exception_type == "PrimitiveFailedError":
        return re.compile(r"\.new|\.newClear|\.fill|\.put|\.at|\.copy|\.wrap")
    if jam.exception_type == "Error":
        words = [re.escape(part) for part in re.findall(r"[A-Za-z]{4,}", message) if part not in ("ERROR",)]
        return re.compile(r"(?:Error|Exception)\(.*(?:" + "|".join(words[-3:] or ["throw"]) + ")")
    return re.compile(
        re.escape(member) if not member.isidentifier() else rf"\.{re.escape(member)}\b|\b{re.escape(member)}\s*\("
    )


def _text_place(text: str, files: list[tuple[str, Code]]) -> tuple[str, int, int] | None:
    rows = [row.strip() for row in text.split("\n") if row.strip()]
    for name, code in files:
        own = code.text.split("\n")
        for number, row in enumerate(own, 1):
            if (rows and row.strip().endswith(rows[0])) or (len(rows) == 1 and rows[0] in row):
                size = text.count("\n")
                block = [r.strip() for r in own[number : number + size] if r.strip()]
                if len(rows) == 1 or (block and block[0].startswith(rows[1][:30])):
                    return name, number, min(number + size, len(own))
    return None


def _stata(jam: Jam, sources: Sources) -> list[Frame]:
    """A log echoes the command: it stands in the do-file, macros replaced."""
    command = jam.facts.get("command", "").split("\n")
    found: list[Frame] = []
    for index, frame in enumerate(jam.frames):
        text = sources.text(frame.file)
        if text is None:
            others = [name for name in sources.files() if name.endswith((".do", ".ado"))]
            if len(others) == 1 or frame.file == "<script>":
                frame = msgspec.structs.replace(frame, file=others[0]) if others else frame
                text = sources.text(frame.file)
        if text is None:
            found.append(frame)
            continue
        rows = text.split("\n")
        last = index == len(jam.frames) - 1
        if not last:
            nested = jam.frames[index + 1].file
            line = next(
                (
                    n
                    for n, row in enumerate(rows, 1)
                    if re.search(rf"\b(?:do|run|include)\s+\"?{re.escape(nested)}", row.strip())
                ),
                None,
            )
            found.append(msgspec.structs.replace(frame, line=line))
            continue
        line = _echoed(rows, command, jam.wording or "")
        if line is not None:
            frame = msgspec.structs.replace(frame, line=line, source=rows[line - 1].strip())
        found.append(frame)
    return found


def _echoed(rows: list[str], command: list[str], message: str) -> int | None:
    """Return the line of the last echoed command; of a block, the line in it that the message is about."""
    bare = [plain(row) for row in rows]
    first = plain(command[0]) if command else ""
    start = next((n for n in range(len(rows), 0, -1) if first and bare[n - 1] == first), None)
    if start is None:
        # macros are shown as they stand; a comment or a prefix may be cut off
        start = next((n for n in range(len(rows), 0, -1) if first and len(first) > 5 and first in bare[n - 1]), None)
    if start is None:
        return None
    block = [plain(row) for row in command[1:]]
    words = [
        word
        for word in re.findall(r"[A-Za-z_]\w+", message)
        if word not in ("variable", "already", "defined", "found", "not", "file")
    ]
    for row in block:
        if any(re.search(rf"\b{re.escape(word)}\b", row) or word in row for word in words):
            return next((n for n in range(start, min(start + len(block) + 4, len(rows)) + 1) if bare[n - 1] == row), start)
    return start


def _objects(jam: Jam, sources: Sources) -> list[Frame]:
    """An exception of the frameworks that names a message or a class: the own line that sends it, or the class."""
    found = list(jam.frames)
    if any(frame.line is not None and sources.resolve(frame.file) for frame in found):
        return found
    member = jam.facts.get("member", "")
    inside = re.search(r"\(in '([\w:]+)'\)", jam.wording or "")
    first = (inside[1] if inside else member).split(":")[0]
    owner = jam.facts.get("class", "").rpartition(".")[2]
    files = [name for name in sources.files() if name.endswith((".swift", ".m", ".mm"))]
    for name in files:
        rows = (sources.text(name) or "").split("\n")
        for number, row in enumerate(rows, 1):
            sends = (
                bool(first)
                and re.search(rf"[\s\]]{re.escape(first)}(?:[:\]\s]|$)", row)
                and "[" in row
                and traits_of(jam.runtime).sends_in_brackets
            )
            named = bool(owner) and traits_of(jam.runtime).heads_name_types
            defines = named and re.search(rf"\b(?:class|struct)\s+{re.escape(owner)}\b", row)
            if sends or defines:
                code = sources.code(name, jam.runtime)
                return [
                    *found,
                    Frame(
                        file=name, line=number, function=code.scope_at(number) or None if code is not None and sends else None
                    ),
                ]
    return found


def _main_text(jam: Jam, sources: Sources) -> list[Frame]:
    """Frames that name no file: of the only source there is, when its line is known."""
    codes = codes_of(jam, sources)
    found = []
    for frame in jam.frames:
        if frame.file == "<script>" and frame.line is not None and len(codes) == 1:
            frame = msgspec.structs.replace(frame, file=codes[0][0])
        found.append(frame)
    return found


def _rejected(jam: Jam, sources: Sources) -> list[Frame]:
    """A value that is no error carries no stack: the line that throws or rejects with the text that the message quotes."""
    found = list(jam.frames)
    for name, code in codes_of(jam, sources):
        for number, row in enumerate(code.text.split("\n"), 1):
            if not re.search(r"\b(?:throw|reject)\b", row):
                continue
            texts = [
                text
                for match in re.finditer(r"'([^'\n]{4,})'|\"([^\"\n]{4,})\"|`([^`\n]{4,})`", row)
                for text in match.groups()
                if text
            ]
            if any(
                part.strip() and part in (jam.wording or "")
                for text in texts
                for part in re.split(r"\$\{[^}]*\}", text)
                if len(part) > 3
            ):
                return [*found, Frame(file=name, line=number, function=code.scope_at(number) or None, source=row.strip())]
    return found


#: What a handler's message means for the line to look for in the function that was called.
_BASIC_SIGNS = (
    ("division", r"[/\\\\]|\bMod\b"),
    ("index", r"(?<![\w.])\w+\([^()\"]*\)"),  # what a member is handed is no subscript of an array
    ("subscript", r"(?<![\w.])\w+\("),
    ("object", r"\b\w+\.\w"),
    ("overflow", r"[*+]|="),
)


def _basic(jam: Jam, sources: Sources) -> list[Frame]:
    """A handler names the line that called; the failing line is in the function called there."""
    found = _main_text(jam, sources)
    at = jam.facts.get("line", "")
    if any(frame.line is not None for frame in found) or not at.isdigit():
        return found
    line = int(at)
    for name, code in codes_of(jam, sources):
        row = line_at(code.text, line)
        outer = next((f for f in code.functions() if f.span.line <= line <= f.span.end_line), None)
        called = next(
            (f for f in code.functions() if f is not outer and re.search(rf"\b{re.escape(f.name)}\s*\(", row, re.I)), None
        )
        if not row.strip() or (called is None and outer is None):
            continue
        placed = [Frame(file=name, line=line, function=outer.name if outer else None, source=row.strip())]
        sign = next((pattern for word, pattern in _BASIC_SIGNS if word in (jam.wording or "").lower()), None)
        if called is None or sign is None:
            return placed
        for number, inner in _lines(code, called):
            if (
                number > called.span.line
                and re.search(sign, inner)
                and not re.match(r"\s*(?:Dim|For|If|Const|\w+\s*=\s*This)\b", inner, re.I)
            ):
                placed.append(Frame(file=name, line=number, function=called.name, source=inner.strip()))
                break
        return placed
    return found


_FINDERS = {
    "r": _r,
    "octave": _octave,
    "supercollider": _supercollider,
    "stata": _stata,
    "basic": _basic,
    "lua": _main_text,
    "julia": _main_text,
    "objective-c": _objects,
    "swift": _objects,
    "javascript": _rejected,
}
