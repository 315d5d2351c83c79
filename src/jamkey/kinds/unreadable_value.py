"""Text that should be a number or a date, and cannot be read as one."""

from __future__ import annotations

import ast
import json
from datetime import datetime

from jamkey.follow.data_places import find_in_data
from jamkey.follow.odd_record import agreement
from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, replace, show
from jamkey.languages.base import Part, Span

#: How sure the record is at fault, and not its reading, by how it stands to the others.
_AT_FAULT = {"alone": 0.9, "alike": 0.4, "gap": 0.4, "form": 0.3, "fits": 0.2, "header": 0.1}
_FORMATS = (
    "%d/%m/%Y",
    "%m/%d/%Y",
    "%Y-%m-%d",
    "%d.%m.%Y",
    "%d-%m-%Y",
    "%Y/%m/%d",
    "%d %B %Y",
    "%d %b %Y",
    "%B %d, %Y",
    "%b %d, %Y",
    "%d/%m/%y",
    "%d.%m.%y",
    "%m/%d/%y",
    "%Y%m%d",
)
_TIMES = ("", " %H:%M", " %H:%M:%S", "T%H:%M", "T%H:%M:%S", " %I:%M %p")

#: Why a class has no such value.
_OF_CLASS = ("the value is misspelt, here, in the data or in the class", "the class was never given it")


class UnreadableValue:
    """See the module."""

    name = "unreadable-value"
    title = "text that cannot be read as a number or date"
    about = (
        "A text is to be turned into a number or a date, and its characters do not allow it. The line is right for "
        "most values; one of them is written another way."
    )
    usual = (
        "a cell of the data holds a word, a unit, or nothing at all",
        "the number is written with a decimal comma or a thousands mark",
        "a whole number was expected and there is a decimal point",
        "the date is written in another order than the format says",
    )
    avoid = "Look at the data before reading it, and name row and value in the message when one cannot be read."
    example = 'print(float("31,2"))\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Find the value in code or data, and read it in the way it is written."""
        bad = _unquote(scene.facts.get("value", ""))
        wanted = scene.facts.get("class", "")
        # of what is usual, what the value itself allows
        can_be = (True, "," in bad, "." in bad, "format" in scene.facts)
        usual = [cause for cause, may in zip(self.usual, can_be, strict=True) if may or not bad]
        found = Diagnosis(avoid=self.avoid, causes=list(_OF_CLASS) if wanted else usual)
        shown = f"`{show(bad)}`" if bad else "an empty text" if "value" in scene.facts else "the text"
        found.meaning = (
            f"{shown} was to become a `{wanted}`, and none of its values is written so."
            if wanted
            else f"{shown} was to be turned into a number or a date, and it is not written as one."
        )
        found.look_at = f"Find where {shown} comes from: typed in, a cell of a file, or a slip in the code."
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        place = find_in_data(scene.sources, bad) if bad.strip() else None
        if place is not None:
            found.meaning += f" It stands in {place.file}, line {place.line}."
            stands = agreement(scene.sources, place.file, place.line, place.column)
            sure = _AT_FAULT.get(stands.sort, 0.6)
            found.root(place.file, place.line, stands.told(shown), sure, column=place.column)
        call = next(
            (
                part
                for part in scene.parts_of(scene.frame)
                if part.called
                in tuple("int float Decimal Number strptime to_datetime fromisoformat astype to_numeric parseInt".split())
            ),
            None,
        )
        argument = call.arguments[0][1] if call is not None and call.arguments else None
        if scene.facts.get("format"):
            self._date(scene, found, bad, call)
        elif scene.facts.get("expected") or "JSON" in (scene.jam.exception_type or "") + (scene.jam.wording or ""):
            self._json(scene, found)
        if argument is not None:
            for origin in follow(scene, argument, scene.jam.snag or 0, want="text")[:2]:
                if origin.part is not None and bad and bad in origin.part.source and origin.file != file:
                    found.root_at(origin, f"{shown} is written here", 0.7)
                elif origin.sort == "typed":
                    found.root_at(origin, "it was typed in here", 0.66)
                elif origin.sort == "literal" and origin.part is not None and origin.part.source.strip("'\"") == bad:
                    found.root_at(origin, f"{shown} is written here", 0.72)
        read_as = f"made a `{wanted}`" if wanted else "read as a number or date"
        found.root(file, line, f"{shown} is {read_as} here", 0.65)
        return found

    def _date(self, scene: Scene, found: Diagnosis, bad: str, call: Part | None) -> None:
        """Work out the format from the value, and write it where the format stands."""
        old = _unquote(scene.facts["format"])
        fitting = formats_for(bad, like=old)
        found.meaning = f"The date `{show(bad)}` is not written in the order that the format `{old}` says."
        for file, code in scene.own_codes():
            for number, row in enumerate(code.text.split("\n"), 1):
                at = row.find(old)
                if at < 0:
                    continue
                place = Span(number, at + 1, number, at + 1 + len(old))
                found.root(file, number, f"the format `{old}` does not fit `{show(bad)}`", 0.86)
                for rank, new in enumerate(fitting[:2]):
                    found.key(
                        f"format-{rank + 1}",
                        f"Write the format as `{new}`",
                        f"`{show(bad)}` is written that way",
                        0.93 - 0.08 * rank,
                        [replace(file, place, new)],
                    )
                return

    def _json(self, scene: Scene, found: Diagnosis) -> None:
        """The place in the JSON text is known: find the file."""
        number = scene.facts.get("line", "")
        found.meaning = "The text is not valid JSON at this place, so it cannot be read."
        found.look_at = "JSON needs double quotes around every name and text, and no comma after the last item."
        for data in scene.sources.data_files():
            try:
                json.loads((scene.sources.text(data) or "") if data.endswith((".json", ".jsonl")) else "null")
            except json.JSONDecodeError as error:
                if not number or error.lineno == int(number):
                    found.root(data, error.lineno, "the text stops being JSON here", 0.9, column=error.colno)
                    return


def _unquote(text: str) -> str:
    """Return what a quoted value in a message stands for; without evaluating anything but a literal."""
    text = text.strip()
    if text[:1] in ("'", '"', "b", "u"):
        try:
            value = ast.literal_eval(text[:2000])
        except (ValueError, SyntaxError, MemoryError, RecursionError):
            return text.strip("'\"")
        return value if isinstance(value, str) else text
    return text


def formats_for(text: str, *, like: str = "") -> list[str]:
    """Return the date formats that read the text, those most like the given one first."""
    fitting: list[str] = []
    for form in _FORMATS:
        for time in _TIMES:
            try:
                datetime.strptime(text.strip(), form + time)
            except ValueError:
                continue
            fitting.append(form + time)
    fitting.sort(key=lambda form: (sorted(form) != sorted(like), abs(len(form) - len(like))))
    return fitting


KIND = UnreadableValue()
