"""Ask a function for what is no member, and a method for what is no function: `names.length` is `len(names)`."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.convert import filled_in


class FunctionOf(Plain):
    """`names.length` becomes `len(names)`, `upper(x)` `x.upper()`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the function of a member, and the method of a function, that does not exist."""
        if part.sort == "call":
            yield from _of_call(part, ground)
        forms: dict[str, list[str]] = ground.words.get("function_of", {})
        owner = part.child("object")
        if part.sort == "member" and owner is not None and part.name in forms and not ground.is_stored(part):
            if ground.role(part) == "callee":
                return  # the call is changed as a whole
            for function in forms[part.name]:
                yield Made(f"function of:{function}", part.span, filled_in(function, owner.source))


def _of_call(part: Part, ground: Ground) -> Iterator[Made]:
    callee = part.child("callee")
    plain = [given for keyword, given in part.arguments if not keyword]
    if callee is None or len(plain) != len(part.arguments):
        return
    given = [each.source for each in plain]
    owner = callee.child("object") if callee.sort == "member" else None
    forms: dict[str, list[str]] = ground.words.get("function_of", {})
    if owner is not None and not given:
        for function in forms.get(callee.name, ()):
            yield Made(f"function of:{function}", part.span, filled_in(function, owner.source))
    asks = ground.words.get("method_asked", "")
    if callee.sort == "name" and plain and asks and callee.name not in ground.visible and callee.name not in ground.builtins:
        source = given[0] if plain[0].sort in ("name", "member", "call", "index", "text", "list") else f"({given[0]})"
        yield Made("function of:method", part.span, asks.format(source, callee.name, ", ".join(given[1:])))


TURN = FunctionOf()
