"""Ask otherwise: nearly the same instead of the same, whether it is missing, how many instead of whether at all.

Nothing fails by these; so they are proposed only where a program ended well and its result is wrong.
"""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.convert import filled_in

_SAME, _OTHER = ("==", "==="), ("!=", "!==", "~=")
_NOT_THERE = frozenset(
    {"NA", "NaN", "nan", "np.nan", "numpy.nan", "math.nan", "Number.NaN", "NA_real_", "pd.NA", "float('nan')"}
)
_TRUTHS = ("and", "or", "&&", "||", "not", "!")


class Asked(Plain):
    """`a == 0.3` becomes `abs(a - 0.3) < 1e-9`, `x == NA` `is.na(x)`, `if count` `if count > 0`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose other questions about a comparison or about what is taken for true as it is."""
        if ground.scene.jam.phase != "quiet":
            return
        if part.sort == "compare" and part.name in (*_SAME, *_OTHER):
            yield from _of_comparison(part, ground)
        elif part.sort in ("name", "member", "index", "call") and _is_condition(part, ground):
            for form in ground.words.get("holds", ()):
                yield Made(f"asked:{form}", part.span, filled_in(form, part.source))
        elif part.sort in ("compare", "binary") and _is_condition(part, ground):
            for form in ground.words.get("holds_of_many", ()):
                yield Made(f"asked:{form}", part.span, form.format(part.source))
        if part.name == ":" and (counted := ground.words.get("counted", "")):
            left, right = part.child("left"), part.child("right")
            if left is not None and right is not None and left.source == "1":
                yield Made("asked:counted", part.span, counted.format(right.source.removeprefix("(").removesuffix(")")))


def _of_comparison(part: Part, ground: Ground) -> Iterator[Made]:
    left, right = part.child("left"), part.child("right")
    if left is None or right is None:
        return
    for gap, other in ((left, right), (right, left)):
        if gap.source in _NOT_THERE:
            form: str = ground.words.get("is_gap" if part.name in _SAME else "is_no_gap", "")
            if form:
                yield Made("asked:gap", part.span, form.format(other.source))
            return
    near: str = ground.words.get("nearly" if part.name in _SAME else "not_nearly", "")
    if near and not any(side.sort in ("text", "list", "dict", "compare") for side in (left, right)):
        yield Made("asked:nearly", part.span, near.format(left.source, right.source))


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
