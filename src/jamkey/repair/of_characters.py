"""Edits of characters, as fingers slip: two exchanged, a neighbour on the keyboard, a sign left out between two names."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.repair.ground import COST, Edit, Ground
from jamkey.repair.lex import classes, lex

#: Sign -> what is hit for it beside it, or without the shift key; on American and on German keyboards.
_BESIDE = {
    "(": "98*)[",
    ")": "09(_",
    "[": "pP]({o",
    "]": "[\\}=",
    "{": "[P}7",
    "}": "]{|0",
    "'": ';"lL:\\#',
    '"': "':2{L",
    ",": "mM.<;",
    ".": ",/>l:",
    ":": ";lLpP.'",
    ";": ":l'L,",
    "=": "-+0",
    "-": "=0_pP",
    "+": "=_*-",
    "*": "8(&+",
    "/": ".?;7",
    "_": "-+)",
    "<": ",>mM",
    ">": ".<?",
    "%": "5$^",
    "#": "3@$",
}
_MEANT: dict[str, str] = {}
for _sign, _hit in _BESIDE.items():
    for _other in _hit:
        _MEANT[_other] = _MEANT.get(_other, "") + _sign
#: What may be left out between two names.
_LEFT_OUT = "([.{"
#: How far off a line is at most, and so many edits of its characters, those that leave the most usual line.
_FAR, _MOST = 1.5, 60
_LONGEST = 200
#: What such an edit costs more than the same of a whole token.
_MORE = 1.0


def characters(ground: Ground) -> Iterator[Edit]:
    """Yield the edits of characters on the nearest lines that leave the most usual tokens."""
    made: list[tuple[float, Edit]] = []
    for line, off in ground.lines.items():
        row = ground.rows[line - 1]
        if off > _FAR or len(row) > _LONGEST or not row.strip():
            continue
        begin = ground.starts[line - 1]
        stop = begin + len(row)
        within = _without_code(ground, line)
        plain = _cost(ground, row)
        for at in range(begin, stop):
            if at in within:
                continue
            for edit in (*_exchanged(ground, at, stop), *_neighbours(ground, at, off), *_left_out(ground, at)):
                first, last = ground.text.rfind("\n", 0, edit.start) + 1, ground.text.find("\n", edit.end)
                last = last if last >= 0 else len(ground.text)
                before = plain if first == begin and last == begin + len(row) else _cost(ground, ground.text[first:last])
                after = _cost(ground, ground.text[first : edit.start] + edit.new + ground.text[edit.end : last])
                made.append((after - before, edit._replace(cost=edit.cost + after - before + off + _MORE)))
    made.sort(key=lambda item: item[0])
    yield from (edit for _, edit in made[:_MOST])


def _without_code(ground: Ground, line: int) -> set[int]:
    """Return the places of a line in texts and comments, where a sign is only a sign; a text's quotes are not among them."""
    found: set[int] = set()
    for token in ground.tokens:
        if token.sort in ("text", "comment") and token.line <= line <= token.line + token.text.count("\n"):
            inner = 1 if token.sort == "text" else 0
            found.update(range(token.start + inner, token.end - 2 * inner))
    return found


def _exchanged(ground: Ground, at: int, stop: int) -> Iterator[Edit]:
    text = ground.text
    one, other = text[at : at + 1], text[at + 1 : at + 2]
    if at + 1 == stop and text[stop : stop + 1] == "\n":
        # the end of the line came a character early, or late
        below = text[stop + 1 : stop + 2]
        if below and not below.isspace():
            yield Edit("exchange", stop, stop + 2, f"{below}\n", COST["swap"])
        if one == " " or (below and not below.isspace()):
            yield Edit("exchange", at, stop + 1, f"\n{one}", COST["swap"])
    elif at + 1 < stop and one != other and not (_is_word(one) and _is_word(other)):
        first, last = _word_around(text, at)[0], _word_around(text, at + 2)[1]
        yield Edit("exchange", first, last, f"{text[first:at]}{other}{one}{text[at + 2 : last]}", COST["swap"])


def _neighbours(ground: Ground, at: int, off: float) -> Iterator[Edit]:
    text = ground.text
    sign = text[at]
    if _is_word(sign) and _is_word(text[at - 1 : at]) and _is_word(text[at + 1 : at + 2]):
        # within a word only where reading stopped, between two words
        first, last = _word_around(text, at)
        if off > 0.5 or not (_is_known(ground, text[first:at]) and _is_known(ground, text[at + 1 : last])):
            return
    for meant in _MEANT.get(sign, ""):
        yield Edit("neighbour", at, at + 1, meant, COST["replace"])


def _left_out(ground: Ground, at: int) -> Iterator[Edit]:
    """A sign between two names, of which one word was left."""
    text = ground.text
    if not (at and _is_word(text[at]) and _is_word(text[at - 1])):
        return
    first, last = _word_around(text, at)
    if _is_known(ground, text[first:at]):
        more = 0.0 if _is_known(ground, text[at:last]) else 1.0
        for sign in _LEFT_OUT:
            yield Edit("insert", at, at, sign, COST["insert"] + more)


def _is_known(ground: Ground, word: str) -> bool:
    return word in ground.names or word in ground.language.builtins


def _word_around(text: str, at: int) -> tuple[int, int]:
    """Return the ends of the word at a place."""
    first, last = at, at
    while first and _is_word(text[first - 1]):
        first -= 1
    while _is_word(text[last : last + 1]):
        last += 1
    return first, last


def _is_word(sign: str) -> bool:
    return sign.isalnum() or sign == "_"


def _cost(ground: Ground, row: str) -> float:
    tokens = [token for token in lex(row + "\n", ground.language.style) if token.sort != "comment"]
    words = ["L", "L", *classes(tokens, ground.language.keywords, row + "\n")]
    odd = sum(token.sort in ("quote", "odd") for token in tokens)
    return (ground.usual.of(words) if ground.usual.all else 0.0) + 4.0 * odd
