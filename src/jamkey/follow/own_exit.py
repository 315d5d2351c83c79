"""The line of the program that wrote certain words: for failures that print words and no trace."""

from __future__ import annotations

from jamkey.follow.sources import Sources
from jamkey.languages.base import Part
from jamkey.model import Frame, Jam

#: Calls that end a Python program with words.
_ENDS = ("exit", "SystemExit")
_SHORTEST = 4
#: Fact of a failure of which no trace was printed: the words by which it is known.
KNOWN_WORDS = "known-words"


def ended_with_words(text: str, sources: Sources) -> Jam | None:
    """Return the jam of a program that ended by `sys.exit("words")`, when its source shows that, else None.

    Such an end prints only the words. A line of the text must begin as the words do and end as they do; what a
    format or an f-string puts in between is free.
    """
    rows = [row.strip() for row in text.rstrip().split("\n")[-20:] if row.strip()]
    for file, code in sources.own_code(".py") if rows else ():
        for name in _ENDS:
            for call in code.calls(name):
                for _, argument in call.arguments[:1]:
                    row = next((row for row in rows if _writes(argument, row)), None)
                    if row is not None:
                        scope = code.scope_at(call.span.line).rpartition(".")[2] or "<module>"
                        source = code.text.split("\n")[call.span.line - 1].strip()
                        frame = Frame(file=file, line=call.span.line, column=call.span.column, function=scope, source=source)
                        return Jam(runtime="python", exception_type="SystemExit", message=row, frames=(frame,))
    return None


def _writes(part: Part, row: str) -> bool:
    """Tell whether an expression can write the row: all its fixed pieces stand there in order."""
    pieces = _pieces(part)
    if sum(map(len, pieces)) < _SHORTEST or not row.startswith(pieces[0]) or not row.endswith(pieces[-1]):
        return False
    position = 0
    for piece in pieces:
        found = row.find(piece, position)
        if found < 0:
            return False
        position = found + len(piece)
    return True


def _pieces(part: Part) -> list[str]:
    """Return the fixed pieces of a text, an f-string, a `%` or `+` of texts; an empty one where it is free."""
    if part.sort == "binary" and part.name == "%":
        left = part.child("left")
        return _cut(left.name, "%") if left is not None and left.sort == "text" else [""]
    if part.sort == "binary" and part.name == "+":
        sides = [side for side in (part.child("left"), part.child("right")) if side is not None]
        return [piece for side in sides for piece in _pieces(side)]
    if part.sort == "call":
        callee = part.child("callee")
        owner = callee.child("object") if callee is not None and callee.name == "format" else None
        return _cut(owner.name, "{") if owner is not None else [""]
    if part.sort != "text":
        return [""]
    if part.name:
        return [part.name]
    inner = part.source.lstrip("fFrRbB").strip("\"'")
    return _cut(inner, "{")


def _cut(template: str, sign: str) -> list[str]:
    """Cut a template at its holes: `%d`, `%.2f` or `{...}`."""
    pieces = [""]
    position = 0
    while position < len(template):
        if template[position] != sign:
            pieces[-1] += template[position]
            position += 1
            continue
        if sign == "{":
            end = template.find("}", position)
            position = len(template) if end < 0 else end + 1
        else:
            position += 1
            while position < len(template) and not template[position].isalpha():
                position += 1
            position += 1
        pieces.append("")
    return pieces
