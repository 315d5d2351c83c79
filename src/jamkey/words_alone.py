"""A failure of which only words are left: no trace was printed, as where a program catches it and says what it said."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence

from jamkey.follow.named_lines import writing
from jamkey.follow.own_exit import KNOWN_WORDS, ended_with_words
from jamkey.follow.sources import Sources
from jamkey.follow.unplaced import codes_of
from jamkey.languages import ENDINGS, language_of
from jamkey.languages.base import Code
from jamkey.languages.traits import traits_of
from jamkey.model import Frame, Jam
from jamkey.phrases import TABLES, classify, known_type, told_by_type, told_by_words
from jamkey.text import plain

#: Last lines looked at, signs of each, and places at which what the failure said may begin.
_ROWS, _LONGEST, _STARTS = 20, 400, 6
#: Letters that words need to be known again.
_LEAST = 8
#: The place that some runtimes put before what they say.
_PLACE = re.compile(r"([^\s:\"'()]{1,200}):(\d{1,7}): ?$")
#: The type before a failure's words.
_TYPE = re.compile(r"(?:^|[\s>])((?:[A-Za-z_]\w{0,80}[.:]{1,2}){0,8}[A-Za-z]\w{1,80}): ")
_TYPED = re.compile(r"(?:[A-Za-z_]\w{0,80}\.){0,8}[A-Z]\w{1,80}")
_HEAD = re.compile(_TYPE.pattern + "$")
#: Ends of the types of failures; alone they are anybody's words.
_TYPES = ("Error", "Exception", "Warning")
#: What a program may write between its own words and those of the failure.
_BETWEEN = (": ", " - ", "(")


def from_words(text: str, sources: Sources, runtime: str | None = None) -> Jam | None:
    """Return the failure whose words stand in a text without a trace, None where none is known again.

    The words are known where a line of the program that raises writes them, or where they are, to their end, what the
    runtime says of one failure.

    Args:
        text: what the program printed.
        sources: the project.
        runtime: of the program; all that the project has sources of, where it is not known.
    """
    ended = ended_with_words(plain(text), sources) if runtime is None or traits_of(runtime).python_values else None
    if ended is not None:
        return ended
    rows = [row.strip() for row in plain(text).rstrip().split("\n")[-_ROWS:]]
    runtimes = [runtime] if runtime is not None else _runtimes(sources)
    for own in runtimes:
        codes = codes_of(Jam(runtime=own), sources)
        for row in [row for row in reversed(rows) if _LEAST <= len(row) <= _LONGEST] if codes else ():
            for words in _ends(row):
                found = _raised(words, row, codes, own) or _said(words, row, own, sources)
                if found is not None:
                    return found
    return None


def from_last_line(text: str, runtime: str | None = None) -> Jam | None:
    """Return the failure of which one line was kept, as people copy it: `NameError: name 'kilos' is not defined`.

    Whose line it is, its words tell, or its type: that runtime whose table knows most of it. None where none does.

    Args:
        text: what was copied, the failure's line among the last.
        runtime: whose it is, where that is known.
    """
    rows = [row.strip() for row in plain(text).rstrip().split("\n")[-_ROWS:]]
    for row in reversed(rows):
        if len(row) <= _LONGEST and (found := _of_row(row, [runtime] if runtime is not None else list(TABLES))):
            return found
    return None


def _of_row(row: str, runtimes: Sequence[str]) -> Jam | None:
    """Return the failure that a line tells, of the runtime that knows most of it."""
    bare = row.rpartition(">>> ")[2]
    if _TYPED.fullmatch(bare):
        # nothing but the type was said
        own = next((one for one in runtimes if known_type(one, bare) or _is_own_type(one, bare)), None)
        return Jam(runtime=own, exception_type=bare, kind=classify(own, bare, None)[0]) if own is not None else None
    found: tuple[int, Jam] | None = None
    starts = [match.end() for match in _TYPE.finditer(row)][:_STARTS]
    ends = dict.fromkeys((*_ends(row), *(row[start:] for start in starts)))
    # who writes a line into a sentence ends it with a full stop
    for words, after in [(words.rstrip(after), after) for words in ends for after in (".", "") if words.endswith(after)]:
        before = row[: len(row) - len(words) - (len(after) and len(row) - len(row.rstrip(after)))]
        head = _HEAD.search(before)
        # a type begins with a capital, whatever it lies in: what else stands there is a program's name, or says how bad it is
        typed = head is not None and head[1].rpartition(".")[2][:1].isupper() and head[1].lower() != "error"
        name = head[1] if head is not None and typed else None
        for runtime in runtimes:
            sure = _knows(runtime, name, words)
            if sure > (found[0] if found is not None else 0):
                found = sure, _told(runtime, name, words, before[: head.start(1)] if head is not None else before)
    return found[1] if found is not None else None


def _told(runtime: str, name: str | None, words: str, before: str) -> Jam:
    """Return the failure of a type, in a runtime's words, with the place that stands before them."""
    kind, facts = classify(runtime, name, words)
    refused = kind == "broken-syntax" or (kind == "unknown-name" and traits_of(runtime).compiled)
    place = _PLACE.search(before[-_LONGEST:])
    return Jam(
        runtime=runtime,
        exception_type=name,
        message=words,
        kind=kind,
        facts={**facts, KNOWN_WORDS: words},
        phase="compile" if refused else "run",
        frames=(Frame(file=place[1], line=int(place[2])),) if place is not None else (),
    )


