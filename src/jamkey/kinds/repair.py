"""Keys that several kinds offer: mend a literal, a cell of data, a size, the spelling of what is looked up."""

from __future__ import annotations

import re

from jamkey.follow.origins import Origin
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis, idioms_of, replace, show, words_of, wrap
from jamkey.languages.base import Part, Span
from jamkey.model import Edit

_SIGNS = ("=", ":", ";", ",", "\t", "|")
#: Functions that take a number of items.
_MAKERS = ("range", "arange", "linspace", "zeros", "ones", "full", "new Array")
#: Items of a literal that are mended one by one.
_MOST_ITEMS = 200


def data_edit(file: str, line: int, start: int, end: int, text: str) -> Edit:
    """Return an edit within one line of a data file; columns from 0."""
    return Edit(file=file, line=line, column=start + 1, end_line=line, end_column=end + 1, new_text=text)


def like_its_neighbours(scene: Scene, found: Diagnosis, file: str, line: int) -> None:
    """A line of data lacks the sign that every other line has: put it where the first gap is."""
    rows = [row.rstrip("\r") for row in (scene.sources.text(file) or "").split("\n")][:5000]
    if not 1 <= line <= len(rows):
        return
    row = rows[line - 1]
    others = [other for number, other in enumerate(rows, 1) if number != line and other.strip()]
    for sign in _SIGNS:
        if sign in row or not others or not all(sign in other for other in others):
            continue
        gap = re.search(r"\S([ \t]+)\S", row)
        if gap is None:
            continue
        found.key(
            "sign-as-elsewhere",
            f"Write `{show(row[: gap.start(1)] + sign + row[gap.end(1) :])}` in line {line} of {file}",
            f"every other line has `{sign}` there",
            [data_edit(file, line, gap.start(1), gap.end(1), sign)],
        )
        return


def name_in_data(scene: Scene, found: Diagnosis, file: str, line: int, name: str) -> None:
    """A name in a line of data is not known: the other lines show which names are."""
    rows = [row.rstrip("\r") for row in (scene.sources.text(file) or "").split("\n")][:5000]
    if not 1 <= line <= len(rows):
        return
    used: dict[str, int] = {}
    for number, row in enumerate(rows, 1):
        for word in words_of(row.partition("=")[2] or row) if number != line else ():
            used[word] = used.get(word, 0) + 1
    alike = [word for word, _ in nearest(name, used, most=2, least=0.6)]
    alike += [word for word in used if word not in alike and (name.startswith(word) or word.startswith(name))]
    for rank, word in enumerate(alike[:2]):
        spots = [match.span() for match in re.finditer(rf"\b{re.escape(name)}\b", rows[line - 1])]
        found.key(
            f"name-as-elsewhere-{word}",
            f"Write `{word}` instead of `{name}` in line {line} of {file}",
            f"the other lines use `{word}`",
            [data_edit(file, line, start, end, word) for start, end in spots],
            rank=rank,
        )


def numbers_in_quotes(scene: Scene, found: Diagnosis, origin: Origin) -> None:
    """Among the numbers of a literal one stands in quotes."""
    if origin.part is None or origin.part.sort not in ("list", "tuple", "dict", "set"):
        return
    items = [part for part in origin.part.walk() if part.sort in ("text", "literal")][:_MOST_ITEMS]
    values = {id(part) for part in _values(origin.part)}
    numbers = [part for part in items if part.sort == "literal" and _is_number(part.source) and id(part) in values]
    quoted = [part for part in items if part.sort == "text" and _is_number(part.name) and id(part) in values]
    if quoted and len(numbers) >= len(quoted):
        whole = all("." not in part.source for part in numbers)
        edits = [
            replace(origin.file, p.span, p.name.strip() if whole or "." in p.name else p.name.strip() + ".0") for p in quoted
        ]
        found.key(
            "number-without-quotes",
            f"Write `{quoted[0].name.strip()}` without quotes on line {quoted[0].span.line}",
            "in quotes it is text, and its neighbours are numbers",
            edits,
        )
        found.root(origin.file, quoted[0].span.line, f"`{quoted[0].source}` is text among numbers here", "text-among")


