"""Names that are given a value which nobody reads: a slip for another name, or a function's own copy of one outside."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.follow.similar import Neighbours, similarity
from jamkey.languages.base import Code, Definition, Span
from jamkey.languages.walk import statements
from jamkey.model import Edit, Finding
from jamkey.text import line_at

#: Below this two names are not taken for each other.
_LIKE = 0.9
_SHORTEST = 3
#: Languages in which a function that sets a name has one of its own without saying so.
_OWN_BY_SETTING = frozenset({"r"})
_OWN = re.compile(r"\b(?:local|let|const|var)\s+$")


def never_read(code: Code, file: str, language: str) -> list[Finding]:
    """Return the names of a source whose values are lost, with the name that is meant where one is nearly the same.

    Args:
        code: of the source.
        file: its name.
        language: as the shelf of languages names it.
    """
    definitions = code.definitions()
    places = {item.span for item in definitions}
    given: dict[str, list[Definition]] = {}
    for item in definitions:
        given.setdefault(item.name, []).append(item)
    read = {name: [span for span in code.uses(name) if span not in places] for name in given}
    near = Neighbours(name for name in given if read[name])
    found: list[Finding] = []
    for name, items in given.items():
        if len(name) >= _SHORTEST and not read[name] and all(item.sort in ("assigned", "changed") for item in items):
            if not any(code.is_field(item) for item in items):
                found += _slip(code, file, name, items[0], [other for other in near.of(name) if other != name])
        elif read[name]:
            found += _copies(code, file, name, items, read[name], language)
    return found


def _slip(code: Code, file: str, name: str, item: Definition, others: list[str]) -> Iterator[Finding]:
    seen = code.visible(item.span.line)
    like = [
        other for other in others if other in seen and _letters(other) != _letters(name) and similarity(name, other) >= _LIKE
    ]
    if len(like) != 1:
        return
    span = item.span
    end = {"end_line": span.line, "end_column": span.column + len(name)}
    yield Finding(
        file=file,
        line=span.line,
        column=span.column,
        rule="never-read",
        kind="unknown-name",
        reason=f"`{name}` is set here and never read; `{like[0]}` is nearly the same",
        title=f"Write `{like[0]}`",
        edits=(Edit(file=file, line=span.line, column=span.column, new_text=like[0], **end),),
        **end,
    )


def _letters(name: str) -> str:
    """Return a name without what numbers it: `kilos2` is meant to be another than `kilos`."""
    return name.rstrip("0123456789_").rstrip("s").lower()


def _copies(code: Code, file: str, name: str, items: list[Definition], reads: list[Span], language: str) -> Iterator[Finding]:
    """Yield a value that a function makes of an outer one of the same name, and keeps to itself."""
    outer = [item for item in items if not item.scope and item.sort == "assigned"]
    if not outer or not any(not code.scope_at(span.line) for span in reads):
        return
    for item in items:
        row = line_at(code.text, item.span.line)
        own = language in _OWN_BY_SETTING or _OWN.search(row[: item.span.column - 1]) is not None
        mine = [other for other in items if other.scope == item.scope]
        if not item.scope or item.sort != "assigned" or not own or len(mine) > 1:
            continue
        whole = next((each.span for each in statements(code) if each.span.holds(item.span) and each.sort == "assign"), None)
        inside = [span for span in reads if code.scope_at(span.line) == item.scope]
        if whole is None or not inside or not all(whole.holds(span) for span in inside):
            continue
        end = {"end_line": item.span.line, "end_column": item.span.column + len(name)}
        behind = row[item.span.column - 1 + len(name) :]
        arrow = re.match(r"\s*(<-|=)(?!=)", behind)
        edits: tuple[Edit, ...] = ()
        declared = _OWN.search(row[: item.span.column - 1])
        if declared is not None:
            start = declared.start() + 1
            edits = (
                Edit(
                    file=file,
                    line=item.span.line,
                    column=start,
                    end_line=item.span.line,
                    end_column=item.span.column,
                    new_text="",
                ),
            )
        elif arrow is not None:
            start = item.span.column + len(name) + arrow.start(1)
            stop = start + len(arrow[1])
            edits = (
                Edit(file=file, line=item.span.line, column=start, end_line=item.span.line, end_column=stop, new_text="<<-"),
            )
        yield Finding(
            file=file,
            line=item.span.line,
            column=item.span.column,
            rule="never-read",
            kind="hidden-name",
            reason=f"this sets a `{name}` of the function's own, which nobody reads; the one outside stays as it is",
            title=f"Set the `{name}` outside",
            edits=edits,
            **end,
        )