def _knows(runtime: str, name: str | None, words: str) -> int:
    """Return how much a runtime's table knows of a line: words of this very type, telling words, the type alone."""
    if name is not None and told_by_type(runtime, name, words):
        return 3 + name.startswith(f"{runtime}.")
    if told_by_words(runtime, words) is not None:
        return 2
    return int(name is not None and (known_type(runtime, name) or _is_own_type(runtime, name)))


def _is_own_type(runtime: str, name: str) -> bool:
    """Tell a type of failure that a language has of its own, by its whole name or by the package that bears the language's."""
    if name.startswith(f"{runtime}."):
        return True
    language = language_of("", runtime)
    if language is None or not name.endswith(_TYPES) or name in _TYPES:
        return False
    package = name.partition(".")[0] if "." in name else ""
    known = package and (package in language.known_modules() or package in traits_of(runtime).libraries)
    return name in language.builtins or bool(known)


def _runtimes(sources: Sources) -> list[str]:
    languages = (ENDINGS.get(os.path.splitext(name)[1].lower()) for name in sources.files())
    return list(dict.fromkeys(language for language in languages if language is not None))


def _ends(row: str) -> Iterator[str]:
    """Yield a line, and what stands behind each of the program's own words, longest first."""
    yield row
    starts = sorted({row.find(sign, place) + len(sign) for sign in _BETWEEN for place in _finds(row, sign)})
    for start in starts[:_STARTS]:
        if len(row) - start >= _LEAST:
            yield row[start:].rstrip(")") if row[start - 1] == "(" else row[start:]


def _finds(row: str, sign: str) -> Iterator[int]:
    place = row.find(sign)
    while place >= 0:
        yield place
        place = row.find(sign, place + 1)


def _raised(words: str, row: str, codes: Sequence[tuple[str, Code]], runtime: str) -> Jam | None:
    """A line that raises writes the words: it is where the failure was raised."""
    raises = traits_of(runtime).raises_with
    for file, line in writing(words, codes, runtime):
        code = next(code for name, code in codes if name == file)
        statement = code.statement(line)
        first = statement.span.line if statement is not None else line
        if any(word in code.text.split("\n")[first - 1] for word in raises):
            scope = code.scope_at(first).rpartition(".")[2] or None
            frame = Frame(file=file, line=first, function=scope)
            return Jam(runtime=runtime, message=row, kind="raised-on-purpose", frames=(frame,), facts={KNOWN_WORDS: words})
    return None


def _said(words: str, row: str, runtime: str, sources: Sources) -> Jam | None:
    """The words are what the runtime says of a failure; the place before them is where it failed."""
    told = told_by_words(runtime, words)
    if told is None:
        return None
    kind, facts = told
    frames: tuple[Frame, ...] = ()
    if place := _PLACE.search(row[: len(row) - len(words)][-_LONGEST:]):
        file = sources.resolve(place[1])
        frames = (Frame(file=file, line=int(place[2])),) if file is not None else ()
    facts = {**facts, KNOWN_WORDS: words}
    head = _HEAD.search(row[: len(row) - len(words)])
    if head is not None and (known_type(runtime, head[1]) or _is_own_type(runtime, head[1])):
        return Jam(runtime=runtime, exception_type=head[1], message=words, kind=kind, frames=frames, facts=facts)
    english = words if words != row else None
    return Jam(runtime=runtime, message=row, english=english, kind=kind, frames=frames, facts=facts)
