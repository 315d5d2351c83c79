"""Write another operator."""

from __future__ import annotations

import re
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


_COMPARES = re.compile(r"[<>]|[=!~]=|\bin\b|\bis\b")


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
        yield from _grouped(part, operands, ground)
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


def _grouped(part: Part, operands: list[Part], ground: Ground) -> Iterator[Made]:
    """Propose brackets that the other operator is taken by first: `(a + b) / 2` for `a + b / 2`."""
    signs = [sign for sign in ground.words.get("guarded", ()) if sign in part.source]
    if signs and part.sort in ("compare", "other"):
        pieces = _split(part.source, signs)
        if len(pieces) > 1:
            text = "".join(f"({piece.strip()}) " if _COMPARES.search(piece) else piece.lstrip() for piece in pieces)
            yield Made("operator:grouped", part.span, " ".join(text.split()) if "\n" not in text else text.rstrip())
    if len(operands) != 2:
        return
    left, right = operands
    if not (part.source.startswith(left.source) and part.source.endswith(right.source)):
        return  # brackets stand there
    between = part.source[len(left.source) : len(part.source) - len(right.source)]
    for inner in (left, right):
        inside = [child for _, child in inner.children]
        if inner.sort not in ("binary", "compare") or len(inside) != 2 or {part.name, inner.name} in ({"+"}, {"*"}):
            continue
        first, last = inside
        if not (inner.source.startswith(first.source) and inner.source.endswith(last.source)):
            continue
        sign = inner.source[len(first.source) : len(inner.source) - len(last.source)]
        if inner is right:
            text = f"({left.source}{between}{first.source}){sign}{last.source}"
        else:
            text = f"{first.source}{sign}({last.source}{between}{right.source})"
        yield Made(f"operator:grouped {part.name} {inner.name}", part.span, text)


def _split(source: str, signs: list[str]) -> list[str]:
    """Return the pieces between signs outside of brackets and texts, the signs among them."""
    pieces, depth, quote = [""], 0, ""
    for sign in source:
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "'\"":
            quote = sign
        else:
            depth += (sign in "([{") - (sign in ")]}")
        if sign in signs and not depth and not quote:
            pieces += [f" {sign} ", ""]
        else:
            pieces[-1] += sign
    return pieces


TURN = Operator()
