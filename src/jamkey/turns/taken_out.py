"""Take a value out of what holds it: a promise, a generator, a function that was not called, bytes."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.convert import filled_in


class TakenOut(Plain):
    """`reply` becomes `await reply` where it was seen to hold a promise."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose what the value of the part is taken out by, as its type is known."""
        takes_out: dict[str, list[str]] = ground.words.get("takes_out", {})
        if not takes_out or ground.is_stored(part) or ground.role(part) in ("callee", "target"):
            return
        value = ground.value(part)
        if value is None:
            return
        loose = part.sort in ("binary", "compare", "unary", "choice")
        for word in takes_out.get(value.type.rpartition(".")[2], ()):
            tight = f"({part.source})" if loose and not word.endswith("({0})") else part.source
            yield Made("taken out", part.span, filled_in(word, tight))


TURN = TakenOut()
