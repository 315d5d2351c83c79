"""Look around in a jam: step between its frames, see values, ask for an expression, follow a name back.

No interface here: `Looker.answer` takes what was typed and returns what is to be shown. Values come from a `Seat`: what was
recorded when the program failed, or the program itself where it is kept alive.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import msgspec

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.follow.value_sorts import is_missing
from jamkey.languages.base import Part, Span
from jamkey.model import Jam, Step, Value
from jamkey.observe.kept_alive import Stayed
from jamkey.observe.wire import described

#: What can be typed, and what it does; anything else is an expression.
WORDS = {
    "out": "to the next call of yours further out (out all: library calls too)",
    "in": "to the next call of yours further in (in all: library calls too)",
    "values": "what the names held here, with type and shape",
    "code": "the code around this line (code 20: so many lines)",
    "path": "the calls, and which one you are in",
    "back": "follow a name to where it got its value (back NAME)",
    "keys": "the typical fixes (keys 2: one of them whole)",
    "reading": "the whole reading again",
    "words": "this list",
    "leave": "end (Ctrl-D too)",
}


class Seat(Protocol):
    """Where values come from."""

    #: Whether expressions can be evaluated.
    alive: bool

    def values(self, frame: int) -> tuple[Value, ...]:
        """Return the values of a frame."""
        ...

    def value(self, frame: int, text: str) -> Asked:
        """Return what an expression is in a frame."""
        ...

    def names(self, frame: int, text: str) -> list[str]:
        """Return what a text that was begun could become."""
        ...


class Asked(msgspec.Struct, frozen=True, kw_only=True):
    """The answer to an expression."""

    value: Value | None = None
    #: The whole text, bounded; the value's own is short.
    shown: str = ""
    printed: str = ""
    error: str = ""


class Recorded:
    """The values that were recorded when the program failed."""

    alive = False

    def __init__(self, jam: Jam) -> None:
        self.jam = jam

    def values(self, frame: int) -> tuple[Value, ...]:
        """Return the recorded values of a frame."""
        return self.jam.frames[frame].values

    def value(self, frame: int, text: str) -> Asked:
        """Return a recorded value; nothing is evaluated, as the program is gone."""
        found = next((value for value in self.values(frame) if value.name == text.strip()), None)
        if found is None:
            there = ", ".join(value.name for value in self.values(frame)[:6])
            known = f"recorded here: {there}" if there else "no values were recorded here"
            return Asked(
                error=f"only what was recorded can be shown ({known}); jamkey run --stay keeps a program alive to ask on"
            )
        return Asked(value=found, shown=found.text)

    def names(self, frame: int, text: str) -> list[str]:
        """Return the recorded names."""
        return [value.name for value in self.values(frame)]


class Alive:
    """A failed program that is kept alive."""

    alive = True

    def __init__(self, stayed: Stayed, jam: Jam) -> None:
        self.stayed = stayed
        self.places = stayed.places(jam.frames)
        self.recorded = Recorded(jam)

    def values(self, frame: int) -> tuple[Value, ...]:
        """Return the values as they are now; the recorded ones for a frame that is gone."""
        return self.stayed.values(self.places[frame]) if frame in self.places else self.recorded.values(frame)

    def value(self, frame: int, text: str) -> Asked:
        """Evaluate an expression in the frame."""
        if frame not in self.places:
            return self.recorded.value(frame, text)
        answer = self.stayed.ask(ask="value", frame=self.places[frame], text=text)
        if "value" not in answer:
            return Asked(error=str(answer.get("error", "no answer")))
        (value,) = described(msgspec.json.encode([answer["value"]]))
        return Asked(value=value, shown=str(answer.get("shown", "")), printed=str(answer.get("printed", "")))

    def names(self, frame: int, text: str) -> list[str]:
        """Return the names of the frame, or behind a dot what the object has."""
        if frame not in self.places:
            return self.recorded.names(frame, text)
        return [str(name) for name in self.stayed.ask(ask="names", frame=self.places[frame], text=text).get("names", [])]


class Answer(msgspec.Struct, frozen=True, kw_only=True):
    """What is to be shown: `form` says which of the fields counts."""

    #: code, values, value, path, steps, keys, reading, words, note, leave
    form: str
    values: tuple[Value, ...] = ()
    asked: Asked = Asked()
    steps: tuple[Step, ...] = ()
    #: Lines of code, or the number of a key.
    count: int = 0
    note: str = ""


class Looker:
    """Somebody who looks around in a jam, in one of its frames at a time.

    Args:
        jam: diagnosed.
        sources: where code is read.
        seat: where values come from; the recorded ones by default.
    """

    def __init__(self, jam: Jam, sources: Sources, seat: Seat | None = None) -> None:
        self.jam = jam
        self.sources = sources
        self.seat: Seat = seat or Recorded(jam)
        self.scene = Scene(jam, sources)
        self.place = jam.snag if jam.snag is not None else len(jam.frames) - 1
        self._doing: dict[str, Callable[[str], Answer]] = {
            "out": lambda rest: self._step(-1, rest),
            "in": lambda rest: self._step(1, rest),
            "values": self._values,
            "code": self._code,
            "path": lambda rest: Answer(form="path"),
            "back": self._back,
            "keys": self._keys,
            "reading": lambda rest: Answer(form="reading"),
            "words": lambda rest: Answer(form="words"),
            "leave": lambda rest: Answer(form="leave"),
        }

    def answer(self, line: str) -> Answer:
        """Return the answer to one line: one of our words with what belongs to it, or an expression of the frame.

        `= EXPRESSION` is always an expression, also where a name is one of our words.
        """
        line = line.strip()
        word, _, rest = line.partition(" ")
        if not line:
            return Answer(form="note")
        if line.startswith("="):
            return self._asked(line[1:].strip())
        doing = self._doing.get(word)
        if doing is not None and self._fits(word, rest.strip()):
            return doing(rest.strip())
        return self._asked(line)

    @staticmethod
    def _fits(word: str, rest: str) -> bool:
        """Tell our word from an expression that begins with a name like it: `values + 1`, `in` ..."""
        if word == "back":
            return not rest or rest.replace(".", "").replace("_", "").isalnum()
        if word in ("out", "in"):
            return rest in ("", "all")
        return not rest or (word in ("code", "keys") and rest.isdigit())

    def _step(self, way: int, rest: str) -> Answer:
        place = self.place + way
        while 0 <= place < len(self.jam.frames):
            if rest == "all" or self.jam.frames[place].owner == "yours":
                self.place = place
                return Answer(form="code")
            place += way
        side = "outermost" if way < 0 else "innermost"
        folded = any(
            frame.owner != "yours"
            for frame in (self.jam.frames[: self.place] if way < 0 else self.jam.frames[self.place + 1 :])
        )
        more = f"; `{'out' if way < 0 else 'in'} all` goes on into the library" if folded and rest != "all" else ""
        return Answer(form="note", note=f"this is the {side} call{' of yours' if rest != 'all' else ''}{more}")

    def _values(self, rest: str) -> Answer:
        if not self.jam.frames:
            return Answer(form="note", note="there are no calls to look at")
        values = self.seat.values(self.place)
        return Answer(form="values", values=values) if values else Answer(form="note", note="no values were recorded here")

    def _code(self, rest: str) -> Answer:
        return Answer(form="code", count=min(int(rest), 500) if rest.isdigit() else 0)

    def _keys(self, rest: str) -> Answer:
        if not self.jam.keys:
            return Answer(form="note", note="no key is known for this one")
        number = int(rest) if rest.isdigit() else 0
        if number > len(self.jam.keys):
            return Answer(form="note", note=f"the last key is {len(self.jam.keys)}")
        return Answer(form="keys", count=number)

    def _asked(self, text: str) -> Answer:
        if not self.jam.frames:
            return Answer(form="note", note="there are no calls to look at")
        return Answer(form="value", asked=self.seat.value(self.place, text), note=text)

    def _back(self, name: str) -> Answer:
        frame = self.jam.frames[self.place] if self.jam.frames else None
        if not name:
            return Answer(form="note", note="name what to follow: back NAME")
        if frame is None or frame.line is None or self.scene.code_of(frame) is None:
            return Answer(form="note", note="the code of this call is not here, so nothing can be followed")
        statement = self.scene.statement_of(frame)
        parts = [part for top in statement.parts for part in top.walk()] if statement is not None else []
        span = Span(frame.line, 1, frame.line, 1)
        part = next((part for part in parts if part.source == name), None) or Part("name", span, name, name)
        known = self.scene.value(name, frame)
        want = "missing" if known is not None and is_missing(known) else "any"
        origins = follow(self.scene, part, self.place, want=want) or follow(self.scene, part, self.place)
        if not origins:
            return Answer(form="note", note=f"nothing here says where `{name}` got its value")
        origin = origins[0]
        end = Step(
            file=origin.file,
            line=origin.line,
            what=_SORTS.get(origin.sort, origin.sort),
            text=self.scene.row(origin.file, origin.line).strip(),
        )
        steps = (
            origin.steps
            if any((step.file, step.line) == (end.file, end.line) for step in origin.steps)
            else (*origin.steps, end)
        )
        return Answer(form="steps", steps=steps, note=name)

    def names(self, text: str) -> list[str]:
        """Return what a text that was begun could become: our words and the frame's names."""
        names = self.seat.names(self.place, text) if self.jam.frames else []
        return [name for name in ([] if "." in text else list(WORDS)) + names if name.startswith(text)]


_SORTS = {
    "literal": "written here",
    "default": "the default",
    "unpassed": "not handed over",
    "fell-off": "ends without a value",
    "bare-return": "returns nothing",
    "in-place": "changes in place, returns nothing",
    "look-up": "looked up",
    "pattern": "searched for",
    "typed": "typed in",
    "read": "read in",
    "computed": "computed",
    "open": "opened",
}
