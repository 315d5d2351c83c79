"""Move a bound by one, or write another small number: indexes, slices, ranges, windows, comparisons."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain, around_sign
from jamkey.turns.convert import filled_in

_WHOLE = re.compile(r"-?\d{1,9}")
#: Values of a frame whose number of items is proposed.
_HELD = 6
_OPEN = {"<": "<=", "<=": "<", ">": ">=", ">=": ">"}


class Bound(Plain):
    """`range(n)` becomes `range(n - 1)`, `rows[i]` becomes `rows[i + 1]`, `<` becomes `<=`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the part one less and one more."""
        if ground.is_stored(part) and ground.role(part) != "key" and not _is_size(part, ground):
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
            yield from _as_many(part, ground)
            return
        role = ground.role(part)
        if part.sort == "compare":
            for sign, opened in _OPEN.items():
                yield from swapped_sign(part, sign, opened, "bound:open")
        counted = part.sort == "unary" and text in [ground.idioms.length.format(child.source) for _, child in part.children]
        if (counted or part.sort in ("name", "member", "call", "binary", "index")) and (
            role in ("", "key", "lower", "upper", "right", "left", "high", "low") or role.startswith("argument")
        ):
            yield Made(f"bound:-1 {_short(role)}", part.span, f"{text} - 1")
            yield Made(f"bound:+1 {_short(role)}", part.span, f"{text} + 1")
        around, owner = ground.words.get("around", ""), ground.above.get(part.span, ("", None))[1]
        asked = owner.child("object") if around and role == "key" and owner is not None else None
        many = ground.idioms.length.format(asked.source) if asked is not None else ""
        if many not in ("", text) and part.sort in ("binary", "name", "call"):
            yield Made("bound:around", part.span, filled_in(around, text, many))
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


def _as_many(part: Part, ground: Ground) -> Iterator[Made]:
    """Propose, for a number written in a call or comparison, how many there are of what the failing frame holds."""
    role, frame = ground.role(part), ground.scene.frame
    if frame is None or not (role.startswith("argument") or role == "right"):
        return
    held = [value.name for value in frame.values if value.length is not None and value.name.isidentifier()]
    for name in held[:_HELD]:
        if name in ground.visible:
            yield Made("bound:as many", part.span, ground.idioms.length.format(name))


def _is_size(part: Part, ground: Ground) -> bool:
    """Tell the number of places in what is declared, as in `int counts[5]`."""
    above = ground.above.get(part.span, ("", part))[1]
    return above.sort == "other" and above.source.endswith(f"[{part.source}]")


def _short(role: str) -> str:
    return "argument" if role.startswith("argument") else role


def swapped_sign(part: Part, old: str, new: str, turn: str) -> Iterator[Made]:
    """Write another operator between two operands, one place at a time."""
    operands = [child for role, child in part.children if role in ("left", "right")]
    for left, right in itertools.pairwise(operands):
        pieces = around_sign(part, left, right)
        if pieces is not None and left.span.end_line == right.span.line and pieces[1].strip() == old:
            before, between, after = pieces
            yield Made(turn, part.span, before + between.replace(old, new) + after)


TURN = Bound()
