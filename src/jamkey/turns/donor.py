"""Take what stands in the same place elsewhere: the arguments that another call of the same function has."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain

_MOST, _LONGEST = 4, 120


class Donor(Plain):
    """`c("hive", "kg")` becomes `c("hive", "kilos")`, as it stands elsewhere."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose other calls of the same function that share an argument with this one."""
        own = [argument.source for _, argument in part.arguments] if part.sort == "call" and part.called else []
        if len(own) < 2 or len(part.source) > _LONGEST:
            return
        found: list[str] = []
        for _, code in ground.scene.own_codes():
            for call in code.calls(part.called):
                words = [argument.source for _, argument in call.arguments]
                same = sum(one == other for one, other in zip(own, words, strict=False))
                known = all(item.name in ground.visible or item.sort != "name" for _, a in call.arguments for item in a.walk())
                if len(words) == len(own) and 0 < same < len(own) and known and call.source not in (part.source, *found):
                    found.append(call.source)
        for source in found[:_MOST]:
            yield Made("donor:call", part.span, source)


TURN = Donor()
