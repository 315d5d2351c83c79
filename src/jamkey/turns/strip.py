"""Take something away around a part: a call, a member, an index, an operand, brackets."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain


class Strip(Plain):
    """`int(x)` becomes `x`, `rows.sort()` becomes `rows`, `a + b` becomes `a`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose what stands inside in place of the whole."""
        if part.sort == "call":
            callee = part.child("callee")
            arguments = [argument for _, argument in part.arguments]
            word = part.called or "?"
            if not arguments and callee is not None:
                yield Made("uncall", part.span, callee.source)
            if len(arguments) == 1:
                yield Made(f"strip:{word}", part.span, arguments[0].source)
            elif arguments:
                yield Made("strip:first", part.span, arguments[0].source)
            if callee is not None and callee.sort == "member" and (owner := callee.child("object")) is not None:
                yield Made(f"strip:.{word}", part.span, owner.source)
        elif part.sort in ("member", "index"):
            owner = part.child("object")
            if owner is not None and ground.role(part) != "callee":
                yield Made(f"strip:{part.sort}", part.span, owner.source)
                key = part.child("key")
                if key is not None and key.sort == "name" and not ground.is_stored(part):
                    yield Made("strip:key", part.span, key.source)  # the item itself was at hand
            if part.sort == "member" and owner is not None and owner.sort == "name":
                yield Made("strip:owner", part.span, part.name)
        elif part.sort in ("binary", "compare"):
            for role in ("left", "right"):
                child = part.child(role)
                if child is not None:
                    yield Made(f"strip:{role}", part.span, child.source)
        elif part.sort in ("unary", "star"):
            child = part.child("right") or part.child("item")
            if child is not None:
                yield Made(f"strip:{part.name or 'star'}", part.span, child.source)
        elif part.sort in ("list", "tuple") and len(part.children) == 1:
            yield Made(f"strip:{part.sort}", part.span, part.children[0][1].source)
        elif part.sort == "choice":
            for child in part.in_role("value"):
                yield Made("strip:choice", part.span, child.source)


TURN = Strip()
