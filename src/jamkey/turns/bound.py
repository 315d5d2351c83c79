"""Move a bound by one, or write another small number: indexes, slices, ranges, windows, comparisons."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain

_WHOLE = re.compile(r"-?\d{1,9}")
_OPEN = {"<": "<=", "<=": "<", ">": ">=", ">=": ">"}


class Bound(Plain):
    """`range(n)` becomes `range(n - 1)`, `rows[i]` becomes `rows[i + 1]`, `<` becomes `<=`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the part one less and one more."""
        if ground.is_stored(part) and ground.role(part) != "key":
            return
        text = part.source
        if part.sort == "literal" and _WHOLE.fullmatch(text):
            number = int(text)
            for other in dict.fromkeys((number - 1, number + 1, 0, 1, -number)):
                if other != number:
                    step = (
                        "less"
                        if other == number - 1
                        else "more"
                        if other == number + 1
                        else f"to{other}"
                        if other in (0, 1)
                        else "minus"
                    )
                    yield Made(f"bound:{step}", part.span, str(other))
            return
        role = ground.role(part)
        if part.sort == "compare" and part.name in _OPEN:
            yield from swapped_sign(part, part.name, _OPEN[part.name], "bound:open")
        if part.sort in ("name", "member", "call", "binary", "index") and (
            role in ("", "key", "lower", "upper", "right", "left", "high", "low") or role.startswith("argument")
        ):
            yield Made(f"bound:-1 {_short(role)}", part.span, f"{text} - 1")
            yield Made(f"bound:+1 {_short(role)}", part.span, f"{text} + 1")
        if (
            part.sort == "binary"
            and part.name in ("+", "-")
            and (right := part.child("right")) is not None
            and right.source == "1"
        ):
            left = part.child("left")
            if left is not None:
                yield Made("bound:drop1", part.span, left.source)
        if part.sort == "slice":
            for bound in ("lower", "upper", "step"):
                child = part.child(bound)
                if child is not None:
                    yield Made(f"bound:no {bound}", child.span, "")


def _short(role: str) -> str:
    return "argument" if role.startswith("argument") else role


def swapped_sign(part: Part, old: str, new: str, turn: str) -> Iterator[Made]:
    """Write another operator between two operands."""
    left, right = part.child("left"), part.child("right")
    if left is None or right is None or left.span.end_line != right.span.line:
        return
    between = part.source[len(left.source) : len(part.source) - len(right.source)]
    if between.count(old) == 1:
        yield Made(turn, part.span, left.source + between.replace(old, new) + right.source)


TURN = Bound()
