"""One translated message with its holes, and the English one that they are put into."""

from __future__ import annotations

import re
from typing import NamedTuple

#: A directive of printf or of gcc's own diagnostics; its place, where it names one.
_DIRECTIVE = re.compile(
    r"%(?:(?P<place>\d+)\$)?(?P<sign>[<>'%]|[-+ #0]*\d*(?:\.(?:\d+|\*))?(?:hh|ll|[hlwzjLt])?(?:q?[+#]*p?[A-Za-z]))"
)
#: Places and programs that a linker puts before a message.
_PLACED = re.compile(r"^(?:%[A-Z](?:\s?:\s)?)+(?=[^\W\d_])")
#: Of a quoted hole in gcc's messages.
_QUOTED = re.compile(r"[-+ #0]*q")
#: What a pattern must at least have of letters, to mean something alone.
_LETTERS = 4


class Quotes(NamedTuple):
    """How a language's catalogue quotes."""

    opening: str = "‘"
    closing: str = "’"


ENGLISH = Quotes()


class Wording(NamedTuple):
    """Literals of the translation around its holes, and the pieces of the original."""

    literals: tuple[str, ...]
    #: Of each hole of the translation: its number.
    holes: tuple[int, ...]
    #: Text, or the number of a hole.
    english: tuple[str | int, ...]

    @property
    def weight(self) -> int:
        """Letters that must be there as they are."""
        return sum(character.isalpha() for literal in self.literals for character in literal)

    @property
    def tells(self) -> bool:
        """Whether it means something, whatever fills its holes."""
        text = "".join(self.literals)
        if "\n" in text:
            return self.weight > 0
        return self.weight >= _LETTERS or any(ord(character) > 0x2E80 for character in text)

    def match(self, text: str) -> list[str] | None:
        """Return the holes' texts by their numbers where all of a text fits; linear in it."""
        first, last = self.literals[0], self.literals[-1]
        if not self.holes:
            return [] if text == first else None
        if not text.startswith(first) or not text.endswith(last) or len(text) < len(first) + len(last):
            return None
        found = [""] * (max(self.holes) + 1)
        at = len(first)
        for index, hole in enumerate(self.holes):
            following = self.literals[index + 1]
            if index == len(self.holes) - 1:
                stop = len(text) - len(following)
            else:
                stop = text.find(following, at) if following else at
            if stop < at:
                return None
            found[hole] = text[at:stop]
            at = stop + len(following)
        return found

    def filled(self, holes: list[str]) -> str:
        """Return the original with its holes filled."""
        return "".join(
            piece if isinstance(piece, str) else holes[piece] if piece < len(holes) else "" for piece in self.english
        )


def wording(original: str, own: str, quotes: Quotes = ENGLISH, *, same: bool = False) -> Wording | None:
    """Return what a pair of a catalogue says; None where it tells nothing.

    Args:
        original: in English, with directives of printf.
        own: the translation.
        quotes: that stand for directives which quote.
        same: also where the two are the same.
    """
    original, own = (_PLACED.sub("", text).strip() for text in (original, own))
    own = re.sub(r" *\n *", "\n", plain_blanks(own))
    pieces, _ = _cut(original, ENGLISH)
    own_pieces, holes = _cut(own, quotes)
    if not own or (own == original and not same and not holes):
        return None  # what fills a hole may be another message
    literals = [""]
    for piece in own_pieces:
        if isinstance(piece, str):
            literals[-1] += piece
        else:
            literals.append("")
    made = Wording(tuple(literals), tuple(holes), tuple(pieces))
    return made if any(character.isalpha() for literal in made.literals for character in literal) else None


def plain_blanks(text: str) -> str:
    """Return a text in which blanks that keep words together, and colons as wide as a character, are plain ones."""
    return text.replace("\xa0", " ").replace("\u202f", " ").replace("\uff1a", ": ")


def _cut(text: str, quotes: Quotes) -> tuple[list[str | int], list[int]]:
    """Return text and numbers of holes in turn, and the numbers alone."""
    pieces: list[str | int] = []
    holes: list[int] = []
    at = count = 0
    for match in _DIRECTIVE.finditer(text):
        pieces.append(text[at : match.start()])
        at = match.end()
        plain = {"<": quotes.opening, ">": quotes.closing, "'": quotes.closing, "%": "%"}.get(match["sign"])
        if plain is not None:
            pieces.append(plain)
            continue
        hole = int(match["place"]) - 1 if match["place"] else count
        count += 1
        quoted = _QUOTED.match(match["sign"]) is not None
        pieces += [quotes.opening, hole, quotes.closing] if quoted else [hole]
        holes.append(hole)
    pieces.append(text[at:])
    return pieces, holes
