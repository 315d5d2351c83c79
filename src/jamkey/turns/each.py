"""The same change at each of several like parts of one statement: who slips once in a line often slips at all of its kind."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made

#: Turns that are made together; what these put in or take away says nothing of where.
_FAMILIES = frozenset(("convert", "strip", "call", "uncall", "literal", "member", "name"))
#: Like parts that are changed together at most.
_MOST = 6


def together(made: Sequence[tuple[Part, Made]], ground: Ground) -> Iterator[tuple[Part, Made]]:
    """Yield one edit for each turn that was proposed at several like parts: the same at all of them.

    Args:
        made: what one turn proposed at the parts of a statement, with these.
        ground: the statement's.
    """
    groups: dict[tuple[object, ...], list[tuple[Part, Made]]] = {}
    for part, item in made:
        family = item.turn.partition(":")[0]
        if family in _FAMILIES and not item.more and (kin := _kin(part, ground)):
            # a name that is put in is the same one at all of them
            word = item.text if family in ("member", "name") else ""
            groups.setdefault((item.turn, word, *kin), []).append((part, item))
    for items in groups.values():
        items.sort(key=lambda pair: (pair[1].span.line, pair[1].span.column))
        spans = {pair[1].span: pair for pair in items}
        if not 1 < len(spans) <= _MOST or any(one != other and one.holds(other) for one in spans for other in spans):
            continue
        (part, first), *others = spans.values()
        more = tuple((ground.place.file, item.span, item.text) for _, item in others)
        yield part, msgspec.structs.replace(first, turn=f"each:{first.turn}", more=more)


def _kin(part: Part, ground: Ground) -> tuple[object, ...]:
    """Return what a part shares with those that are changed with it; empty for one that stands alone."""
    role, above = ground.above.get(part.span, ("", None))
    if part.sort == "call" and part.called:
        return ("call", part.called)
    if part.sort == "member":
        return ("member", part.name)
    if role.startswith("argument") and above is not None:
        value = ground.value(part)
        return ("argument", above.span, part.sort, value.type if value is not None else "")
    if role in ("left", "right"):
        return ("operand", part.sort)
    return ("key", part.sort) if role == "key" else ()
