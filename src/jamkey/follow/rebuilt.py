"""Small edits after which a record, or a text that is written beside others, is built as most of these are."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

from jamkey.late import pattern

#: What is put in for a value that is not there.
VALUE = "0"
#: Text in which numbers and words are all one, to see how a record is built.
_NUMBER, _WORD = pattern(r"[-+]?\d[\d.]*(?:[eE][-+]?\d+)?"), pattern(r"[^\W\d]+(?:[ _-][^\W\d]+)*")
_ANY = pattern(r"\w")
_BLANKS = pattern(r"[ \r\f\v\u00a0]+")
#: Records whose build is looked at.
_SHAPES = 2000
_QUOTED = pattern(r"\"([-+]?\d[\d.]*)\"|'([-+]?\d[\d.]*)'")
_BARE = pattern(r"(?<![\w.\"'])[-+]?\d[\d.]*(?![\w.\"'])")
_COMMA = pattern(r"(?<=\d),(?=\d)")
_BOUNDARY = pattern(r"\w+|\S")
#: Where a digit meets a letter.
_MEETING = pattern(r"(?<=\d)(?=[^\W\d_])|(?<=[^\W\d_])(?=\d)")
#: Letters that stand in a number for the digit they look like.
_LIKE_DIGITS = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1", "S": "5", "B": "8", "Z": "2"})
_DAMAGED = pattern(r"(?<!\w)(?=\w*\d)[\dOolISBZ]+(?:[.,][\dOolISBZ]+)*(?!\w)|(?<![\w.])[OolISBZ](?=[.,]\d)")
#: Letters, and blanks, at a number that may be none of it.
_BESIDE = pattern(r"(?<=\d)\s?(?:[^\W\d_]{1,8}(?!\w)|[^\w\s.,;:/-])|(?<!\w)[^\W\d_]{1,3}\s?(?=\d)|[^\w\s.,;:/\"'-]\s?(?=\d)")
_SIGNS = ".,:;/-= "


def usual_build(rows: Sequence[str]) -> str | None:
    """Return how most records are built that hold a word or a number; None where there is no such way."""
    own = [built(row) for row in rows[:_SHAPES] if _ANY.search(row)]
    if len(own) > 2 and "0" not in own[0] and all("0" in build for build in own[1:]):
        own = own[1:]  # names of columns
    builds = Counter(own)
    usual, often = builds.most_common(1)[0] if builds else ("", 0)
    return usual if often > builds.total() / 2 and builds.total() > 1 else None


def built(row: str) -> str:
    """Return a record with all numbers and all words alike; the comma behind it, which a last record lacks, does not count."""
    return _BLANKS.sub(" ", _WORD.sub("a", _NUMBER.sub("0", row))).strip().rstrip(",")


def rebuilt(row: str, rows: Sequence[str]) -> Iterator[tuple[str, bool]]:
    """Yield a record with one small edit after which it is built as most are, and whether a value was invented for it.

    Args:
        row: the record; one that is built as most are stays as it is.
        rows: all records, this one among them.
    """
    usual = usual_build(rows)
    if usual is None:
        return
    if built(row) == usual:
        return
    signs = [sign for sign in dict.fromkeys([*usual, " ", "\t"]) if not sign.isalnum()]
    for other, invented in _edited(row, signs):
        if other != row and built(other) == usual:
            yield other, invented


def _edited(row: str, signs: list[str]) -> Iterator[tuple[str, bool]]:
    for match in _QUOTED.finditer(row):
        yield row[: match.start()] + (match[1] or match[2]) + row[match.end() :], False
    for match in _BARE.finditer(row):
        yield f'{row[: match.start()]}"{match[0]}"{row[match.end() :]}', False
    for match in _DAMAGED.finditer(row):
        yield row[: match.start()] + match[0].translate(_LIKE_DIGITS) + row[match.end() :], False
    for match in _COMMA.finditer(row):
        yield row[: match.start()] + "." + row[match.end() :], False
    for match in _BESIDE.finditer(row):
        yield row[: match.start()] + row[match.end() :], False
    for sign in sorted({sign for sign in row if sign in _SIGNS}):
        for other in _SIGNS:
            if other != sign:
                yield row.replace(sign, other), False
    ends = {0, len(row), *(place for match in _BOUNDARY.finditer(row) for place in match.span())}
    ends |= {match.start() for match in _MEETING.finditer(row)}
    for place in sorted(ends):
        for sign in signs:
            yield row[:place] + sign + row[place:], False
            yield row[:place] + sign + VALUE + row[place:], True
    for place, sign in enumerate(row):
        if not sign.isalnum():
            yield row[:place] + row[place + 1 :], False
            for other in signs:
                yield row[:place] + other + row[place + 1 :], False