def _values(part: Part) -> list[Part]:
    found: list[Part] = []
    for role, child in part.children:
        if role in ("item", "value", "element"):
            found += [child, *_values(child)]
    return found


def _is_number(text: str) -> bool:
    return bool(re.fullmatch(r"\s*-?\d{1,18}(\.\d{1,18})?\s*", text))


def fewer_or_more(scene: Scene, found: Diagnosis, origin: Origin, own: int, other: int) -> None:
    """A literal list, or a number in a range, has another size than what it goes with.

    Args:
        own: its size.
        other: the size it should have.
    """
    part = origin.part
    if part is None or own == other:
        return
    if part.sort in ("list", "tuple"):
        items = part.in_role("item")
        if len(items) != own or not other > 0:
            return
        more = own - other
        if more > 0:
            first = replace(origin.file, _up_to(items[0], items[more]), "")
            what = show(items[0].source) if more == 1 else f"the first {more}"
            found.key(
                "drop-first",
                f"Leave out {what}: {other} items as in the other",
                f"{own} items stand here, {other} there",
                [first],
            )
        return
    for literal in part.walk():
        row = scene.row(origin.file, literal.span.line)
        if literal.sort == "literal" and literal.source == str(own) and any(f"{maker}(" in row for maker in _MAKERS):
            found.key(
                "same-size",
                f"Write `{other}` instead of `{own}`",
                f"the other has {other} items",
                [replace(origin.file, literal.span, str(other))],
            )
            return


def _up_to(first: Part, following: Part) -> Span:
    return Span(first.span.line, first.span.column, following.span.line, following.span.column)


def rows_of_equal_length(scene: Scene, found: Diagnosis, origin: Origin) -> None:
    """A table written as a list of lists has a row that is too short."""
    part = origin.part
    rows = part.in_role("item") if part is not None and part.sort in ("list", "tuple") else []
    if len(rows) < 2 or not all(row.sort in ("list", "tuple") for row in rows):
        return
    longest = max(len(row.in_role("item")) for row in rows)
    edits = []
    for row in rows[:_MOST_ITEMS]:
        items = row.in_role("item")
        if items and len(items) < longest:
            edits.append(replace(origin.file, items[-1].span.end, ", 0" * (longest - len(items))))
    if edits:
        found.key("fill-row", f"Fill the short row up to {longest} items with 0", f"the other rows have {longest} items", edits)
        short = min(rows, key=lambda row: len(row.in_role("item")))
        found.root(origin.file, short.span.line, "a row is shorter than the others here", "short-row")


def as_spelt_there(scene: Scene, found: Diagnosis, file: str, part: Part, text: str, there: list[str]) -> None:
    """What is sought differs from what is there only in capitals or in spaces around it.

    Args:
        file: of the part.
        part: the name or expression whose value is sought.
        text: its value.
        there: the values that are there.
    """
    idioms = idioms_of(scene)
    both = idioms.lowered.format(idioms.stripped) if idioms.stripped else ""
    for template, made in (
        (idioms.stripped, text.strip()),
        (idioms.lowered, text.lower()),
        (idioms.raised, text.upper()),
        (idioms.titled, text.title()),
        (both, text.strip().lower()),
    ):
        if template and made != text and made in there:
            found.key(
                "as-spelt-there",
                f"Look for `{show(template.format(part.source))}`",
                f"`{show(made)}` is there, `{show(text)}` is not",
                [wrap(file, part, template)],
            )
            found.causes.insert(0, f"`{show(text)}` is written `{show(made)}` where it is stored")
            return


def in_another_unit(scene: Scene, found: Diagnosis, file: str, part: Part, value: float, low: float, high: float) -> None:
    """A number is out of bounds, and in bounds in another unit."""
    if low <= value <= high:
        return
    for factor in (1000, 100, 10, 60):
        for made, text in ((value / factor, f"{{0}} / {factor}"), (value * factor, f"{{0}} * {factor}")):
            if low < made < high:
                found.key(
                    f"unit-{factor}",
                    f"Convert the unit: `{show(text.format(part.source))}`",
                    f"{value:g} is out of bounds, {made:g} is not",
                    [wrap(file, part, text)],
                )
                return
