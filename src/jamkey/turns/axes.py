"""Rows for columns: two keys, or two sizes, in each other's place."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain

#: Two keys that the language's model has as one, as in R; no brackets within.
_TWO = re.compile(r"\s*([^,()\[\]]*?)\s*,\s*([^,()\[\]]*?)\s*")


class Axes(Plain):
    """`grid[x][y]` becomes `grid[y][x]`, `m[i, ]` becomes `m[, i]`, `new int[2][3]` becomes `new int[3][2]`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the other order of two keys or sizes."""
        if part.sort == "index":
            key, owner = part.child("key"), part.child("object")
            if key is None or owner is None or key.sort == "slice":
                return
            outer = owner.child("key") if owner.sort == "index" else None
            if outer is not None:
                yield from _exchanged(outer, key, ground)
            elif key.sort == "tuple" and len(key.children) == 2:
                yield from _exchanged(key.children[0][1], key.children[1][1], ground)
            elif key.sort == "other" and (two := _TWO.fullmatch(key.source)) is not None and two[1] != two[2]:
                yield Made("axes:exchanged", part.span, f"{owner.source}[{f'{two[2]}, {two[1]}'.rstrip()}]")
        elif part.sort == "other":
            sizes = _sizes(part)
            if len(sizes) == 2:
                yield from _exchanged(sizes[0], sizes[1], ground)


def _exchanged(one: Part, other: Part, ground: Ground) -> Iterator[Made]:
    if one.source != other.source and one.span != other.span:
        more = ((ground.place.file, other.span, one.source),)
        yield Made("axes:exchanged", one.span, other.source, more=more)


def _sizes(part: Part) -> list[Part]:
    """Return the sizes of what is declared or made with several, such as those of `new int[2][3]` and of `k[2][3]`."""
    own = [
        child.children[0][1] for _, child in part.children if len(child.children) == 1 and _is_size(child, child.children[0][1])
    ]
    if own or len(part.children) != 2:
        return own
    first, last = (child for _, child in part.children)
    inner = first.children[-1][1] if first.sort == "other" and len(first.children) == 2 else None
    return [inner, last] if inner is not None and _is_size(first, inner) and _is_size(part, last) else []


def _is_size(holder: Part, size: Part) -> bool:
    return holder.source.endswith(f"[{size.source}]")


TURN = Axes()
