"""What the program itself says of a message: the texts that write it, the one line that speaks of what it tells."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from pathlib import PurePath

from jamkey.follow.sources import Sources
from jamkey.follow.warned import warned
from jamkey.languages import language_of
from jamkey.languages.base import Code, Statement
from jamkey.languages.scan import pieces
from jamkey.model import Frame, Jam
from jamkey.text import line_at

#: What a text that is filled in holds for each thing: `%5.2f`, `{name}`, `${x}`, `$1`.
_HOLE = re.compile(r"%[-+ #0-9.*]*[a-zA-Z]|\$?\{[^{}]*\}|\\[nt]")
#: Facts of a message that are names in the program, likeliest first.
_FACTS = ("module", "name", "member", "function", "keyword")
#: Letters of a text's fixed pieces from which it is known again in a message.
_LEAST = 8
#: Of a text that may write a message by itself: how much of the message it is to be, or so many letters.
_SHARE, _ENOUGH = 0.4, 12


def named_line(jam: Jam, sources: Sources, codes: Sequence[tuple[str, Code]]) -> tuple[Frame, str] | None:
    """Return a frame at the one line that speaks of a failure, and what makes it the one; None where there is no such line.

    Where a linker says what it misses that is empty: such a line is not the only one, and as good as the others.

    It is the only line that writes the message or names what it tells, that divides where a division failed, or that
    the compiler warns of.

    Args:
        jam: a failure without any line.
        sources: the project.
        codes: (file, source) of the program, in the language of the runtime.
    """
    linked = _linked(jam, codes)
    if linked is not None:
        return linked, ""
    message = " ".join((jam.wording or "").split())
    spoken = [writing(message, codes, jam.runtime), *(_naming(word, codes, jam.runtime) for word in _told(jam))]
    ways = [(places, "speaks of the message") for places in spoken]
    if member := str(jam.facts.get("member", "")).strip("'\"`"):
        ways.insert(1, (_asking(member, codes), "asks for it"))
    if jam.kind == "no-such-key" and (key := str(jam.facts.get("name", message)).strip("'\"`")):
        ways.insert(1, (_looking_up(key, codes), "looks up this very key"))
    if jam.kind == "bad-arithmetic":
        ways.append((_dividing(codes), "divides by what may be zero"))
    if jam.phase == "run":
        items = warned(sources, jam.runtime, [file for file, _ in codes])
        words = f": {items[0].words}" if items else ""
        ways.append((((item.file, item.line) for item in items), f"the compiler warns of{words}"))
    ran = told_functions(jam, codes)
    for places, why in ways:
        found = [place for place in dict.fromkeys(places) if ran is None or inside(ran, *place)]
        if len(found) == 1:
            return Frame(file=found[0][0], line=found[0][1], owner="yours"), why
    return None


def told_functions(jam: Jam, codes: Iterable[tuple[str, Code]]) -> list[tuple[str, int, int]] | None:
    """Return (file, first line, last line) of the innermost function that a failure without any line names; None for none.

    Args:
        jam: a failure without any line.
        codes: (file, source) of the program.
    """
    own = list(codes)
    for frame in reversed(jam.frames):
        name = (frame.function or "").rpartition(".")[2] if frame.line is None else ""
        named = [(file, function.span) for file, code in own for function in code.functions(name)] if name else []
        if named:
            return [(file, span.line, span.end_line) for file, span in named]
    return None


def inside(functions: Iterable[tuple[str, int, int]], file: str, line: int) -> bool:
    """Tell a line of some functions, as `told_functions` has them."""
    return any(file == own and first <= line <= last for own, first, last in functions)


def plain_name(symbol: str) -> str:
    """Return the name of what a linker tells: `weigh` of `Hive::weigh(int)`."""
    return re.split(r"[(<]", symbol)[0].rpartition("::")[2].strip()


def _linked(jam: Jam, codes: Sequence[tuple[str, Code]]) -> Frame | None:
    """Return the first place where a name is used that a linker misses, or is defined that it has twice: it knows no lines."""
    if jam.facts.get("by") != "linker":
        return None
    used, defined = jam.facts.get("name", ""), jam.facts.get("defined", "")
    named = next((frame for frame in jam.frames if frame.line is None), None)
    name = plain_name(used or defined)
    if not name or (used and named is None):
        return None
    function = named.function if named is not None else None
    there = [item for item in codes if named is not None and f"/{item[0]}".endswith(f"/{named.file}")]
    if named is not None and named.file.endswith(".o"):  # a linker that knows only what the compiler made of a file
        there = [item for item in codes if PurePath(item[0]).stem == PurePath(named.file).stem]
    for file, code in there if used else (*there, *sorted(codes, key=lambda item: ".h" not in item[0])):
        around = [item.span for item in code.functions(function)] if function and used else []
        lines = [span.line for span in (code.uses(name) if used else [item.span for item in code.definitions(name)])]
        lines = [line for line in lines if not around or any(span.line < line <= span.end_line for span in around)]
        if not used:
            lines = [line for line in lines if not _only_declared(line_at(code.text, line))]
        if lines:
            return Frame(file=file, line=min(lines), function=function if used else None, owner="yours")
    return None


def _only_declared(row: str) -> bool:
    return row.lstrip().startswith("extern ") or row.rstrip().endswith(");")


def _statements(codes: Iterable[tuple[str, Code]]) -> Iterator[tuple[str, Statement]]:
    for file, code in codes:
        for line in range(1, code.text.count("\n") + 2):
            statement = code.statement(line)
            if statement is not None and statement.span.line == line:
                yield file, statement


def _asking(member: str, codes: Iterable[tuple[str, Code]]) -> Iterator[tuple[str, int]]:
    """Yield where an object is asked for a member."""
    for file, statement in _statements(codes):
        for part in (part for top in statement.parts for part in top.walk()):
            if part.sort == "member" and part.name == member and part not in statement.targets:
                yield file, part.span.line


def _looking_up(key: str, codes: Iterable[tuple[str, Code]]) -> Iterator[tuple[str, int]]:
    """Yield where something is looked up under a text that is written there."""
    for file, statement in _statements(codes):
        for part in (part for top in statement.parts for part in top.walk()):
            asked = part.child("key") if part.sort == "index" and part not in statement.targets else None
            if asked is not None and asked.sort == "text" and asked.name == key:
                yield file, part.span.line


def _dividing(codes: Iterable[tuple[str, Code]]) -> Iterator[tuple[str, int]]:
    """Yield where something is divided by what is no number written there."""
    for file, statement in _statements(codes):
        for part in (part for top in statement.parts for part in top.walk()):
            right = part.child("right")
            if part.sort == "binary" and part.name in ("/", "%") and right is not None and right.sort != "literal":
                yield file, part.span.line


def writes_it(jam: Jam, codes: Sequence[tuple[str, Code]]) -> bool:
    """Tell whether a text of the program writes a message: then it is the program's own, and no library's check said it."""
    message = " ".join((jam.wording or "").split("\n", 1)[0].split())
    least = max(min(_SHARE * len(message), _ENOUGH), _LEAST / 2)
    return next(writing(message, codes, jam.runtime, least), None) is not None


def _told(jam: Jam) -> Iterator[str]:
    for name in _FACTS:
        word = str(jam.facts.get(name, "")).strip("'\"`‘’“”")
        if len(word) > 2 and word.isascii():
            yield word


def _texts(file: str, code: Code, runtime: str) -> Iterator[tuple[int, str]]:
    language = language_of(file, runtime)
    for piece in pieces(code.text, language.style) if language is not None else ():
        if piece.sort == "text" and piece.closed:
            yield piece.line, code.text[piece.start : piece.end].strip("\"'`")


def writing(message: str, codes: Iterable[tuple[str, Code]], runtime: str, least: float = _LEAST) -> Iterator[tuple[str, int]]:
    """Yield (file, line) of the texts, holes aside, that a message is made of.

    Args:
        message: with one blank between its words.
        codes: (file, source) of the program.
        runtime: whose words they are.
        least: letters of a text's fixed pieces.
    """
    for file, code in codes:
        for line, text in _texts(file, code, runtime):
            fixed = [" ".join(piece.split()) for piece in _HOLE.split(text)]
            if sum(map(len, fixed)) >= least and _in_order(fixed, message):
                yield file, line


def _in_order(pieces: Iterable[str], message: str) -> bool:
    place = 0
    for piece in pieces:
        place = message.find(piece, place)
        if place < 0:
            return False
        place += len(piece)
    return True


def _naming(word: str, codes: Iterable[tuple[str, Code]], runtime: str) -> Iterator[tuple[str, int]]:
    for file, code in codes:
        yield from ((file, span.line) for span in code.uses(word))
        yield from ((file, line) for line, text in _texts(file, code, runtime) if text == word)
