"""Ask a function for each of many, where it takes one: `abs(shifts)` is `[abs(each) for each in shifts]`."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.convert import filled_in


class EachCalled(Plain):
    """`int(cells)` becomes `[int(each) for each in cells]`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose what a call gives for each item of its one argument."""
        form: str = ground.words.get("each_called", "")
        callee = part.child("callee") if form and part.sort == "call" and len(part.arguments) == 1 else None
        if callee is None or ground.place.distance:
            return
        ((word, given),) = part.arguments
        value = ground.value(given)
        if word or value is None or value.type not in ground.words.get("many", ()):
            return
        yield Made("each called", part.span, filled_in(form, callee.source, given.source))


TURN = EachCalled()
