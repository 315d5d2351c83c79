"""Write a text as those beside it are written: in a list, among arguments, among the pieces of one text."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from jamkey.follow.rebuilt import rebuilt
from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain

#: Signs of a text, texts beside it, and edits of one that are tried.
_LONGEST, _BESIDE, _EDITS = 400, 60, 6
#: Between the pieces of one text.
_BETWEEN = ";|, \n"
#: Texts, and pieces of one, among which one may be odd.
_LEAST, _PIECES = 2, 3


class LikeSiblings(Plain):
    """In `["3 km", "250 m", "80cm"]` the last becomes `"80 cm"`, in `"low=0.05;mid=0,07"` a comma becomes a point."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose a text that is built as its siblings are, and one whose odd piece is built as the others."""
        source = part.source
        if part.sort != "text" or source[:1] not in "'\"" or source[-1:] != source[:1] or len(source) > _LONGEST:
            return
        inner = source[1:-1]
        role, above = ground.above.get(part.span, ("", None))
        siblings = [_column(part, above, ground), _texts(above) if above is not None else []]
        if above is not None and above.sort == "call":
            calls = ground.code.calls(above.called)[:_BESIDE]
            beside = [text for call in calls for name, text in call.children if name == role and text.sort == "text"]
            siblings.append([text.source[1:-1] for text in beside])
        for texts in siblings:
            for other, invented in itertools.islice(rebuilt(inner, texts), _EDITS) if len(texts) >= _LEAST else ():
                if not invented:
                    yield Made("like siblings", part.span, source[0] + other + source[0])
        for sign in _BETWEEN:
            pieces = inner.split(sign)
            if len(pieces) < _PIECES or "\\" in inner:
                continue
            for place, piece in enumerate(pieces):
                for other, invented in itertools.islice(rebuilt(piece, pieces) if piece else (), _EDITS):
                    if not invented and sign not in other:
                        again = sign.join([*pieces[:place], other, *pieces[place + 1 :]])
                        yield Made("like siblings:piece", part.span, source[0] + again + source[0])


def _texts(above: Part) -> list[str]:
    """Return the texts that stand beside each other in a part."""
    return [child.source[1:-1] for _, child in above.children[:_BESIDE] if child.sort == "text"]


def _column(part: Part, above: Part | None, ground: Ground) -> list[str]:
    """Return the texts at the same place of the rows around a text, or at the same key of the records."""
    row = above
    if row is not None and row.sort == "other" and row.span in ground.above:  # a key with its value
        row = ground.above[row.span][1]
    holder = ground.above.get(row.span, ("", None))[1] if row is not None else None
    if row is None or holder is None:
        return []
    found = []
    for _, other in holder.children[:_BESIDE]:
        same = [text for text in other.walk() if text.sort == "text"]
        mine = [text.span for text in row.walk() if text.sort == "text"]
        if len(same) == len(mine) and part.span in mine:
            found.append(same[mine.index(part.span)].source[1:-1])
    return found


TURN = LikeSiblings()
