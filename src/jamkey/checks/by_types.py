"""What the written types say of an operation that raises nothing: a fraction that is cut off, texts compared as objects."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.follow.declared_types import declared_type, is_fraction, is_text, is_whole, type_before, type_of_name
from jamkey.languages.base import Code, Part, Span, Statement
from jamkey.languages.traits import traits_of
from jamkey.languages.walk import statements, within
from jamkey.model import Edit, Finding

_ARITHMETIC = frozenset({"+", "-", "*", "/"})


def by_types(code: Code, file: str, language: str) -> list[Finding]:
    """Return the operations of a source that do something else than what its types say they are for.

    Args:
        code: of the source.
        file: its name.
        language: as the shelf of languages names it; nothing is told of those without written types.
    """
    traits = traits_of(language)
    if not traits.same_text:
        return []
    found: list[Finding] = []
    for statement in statements(code):
        wanted = _is_wanted(code, statement)
        for top in statement.parts:
            for part, above in within(top):
                if part.sort == "binary" and part.name == "/":
                    found += _cut(
                        code, file, part, (wanted and _is_of_fraction(top, part)) or _meets_fraction(code, above, part)
                    )
                elif part.sort == "compare" and part.name in ("==", "!="):
                    found += _texts(code, file, part, traits.same_text if part.name == "==" else traits.other_text)
    return list({(item.line, item.column, item.rule): item for item in found}.values())


def _is_wanted(code: Code, statement: Statement) -> bool:
    """Tell whether what a statement works out is kept, or given back, as a number with a fraction."""
    line = statement.span.line
    if statement.sort == "return":
        around = [item for item in code.functions() if item.span.line <= line <= item.last_line]
        return any(
            is_fraction(type_before(code, item))
            for function in around[-1:]
            for item in code.definitions(function.name)
            if item.sort == "function" and function.span.holds(item.span)
        )
    return any(is_fraction(type_of_name(code, target.name, line)) for target in statement.targets if target.sort == "name")


def _is_of_fraction(top: Part, part: Part) -> bool:
    """Tell whether a division is what a statement works out, or a term or factor of it, and no argument or index."""
    while top.span != part.span:
        below = [child for _, child in top.children if child.span.holds(part.span)]
        if not below or (top.sort, top.name in _ARITHMETIC) not in (("binary", True), ("other", False), ("unary", False)):
            return False
        top = below[0]
    return True


def _meets_fraction(code: Code, above: Part | None, part: Part) -> bool:
    """Tell whether a division is a factor or term beside a number with a fraction."""
    if above is None or above.sort != "binary" or above.name not in _ARITHMETIC:
        return False
    return any(is_fraction(declared_type(code, child)) for _, child in above.children if child.span != part.span)


def _cut(code: Code, file: str, part: Part, wanted: bool) -> Iterator[Finding]:
    left, right = part.child("left"), part.child("right")
    if not wanted or left is None or right is None:
        return
    types = [declared_type(code, side) for side in (left, right)]
    if not all(is_whole(name) for name in types):
        return
    # a cast binds tighter than what stands behind it, and what is put together is in brackets already
    edit = _put(
        file, left.span, f"(double) {left.source}" if left.sort in ("name", "member", "call", "index", "literal") else ""
    )
    yield _finding(
        file,
        part,
        "whole-number-ratio",
        "truncated-division",
        f"`{left.source}` and `{right.source}` are whole numbers: what is left over is lost before a fraction is wanted",
        "Divide as numbers with a fraction",
        edit,
    )


def _texts(code: Code, file: str, part: Part, form: str) -> Iterator[Finding]:
    left, right = part.child("left"), part.child("right")
    if left is None or right is None or not all(is_text(declared_type(code, side)) for side in (left, right)):
        return
    yield _finding(
        file,
        part,
        "texts-as-objects",
        "wrong-type",
        f"`{part.name}` asks whether both are one and the same object, not whether the texts are alike",
        "Compare what the texts say",
        _put(file, part.span, form.format(left.source, right.source)),
    )


def _put(file: str, span: Span, text: str) -> tuple[Edit, ...]:
    if not text:
        return ()
    end = {"end_line": span.end_line, "end_column": span.end_column}
    return (Edit(file=file, line=span.line, column=span.column, new_text=text, **end),)


def _finding(file: str, part: Part, rule: str, kind: str, reason: str, title: str, edits: tuple[Edit, ...]) -> Finding:
    span = part.span
    return Finding(
        file=file,
        line=span.line,
        column=span.column,
        end_line=span.end_line,
        end_column=span.end_column,
        rule=rule,
        kind=kind,
        reason=reason,
        title=title,
        edits=edits,
    )
