"""What the parts of a program held when it was looked at: evidence for the turns, beside what the failure itself shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from jamkey.follow.places import Place
from jamkey.languages.base import Part, Span
from jamkey.model import Value


class Taken(msgspec.Struct, frozen=True, array_like=True):
    """One parameter of something that is called: its kind, its default as written, and the words documented for it."""

    kind: str
    default: str | None = None
    choices: tuple[str, ...] = ()


class Gives(msgspec.Struct, frozen=True, array_like=True):
    """What a form gives of a value: the type, or that of the error; whether it is the same value again, or fails."""

    type: str
    same: bool = False
    fails: bool = False


class Held(msgspec.Struct, frozen=True, array_like=True):
    """A type of which a part held values: at which of its times first and last, and its place among all firsts of the run."""

    type: str
    first: int
    last: int
    order: int


class Seen(msgspec.Struct, frozen=True):
    """What one part held."""

    #: How often it had a value.
    count: int
    value: Value
    #: Types of all its values.
    types: tuple[Held, ...] = ()
    #: What it can be called with, by name; None where that is not known.
    takes: Mapping[str, Taken] | None = None
    #: Form, as the words of the turns write it -> what it gives of the last value.
    gives: Mapping[str, Gives] = {}

    def gives_with(self, turn: str) -> Gives | None:
        """Return what an edit of the part gives, by its turn and word; None where that was not asked."""
        word = turn.partition(":")[2]
        return self.gives.get(word) or self.gives.get("{0}" + word)


class Survey:
    """What was seen, by place in the source.

    Args:
        way: the places that were looked at.
        seen: (file, span) of a part -> what it held.
        makers: forms that make something of a value by the classes that the program has at hand.
    """

    def __init__(self, way: Sequence[Place], seen: Mapping[tuple[str, Span], Seen], makers: Sequence[str] = ()) -> None:
        self.way = way
        self.makers = makers
        self._seen = seen

        self._names: dict[tuple[str, str], str] = {}
        for (file, _), found in seen.items():
            if found.value.name.isidentifier():
                self._names[file, found.value.name] = found.value.type

    def __bool__(self) -> bool:
        return bool(self._seen)

    def at(self, file: str, part: Part) -> Seen | None:
        """Return what a part held; None where it was not looked at, or never reached."""
        return self._seen.get((file, part.span))

    def type_of(self, file: str, name: str) -> str:
        """Return the type that a name of a file was last seen to hold; empty where it was not seen."""
        return self._names.get((file, name), "")
