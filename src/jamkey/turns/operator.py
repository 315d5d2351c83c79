"""Write another operator."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain
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
        for other in _OTHERS.get(part.name, ()):
            if len(operands) == 2 and part.sort == "other":
                left, right = operands
                if left.span.end_line == right.span.line and (left.span.line, right.span.end_line) == (
                    part.span.line,
                    part.span.end_line,
                ):
                    between = part.source[len(left.source) : len(part.source) - len(right.source)]
                    if between.count(part.name) == 1 and part.source.startswith(left.source):
                        guarded = other in ("&", "|")
                        words = [
                            f"({child.source})" if guarded and child.sort in ("compare", "other") else child.source
                            for child in operands
                        ]
                        yield Made(
                            f"operator:{part.name} to {other}",
                            part.span,
                            words[0] + between.replace(part.name, other) + words[1],
                        )
            else:
                yield from swapped_sign(part, part.name, other, f"operator:{part.name} to {other}")
        if part.sort == "other" and not part.name and len(operands) == 2:
            left, right = operands
            if part.source.startswith(left.source) and part.source.endswith(right.source):
                between = part.source[len(left.source) : len(part.source) - len(right.source)]
                if between.strip() == "=":
                    yield Made("operator:= to ==", part.span, left.source + between.replace("=", "==") + right.source)
        if part.sort == "binary" and len(operands) == 2 and part.name in ("-", "/", "//", "@", "*", "..", "%*%", "<", ">"):
            left, right = operands
            between = part.source[len(left.source) : len(part.source) - len(right.source)]
            yield Made("operator:swap", part.span, right.source + between + left.source)


TURN = Operator()
