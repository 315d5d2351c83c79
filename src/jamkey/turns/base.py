"""What every turn works with: one part of one statement, the code around it, the words of its language."""

from __future__ import annotations

import functools
import re
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any, Protocol

import msgspec

from jamkey.follow.places import Place
from jamkey.follow.scene import Scene
from jamkey.follow.told import words_told
from jamkey.languages import LIKE
from jamkey.languages.base import Code, Idioms, Part, Span, Statement
from jamkey.languages.members import own_members, own_names
from jamkey.model import Frame, Value
from jamkey.packaged import packaged
from jamkey.text import line_at
from jamkey.turns.seen import Seen, Survey

_ANY = re.compile(r"\w+")
_NO_NUMBER = re.compile(r"[+-]?\d+(?:\.\d+)?")
#: Numbers of a message that are taken, and digits of one.
_NUMBERS, _DIGITS = 4, 6
_WHOLE = re.compile(rf"(?<![\w.])\d{{1,{_DIGITS}}}(?!\w|\.\d)")


class Made(msgspec.Struct, frozen=True):
    """One small edit that a turn proposes."""

    #: Turn and its word, such as `convert:int`; what the table of weights is asked by.
    turn: str
    span: Span
    text: str
    #: Further edits in the same or another file: (file, span, text).
    more: tuple[tuple[str, Span, str], ...] = ()
    #: Whether the program then goes on without doing the failing work.
    skips: bool = False


