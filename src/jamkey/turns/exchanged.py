"""Ask the argument for what the object was asked for: `names.join(", ")` is `", ".join(names)`."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain

#: Sorts of parts that a member can be asked of without brackets.
_TIGHT = ("name", "member", "index", "call", "text", "list", "dict", "tuple")


class Exchanged(Plain):
    """`names.join(", ")` becomes `", ".join(names)`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose a method's object and its one argument in each other's place."""
        callee = part.child("callee") if part.sort == "call" and len(part.arguments) == 1 else None
        owner = callee.child("object") if callee is not None and callee.sort == "member" else None
        if callee is None or owner is None:
            return
        ((word, given),) = part.arguments
        if word or given.sort not in _TIGHT or not callee.source.startswith(owner.source):
            return
        asks = callee.source[len(owner.source) :]
        opening = part.source[len(callee.source) : len(callee.source) + 2]
        if opening[:1] == "(" or opening == " (":
            called = f"{given.source}{asks}{opening.partition('(')[0]}({owner.source})"
            yield Made("exchanged", part.span, called)


TURN = Exchanged()
