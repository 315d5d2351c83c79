"""Names that are given a value which nobody reads: a slip for another name, or a function's own copy of one outside."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.follow.similar import Neighbours, similarity
from jamkey.languages.base import Code, Definition, Function, Span
from jamkey.languages.traits import traits_of
from jamkey.languages.walk import statements
from jamkey.model import Edit, Finding
from jamkey.text import line_at

#: Below this two names are not taken for each other.
_LIKE = 0.9
_SHORTEST = 3
#: Before a call that is a statement of its own.
_ALONE = re.compile(r"(?:^|[;{)])\s*$")
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
        declared = _OWN.search(row[: item.span.column - 1])
        if not item.scope or item.sort != "assigned" or not (declared or traits_of(language).own_by_setting):
            continue
        whole = next((each.span for each in statements(code) if each.span.holds(item.span) and each.sort == "assign"), None)
        inside = [span for span in reads if code.scope_at(span.line) == item.scope]
        alone = sum(other.scope == item.scope for other in items) == 1
        if whole is None or not alone or not inside or not all(whole.holds(span) for span in inside):
            continue
        if any(function.qualified == item.scope and _is_asked_for(code, function, whole) for function in code.functions()):
            continue
        line, column = item.span.line, item.span.column
        end = column + len(name)
        arrow = re.match(r"\s*(<-|=)(?!=)", row[end - 1 :])
        edits: tuple[Edit, ...] = ()
        if declared is not None:
            edits = (Edit(file=file, line=line, column=declared.start() + 1, end_line=line, end_column=column, new_text=""),)
        elif arrow is not None:
            first, last = end + arrow.start(1), end + arrow.end(1)
            edits = (Edit(file=file, line=line, column=first, end_line=line, end_column=last, new_text="<<-"),)
        yield Finding(
            file=file,
            line=line,
            column=column,
            end_line=line,
            end_column=end,
            rule="never-read",
            kind="hidden-name",
            reason=f"this sets a `{name}` of the function's own, which nobody reads; the one outside stays as it is",
            title=f"Set the `{name}` outside",
            edits=edits,
        )


def _is_asked_for(code: Code, function: Function, whole: Span) -> bool:
    """Tell whether a function gives back what a statement sets, and somebody asks for that: then it is read there."""
    if not any(whole.line <= line <= whole.end_line for line, _ in function.returns):
        return False
    rows = code.text.split("\n")
    uses = [span for span in code.uses(function.name) if not function.span.holds(span)]
    return not all(_ALONE.search(rows[span.line - 1][: span.column - 1]) for span in uses)
