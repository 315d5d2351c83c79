"""Ask how many, or whether there is anything in it, where only was asked whether it is there at all."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.convert import filled_in

_TRUTHS = ("and", "or", "&&", "||", "not", "!")


class Asked(Plain):
    """`if count` becomes `if count > 0`, `if found` `if found.length`.

    Nothing fails by such a condition; so it is changed only where a program ended well and its result is wrong.
    """

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose other questions about what is taken for true as it is."""
        if ground.scene.jam.phase != "quiet" or part.sort not in ("name", "member", "index", "call"):
            return
        for form in ground.words.get("holds", ()) if _is_condition(part, ground) else ():
            yield Made(f"asked:{form}", part.span, filled_in(form, part.source))


def _is_condition(part: Part, ground: Ground) -> bool:
    """Tell what is taken for true or false as it is: the whole condition, or a side of `and`, `or`, `not` in it."""
    if ground.statement.sort not in ("if", "elif", "while"):
        return False
    above = ground.above.get(part.span)
    while above is not None:
        if above[1].name not in _TRUTHS and above[1].sort != "unary":
            return False
        above = ground.above.get(above[1].span)
    return any(top.span.holds(part.span) for top in ground.statement.parts)


TURN = Asked()
