"""Text that should be a number or a date, and cannot be read as one."""

from __future__ import annotations

import ast
import re
from datetime import datetime

from jamkey.follow.data_places import find_in_data
from jamkey.follow.odd_record import agreement
from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, idioms_of, indent_of, replace, show, wrap
from jamkey.kinds.broken_syntax import edits_of, words_of_edit
from jamkey.languages.base import Part, Span
from jamkey.repair.json_text import mended_json, stops_at
from jamkey.text import position

#: How sure the record is at fault, and not its reading, by how it stands to the others.
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
        found = Diagnosis(kind=self.name, avoid=self.avoid, causes=list(_OF_CLASS if wanted else self.usual))
        shown = f"`{show(bad)}`" if bad else "an empty text" if "value" in scene.facts else "the text"
        found.meaning = (
            f"{shown} was to become a `{wanted}`, and none of its values is written so."
            if wanted
            else f"{shown} was to be {_form(scene)}, and it is not written so."
        )
        found.look_at = f"Find where {shown} comes from: typed in, a cell of a file, or a slip in the code."
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        place = find_in_data(scene.sources, bad) if bad.strip() else None
        wording = _is_a_number_otherwise(bad)
        if place is not None:
            found.meaning += f" It stands in {place.file}, line {place.line}."
            stands = agreement(scene.sources, place.file, place.line, place.column)
            found.root(place.file, place.line, stands.told(shown), f"record-{stands.sort}", column=place.column)
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
        elif call is not None and argument is not None and scene.traits.whole_tree:
            self._number(scene, found, bad, call, argument)
        if call is not None and call.called == "astype":
            self._column(scene, found, call)
        if argument is not None:
            for origin in follow(scene, argument, scene.jam.snag or 0, want="text")[:2]:
                if origin.part is not None and bad and bad in origin.part.source and origin.file != file:
                    found.root_at(origin, f"{shown} is written here", "written")
                elif origin.sort == "typed":
                    found.root_at(origin, "it was typed in here", "typed")
                elif origin.sort == "literal" and origin.part is not None and origin.part.source.strip("'\"") == bad:
                    found.root_at(origin, f"{shown} is written here", "written-text")
        read_as = f"made a `{wanted}`" if wanted else "read as a number or date"
        found.root(file, line, f"{shown} is {read_as} here", "snag-worded" if wording else "snag")
        return found

    def _number(self, scene: Scene, found: Diagnosis, bad: str, call: Part, argument: Part) -> None:
        file = scene.frame.file if scene.frame else ""
        text = argument.source
        stripped = bad.strip()
        if call.called == "int" and _reads(stripped):
            found.key(
                "decimal",
                f"Read it as a decimal number: `float({show(text)})`",
                f"`{show(stripped)}` has a decimal point, and `int` takes whole numbers only",
                [replace(file, callee.span, "float") for callee in call.in_role("callee")],
            )
            found.key(
                "whole-of-decimal",
                f"Cut it to a whole number: `int(float({show(text)}))`",
                "the part behind the point is dropped",
                [wrap(file, argument, "float({0})")],
            )
        both = "," in stripped and "." in stripped
        if (
            "," in stripped
            and _reads(stripped.replace(".", "").replace(",", "."))
            and (not both or stripped.rfind(",") > stripped.rfind("."))
        ):
            steps = '.replace(".", "").replace(",", ".")' if both else '.replace(",", ".")'
            thousands = not both and _looks_thousand(stripped)
            found.key(
                "decimal-comma",
                f"Read the comma as a decimal point: `{show(text)}{steps}`",
                f"`{show(stripped)}` is written with a decimal comma",
                [replace(file, argument.span.end, steps)],
                known="comma-or-thousands" if thousands else "decimal-comma",
            )
        if "," in stripped and _reads(stripped.replace(",", "")) and (both or _looks_thousand(stripped)):
            found.key(
                "thousands-mark",
                f'Take the thousands marks out: `{show(text)}.replace(",", "")`',
                f"the commas in `{show(stripped)}` only group the digits",
                [replace(file, argument.span.end, '.replace(",", "")')],
            )
        core = stripped.strip("€$£% \u00a0").rstrip("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ°²³/ ")
        unit = stripped[len(core) :] if stripped.startswith(core) else ""
        if core and core != stripped and _reads(core) and unit.strip():
            found.key(
                "without-unit",
                f'Take the unit off: `{show(text)}.replace("{unit}", "")`',
                f"`{unit.strip()}` is glued to the number",
                [replace(file, argument.span.end, f'.replace("{unit}", "")')],
            )
        elif core != stripped and _reads(core):
            marks = "".join(sorted({c for c in stripped if c in "€$£% \u00a0"}))
            found.key(
                "without-mark",
                f'Take the mark off: `{show(text)}.strip("{marks}")`',
                f"`{show(stripped)}` carries a mark that is not part of the number",
                [replace(file, argument.span.end, f'.strip("{marks}")')],
            )
        if "\u2212" in stripped and _reads(stripped.replace("\u2212", "-")):
            found.key(
                "real-minus",
                "Turn the look-alike minus into a real one",
                "the data has U+2212 where a hyphen is needed",
                [replace(file, argument.span.end, '.replace("\\u2212", "-")')],
            )
        self._skip(scene, found, bad, call, argument)

    def _skip(self, scene: Scene, found: Diagnosis, bad: str, call: Part, argument: Part) -> None:
        """Leave out what cannot be read, in the smallest way the code allows."""
        if scene.frame is None:
            return
        file = scene.frame.file
        statement = scene.statement_of(scene.frame)
        code = scene.code
        if statement is None or code is None:
            return
        text = argument.source
        whole = call.called == "int"
        test = f"{text}.strip().lstrip('-').isdigit()" if whole else f"{text}.strip().lstrip('-').replace('.', '', 1).isdigit()"
        simple = f"{text}.isdigit()" if whole else test
        loops = code.loops(statement.span.line)
        if statement.sort in ("expr", "augassign") and loops:
            rows = [scene.row(file, n) for n in range(statement.span.line, statement.span.end_line + 1)]
            body = "\n".join("    " + row for row in rows)
            place = Span(statement.span.line, 1, statement.span.end_line, len(rows[-1]) + 1)
            found.key(
                "leave-out",
                f"Leave out what is no number: `if {show(simple)}:`",
                f"`{show(bad)}` is left out, the rest is used",
                [replace(file, place, f"{statement.indent}if {simple}:\n{body}")],
                skips_work=True,
            )
        for part in (p for top in statement.parts for p in top.walk()):
            if part.sort == "comprehension" and call in list(part.walk()) and not part.in_role("test"):
                spot = part.span.end
                closing = 1 if part.source[-1:] in ")]}" else 0
                place = Span(spot.line, spot.column - closing, spot.line, spot.column - closing)
                found.key(
                    "leave-out",
                    f"Leave out what is no number: `if {show(simple)}`",
                    f"`{show(bad)}` is left out, the rest is used",
                    [replace(file, place, f" if {simple}")],
                    skips_work=True,
                )
        if statement.sort == "return" and len(statement.parts) == 1:
            missing = 'float("nan")' if not whole else idioms_of(scene).missing
            indent = indent_of(scene, file, statement.span.line)
            source = scene.row(file, statement.span.line).strip()
            body = f"{indent}try:\n{indent}    {source}\n{indent}except ValueError:\n{indent}    return {missing}"
            place = Span(statement.span.line, 1, statement.span.end_line, len(scene.row(file, statement.span.end_line)) + 1)
            found.key(
                "mark-missing",
                f"Return {missing} for what is no number",
                "each value that cannot be read then counts as missing",
                [replace(file, place, body)],
                skips_work=True,
            )

    def _column(self, scene: Scene, found: Diagnosis, call: Part) -> None:
        callee = call.child("callee")
        owner = callee.child("object") if callee is not None else None
        code = scene.code
        pandas = next((d.name for d in code.definitions() if d.module == "pandas"), None) if code else None
        if owner is not None and pandas and scene.frame is not None:
            text = f'{pandas}.to_numeric({owner.source}, errors="coerce")'
            found.key(
                "column-to-numbers",
                f"Read what can be read: `{show(text)}`",
                "cells that are no number become missing values",
                [replace(scene.frame.file, call.span, text)],
            )

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
                found.root(file, number, f"the format `{old}` does not fit `{show(bad)}`", "format")
                for rank, new in enumerate(fitting[:2]):
                    found.key(
                        f"format-{rank + 1}",
                        f"Write the format as `{new}`",
                        f"`{show(bad)}` is written that way",
                        [replace(file, place, new)],
                        rank=rank,
                    )
                return

    def _json(self, scene: Scene, found: Diagnosis) -> None:
        """The place in the JSON text is known: find the file and mend the usual slips."""
        number = scene.facts.get("line", "")
        found.meaning = "The text is not valid JSON at this place, so it cannot be read."
        found.look_at = "JSON needs double quotes around every name and text, and no comma after the last item."
        for data in scene.data_files:
            if not data.endswith((".json", ".jsonl", ".geojson", ".ndjson")):
                continue
            text, by_line = scene.sources.text(data) or "", data.endswith(("jsonl", "ndjson"))
            stop = stops_at(text, by_line=by_line)
            line, column = position(text, stop) if stop is not None else (0, 0)
            if stop is None or (number and line != int(number) and not by_line):
                continue
            found.root(
                data, line, "the text stops being JSON here", "json-stops-line" if number else "json-stops", column=column
            )
            for rank, item in enumerate(mended_json(text, by_line=by_line)[:3]):
                at, title, reason = words_of_edit(text, item.edits[0], line)
                if item.edits[0].sort == "everywhere":
                    title = f"write the quotes, words and commas of {data} as JSON wants them, from line {at} on"
                    reason = "quotes, words or commas stand there as another language has them"
                found.root(data, at, reason, "json-edit", rank=rank)
                more = f", and {len(item.edits) - 1} more" if len(item.edits) > 1 else ""
                title = (
                    f"{title[:1].upper()}{title[1:]} of {data}{more}"
                    if data not in title
                    else f"{title[:1].upper()}{title[1:]}"
                )
                found.key(f"json-{rank}", title, reason, edits_of(data, text, item), rank=rank)
            return


def _form(scene: Scene) -> str:
    """Return what a text was to become, as far as the failure's own words tell."""
    said = f"{scene.jam.exception_type or ''} {scene.jam.wording or ''}"
    if "JSON" in said:
        return "read as JSON"
    if scene.facts.get("format") or re.search(r"\b(?:date|time|isoformat)|[dD]ate(?:Time)?Parse", said):
        return "read as a date or a time"
    if re.search(r"\b(?:float|int|integer|decimal|number|numeric|literal)|NumberFormat|InvalidOperation", said):
        return "turned into a number"
    return "turned into a number or a date"


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


def _reads(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return text.lower() not in ("nan", "inf", "-inf", "infinity")


def _looks_thousand(text: str) -> bool:
    groups = text.lstrip("-").split(",")
    return len(groups) > 1 and all(len(group) == 3 and group.isdigit() for group in groups[1:]) and 0 < len(groups[0]) < 4


def _is_a_number_otherwise(text: str) -> bool:
    return any(character.isdigit() for character in text)


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
