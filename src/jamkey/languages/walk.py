"""Gone through in order: the statements of a source, the parts of an expression."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Code, Part, Span, Statement


def statements(code: Code) -> Iterator[Statement]:
    """Yield every statement of a source once, by the line of its head."""
    seen: set[tuple[str, Span]] = set()
    for line in range(1, code.text.count("\n") + 2):
        for statement in code.heads(line):
            if (statement.sort, statement.span) not in seen:
                seen.add((statement.sort, statement.span))
                yield statement


def within(part: Part) -> Iterator[tuple[Part, Part | None]]:
    """Yield a part and all below it, each with the one it stands in."""
    stack: list[tuple[Part, Part | None]] = [(part, None)]
    while stack:
        own, above = stack.pop()
        yield own, above
        stack += [(child, own) for _, child in own.children]
