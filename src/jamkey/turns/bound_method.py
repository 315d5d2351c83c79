"""Have a method keep the object that it is asked of, where the language loses it."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.convert import filled_in


class BoundMethod(Plain):
    """`items.forEach(total.add)` becomes `items.forEach(total.add.bind(total))`, `tank.fill(20)` becomes `tank:fill(20)`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose it for a method that is called, or handed on, without its object."""
        bound: str = ground.words.get("bound", "")
        owner = part.child("object") if part.sort == "member" else None
        role, receiver = ground.role(part), ground.words.get("receiver", "")
        if not bound:
            return
        if bound.startswith("{0}:"):
            if owner is not None and role == "callee" and part.source == f"{owner.source}.{part.name}":
                yield Made("bound method:asked", part.span, filled_in(bound, owner.source, part.name))
        elif role.startswith("argument") and owner is not None:
            yield Made("bound method:handed on", part.span, filled_in(bound, part.source, owner.source))
        elif part.sort == "function" and re.search(rf"\b{receiver}\b", part.source):
            yield Made("bound method:function", part.span, filled_in(bound, part.source, receiver))


TURN = BoundMethod()
