"""What is put into a container after it was made: `found[key] = value`, `rows.append(value)`, in whatever language."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from jamkey.languages.base import Code, Part

#: Methods that put their last argument into their object.
_METHODS = ("append", "add", "push", "insert", "setdefault", "put", "unshift")
#: Uses of one name that are looked at.
_MOST = 60


def put_in(code: Code, name: str, scope: str, row: Callable[[int], str]) -> Iterator[tuple[int, Part]]:
    """Yield (line, value) of what is put into the container of a name, within one function or at module level.

    Args:
        code: of the file.
        name: of the container.
        scope: qualified name of the function, empty for the module.
        row: gives a line's text.
    """
    lines = {span.line for span in code.uses(name)[:_MOST] if code.scope_at(span.line) == scope}
    for line in sorted(lines):
        statement = code.statement(line)
        parts = [part for part in statement.parts if part.span.line == line] if statement is not None else []
        target = next(
            (
                part
                for part in parts
                if part.sort == "index" and (owner := part.child("object")) is not None and owner.source == name
            ),
            None,
        )
        if target is None or target.span.column != min(part.span.column for part in parts):
            continue
        rest = row(line)[target.span.end_column - 1 :].lstrip()
        if not rest.startswith(("=", "<-")) or rest.startswith("=="):
            continue
        value = next((part for part in parts if part.span.column >= target.span.end_column), None)
        if value is not None:
            yield line, value
    for method in _METHODS:
        for call in code.calls(method):
            callee = call.child("callee")
            owner = callee.child("object") if callee is not None else None
            arguments = [argument for _, argument in call.arguments]
            if owner is not None and owner.source == name and arguments and code.scope_at(call.span.line) == scope:
                yield call.span.line, arguments[-1]