class Turn(Protocol):
    """One operator over the code model."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose edits at one part."""
        ...

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose edits of a whole statement."""
        ...


class Plain:
    """A turn that proposes nothing; real ones override one of the two."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose edits at one part."""
        yield from ()

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose edits of a whole statement."""
        yield from ()


@functools.cache
def _table() -> dict[str, Any]:
    return tomllib.loads(packaged("turns/words.toml").decode())


def words_of(language: str) -> dict[str, Any]:
    """Return the words that turns put in, of one language."""
    found: dict[str, Any] = _table().get(LIKE.get(language, language), {})
    return found


class Ground:
    """One place, ready for the turns.

    Attributes:
        scene: the jam with its sources.
        place: the statement's place.
        code: of its file.
        statement: the statement there.
        survey: what the parts held when the program was looked at, where it was.
    """

    def __init__(self, scene: Scene, place: Place, code: Code, statement: Statement, survey: Survey | None = None) -> None:
        self.scene = scene
        self.place = place
        self.code = code
        self.statement = statement
        self._survey = survey
        language = scene.sources.language(place.file, scene.jam.runtime)
        self.language = language.name if language is not None else ""
        if language is None:
            from jamkey.languages.python import IDIOMS

            self.idioms: Idioms = IDIOMS
            self.builtins: frozenset[str] = frozenset()
            self.members: frozenset[str] = frozenset()
            self._members_of: Mapping[str, Sequence[str]] = {}
        else:
            self.idioms = language.idioms
            self.builtins = language.builtins | own_names(self.language)
            self._members_of = getattr(language, "members_of", None) or own_members(self.language)
            self.members = frozenset(getattr(language, "members", ()))

    def members_of(self, kind: str) -> Sequence[str]:
        """Return the members of a type, module or global object of the language itself; none of others."""
        return self._members_of.get(kind) or self._members_of.get(kind.rpartition(".")[2], ())

    @cached_property
    def members_told(self) -> frozenset[str]:
        """The members of all types of the language that the message tells; of all there are, where it tells none."""
        told = [names for word in self.said if (names := self._members_of.get(word))]
        return frozenset(name for names in told or self._members_of.values() for name in names)

    @property
    def words(self) -> dict[str, Any]:
        """The words of the language that turns put in."""
        return words_of(self.language)

    @cached_property
    def above(self) -> dict[Span, tuple[str, Part]]:
        """Part -> its role and the part it stands in."""
        found: dict[Span, tuple[str, Part]] = {}
        for top in (*self.statement.parts, *self.statement.targets):
            for part in top.walk():
                for role, child in part.children:
                    found.setdefault(child.span, (role, part))
        return found

    def role(self, part: Part) -> str:
        """Return what a part is in the part around it; empty at the top."""
        return self.above[part.span][0] if part.span in self.above else ""

    def is_stored(self, part: Part) -> bool:
        """Tell whether the part is what the statement stores into, or stands in that; a key of it is only looked up."""
        return any(target.span.holds(part.span) for target in self.statement.targets) and not self._is_in_key(part)

    def _is_in_key(self, part: Part) -> bool:
        return any(
            role == "key" and child.span.holds(part.span)
            for target in self.statement.targets
            for inner in target.walk()
            for role, child in inner.children
        )

    @cached_property
    def visible(self) -> list[str]:
        """The program's own names that can be used here."""
        return sorted(self.code.visible(self.place.line))

    @property
    def frame(self) -> Frame | None:
        """The frame that stopped here."""
        return self.place.frame

    def seen(self, part: Part) -> Seen | None:
        """Return what the part held when the program was looked at."""
        return self._survey.at(self.place.file, part) if self._survey is not None else None

    @property
    def makers(self) -> Sequence[str]:
        """Forms that make something of a value by the classes that the program has at hand."""
        return self._survey.makers if self._survey is not None else ()

    def type_of(self, name: str) -> str:
        """Return the type of what a name holds, as far as it was seen."""
        recorded = self.scene.value(name, self.frame) if self.frame is not None else None
        if recorded is not None:
            return recorded.type
        return self._survey.type_of(self.place.file, name) if self._survey is not None else ""

    @cached_property
    def is_run(self) -> bool | None:
        """Whether the statement was run at all when the program was looked at; None where nobody looked."""
        if not self._survey:
            return None
        parts = [part for top in (*self.statement.parts, *self.statement.targets) for part in top.walk()]
        return any(self.seen(part) is not None for part in parts) if parts else None

    def value(self, part: Part) -> Value | None:
        """Return the value of a part: as it was when the program stopped there, else the last one that was seen."""
        recorded = self.scene.value(part.source, self.frame) if self.frame is not None else None
        if recorded is None and (seen := self.seen(part)) is not None:
            return seen.value
        return recorded if recorded is not None else self._assigned(part)

    def _assigned(self, part: Part) -> Value | None:
        """Return the value of what is assigned here to a name that the snag's frame still holds."""
        frame = self.scene.frame
        if frame is None or frame.file != self.place.file or len(self.statement.targets) != 1:
            return None
        (target,) = self.statement.targets
        definitions = (
            [item for item in self.code.definitions(target.name) if item.value is not None] if target.sort == "name" else []
        )
        if len(definitions) != 1 or definitions[0].value is None or definitions[0].value.span != part.span:
            return None
        same = self.code.scope_at(self.place.line) == self.code.scope_at(frame.line or 0)
        return self.scene.value(target.name, frame) if same else None

    def row(self, line: int) -> str:
        """Return a line of the file."""
        return line_at(self.code.text, line)

    def indent(self, line: int) -> str:
        """Return a line's indentation."""
        row = self.row(line)
        return row[: len(row) - len(row.lstrip())]

    @cached_property
    def told(self) -> list[str]:
        """Words that the message quotes, without the file names: what was wanted, what was found."""
        return words_told(self.scene)

    @cached_property
    def said(self) -> frozenset[str]:
        """All words of the message."""
        return said_by(self.scene)

    @cached_property
    def numbers(self) -> list[str]:
        """Whole numbers that the message tells, and what two of them make: sizes, counts, places."""
        found = list(dict.fromkeys(_WHOLE.findall((self.scene.jam.wording or "")[:2000])))[:_NUMBERS]
        values = sorted(map(int, found))
        made: list[int] = []
        for place, small in enumerate(values):
            for large in values[place + 1 :]:
                made += [small * large, *((large // small, large // small * small) if small > 1 else ())]
        return list(dict.fromkeys([*found, *(str(number) for number in made if len(str(number)) <= _DIGITS)]))

    @cached_property
    def residues(self) -> list[str]:
        """What is no number in the texts that the message quotes: units, signs, separators."""
        found: list[str] = []
        for word in self.told:
            if any(sign.isdigit() for sign in word):
                found += [piece for piece in _NO_NUMBER.split(word) if piece]
                found += [piece.strip() for piece in _NO_NUMBER.split(word) if piece.strip()]
        return list(dict.fromkeys(found))[:4]

    @property
    def ends(self) -> str:
        """What ends a statement, where something must."""
        row = self.row(self.statement.span.end_line).rstrip()
        return ";" if row.endswith(";") else ""


def around_sign(part: Part, left: Part, right: Part) -> tuple[str, str, str] | None:
    """Return what stands before the sign between two operands, the sign with its blanks, and what stands behind it.

    Brackets around an operand belong to it. None where the operands do not stand in the part one behind the other.
    """
    start, end = offset_in(part, left.span.end_line, left.span.end_column), offset_in(part, right.span.line, right.span.column)
    if start is None or end is None or start > end:
        return None
    between = part.source[start:end]
    first = _brackets(between, ")")
    last = len(between) - _brackets(between[::-1], "(")
    if first > last:
        return None
    return part.source[: start + first], between[first:last], part.source[start + last :]


def _brackets(text: str, bracket: str) -> int:
    """Return the length of the brackets of one sort, and blanks among them, that a text begins with."""
    length = 0
    for place, sign in enumerate(text):
        if sign == bracket:
            length = place + 1
        elif not sign.isspace():
            break
    return length


def offset_in(part: Part, line: int, column: int) -> int | None:
    """Return how many characters into a part's text a place is; None where it is not in it."""
    rows = part.source.split("\n")
    row = line - part.span.line
    if not 0 <= row < len(rows):
        return None
    before = sum(len(text) + 1 for text in rows[:row])
    place = before + column - (part.span.column if row == 0 else 1)
    return place if before <= place <= before + len(rows[row]) else None


def said_by(scene: Scene) -> frozenset[str]:
    """Return all words of the message."""
    return frozenset(_ANY.findall((scene.jam.wording or "")[:2000]))


def names_in(value: Value) -> list[str]:
    """Return the names that a value has: attributes, keys of a mapping, columns of a table."""
    return [member.strip("'\"") for member in value.members]


def before_line(line: int) -> Span:
    """Return the empty span at the start of a line."""
    return Span(line, 1, line, 1)


def whole_lines(first: int, last: int) -> Span:
    """Return the span of whole lines, their ends included."""
    return Span(first, 1, last + 1, 1)
