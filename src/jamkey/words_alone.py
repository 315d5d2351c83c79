"""A failure of which only words are left: no trace was printed, as where a program catches it and says what it said."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence

from jamkey.follow.named_lines import writing
from jamkey.follow.own_exit import KNOWN_WORDS, ended_with_words
from jamkey.follow.sources import Sources
from jamkey.follow.unplaced import codes_of
from jamkey.languages import ENDINGS
from jamkey.languages.base import Code
from jamkey.languages.traits import traits_of
from jamkey.model import Frame, Jam
from jamkey.phrases import told_by_words
from jamkey.text import plain

#: Last lines looked at, signs of each, and places at which what the failure said may begin.
_ROWS, _LONGEST, _STARTS = 20, 400, 6
#: Letters that words need to be known again.
_LEAST = 8
#: The place that some runtimes put before what they say.
_PLACE = re.compile(r"([^\s:\"'()]{1,200}):(\d{1,7}): ?$")
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
    english = words if words != row else None
    return Jam(runtime=runtime, message=row, english=english, kind=kind, frames=frames, facts={**facts, KNOWN_WORDS: words})
