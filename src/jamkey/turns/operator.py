"""Write another operator."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain, around_sign
from jamkey.turns.bound import swapped_sign

_OTHERS = {
    "+": ("-", "*", ",", "/"),
    "-": ("+", "*"),
    "*": ("/", "+", "**", "@", ".*", "%*%"),
    "/": ("//", "*", "%", "./"),
    "//": ("/", "%"),
    "%": ("/", "//"),
    "**": ("*",),
    "^": ("**", ".^"),
    "@": ("*",),
    "==": ("!=", ">=", "<=", "is", "in", "===", "="),
    "!=": ("==", "not in", "<", ">"),
    "<": (">", "<=", "!="),
    ">": ("<", ">=", "!="),
    "<=": (">=", "<"),
    ">=": ("<=", ">"),
    "in": ("not in", "=="),
    "not in": ("in",),
    "is": ("==", "is not"),
    "is not": ("!=", "is"),
    "and": ("or", "&"),
    "or": ("and", "|"),
    "&": ("|", "&&", "and"),
    "|": ("&", "||", "or"),
    "&&": ("||", "&"),
    "||": ("&&", "|"),
    "..": ("+", ","),
    "=": ("==",),
}


class Operator(Plain):
    """`+` becomes `-`, `and` becomes `&`, `*` becomes `.*`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the operators that are taken for this one."""
        if part.sort not in ("binary", "compare", "other"):
            return
        operands = [child for _, child in part.children]
        known = ground.words.get("operators")
        for other in [other for other in _OTHERS.get(part.name, ()) if known is None or other in known]:
            turn = f"operator:{part.name} to {other}"
            if len(operands) != 2 or part.sort != "other":
                yield from swapped_sign(part, part.name, other, turn)
                continue
            left, right = operands
            pieces = around_sign(part, left, right)
            if pieces is not None and pieces[1].strip() == part.name and left.span.end_line == right.span.line:
                first, between, last = pieces
                if other in ("&", "|"):
                    first, last = (_guarded(text, operand) for text, operand in ((first, left), (last, right)))
                yield Made(turn, part.span, first + between.replace(part.name, other) + last)
        pieces = around_sign(part, *operands) if len(operands) == 2 else None
        if pieces is None:
            return
        first, between, last = pieces
        if part.sort == "other" and not part.name and between.strip() == "=":
            yield Made("operator:= to ==", part.span, first + between.replace("=", "==") + last)
        if part.sort == "binary" and part.name in ("-", "/", "//", "@", "*", "..", "%*%", "<", ">"):
            yield Made("operator:swap", part.span, last + between + first)


def _guarded(text: str, operand: Part) -> str:
    """Return an operand in brackets, where a mask's sign would bind tighter than its own."""
    return f"({text})" if operand.sort in ("compare", "other") and not text.startswith("(") else text


TURN = Operator()
