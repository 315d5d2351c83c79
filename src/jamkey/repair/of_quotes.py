"""Edits of quotes, and of signs that are not the language's own."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.scan import Style, pieces, scan
from jamkey.repair.ground import COST, Edit, Ground

#: Signs that look like others, and what is meant.
LOOK_ALIKES = {
    sign: meant
    for meant, signs in {
        '"': "\u201c\u201d\u201e\xab\xbb",
        "'": "\u2018\u2019\u201a\u2032\xb4",
        "-": "\u2013\u2014\u2212",
        "*": "\xd7",
        "/": "\xf7",
        "<=": "\u2264",
        ">=": "\u2265",
        "!=": "\u2260",
        "(": "\uff08",
        ")": "\uff09",
        ",": "\uff0c\u3001",
        ":": "\uff1a",
        ";": "\uff1b\u037e",
        "=": "\uff1d",
        "[": "\u3010\uff3b",
        "]": "\u3011\uff3d",
        "{": "\uff5b",
        "}": "\uff5d",
        "...": "\u2026",
        " ": "\xa0\u2003\u3000\u2009\u202f",
        "": "\u200b\ufeff\u2060",
    }.items()
    for sign in signs
}
_MARKER = re.compile(r"^(?:<{7}|={7}|>{7}|\|{7})[^\n]*\n?", re.M)
#: A row that ends, or begins, in two quotes and not three.
_SHORT_ROW = re.compile(r"(?<!\")\"\"[ \t]*$|^[ \t]*\"\"(?!\")|(?<!')''[ \t]*$|^[ \t]*''(?!')", re.M)


def alike(ground: Ground) -> Iterator[Edit]:
    """Signs that look like the language's own, marks of a merge."""
    for line, off in ground.lines.items():
        begin, end = ground.starts[line - 1], ground.starts[line] - 1
        row = ground.text[begin:end]
        odd = [place for place, sign in enumerate(row) if sign in LOOK_ALIKES]
        if odd:
            new = "".join(LOOK_ALIKES.get(sign, sign) for sign in row)
            yield Edit("alike", begin, end, new, COST["alike"] + off)
            for place in odd:
                yield Edit("alike", begin + place, begin + place + 1, LOOK_ALIKES[row[place]], 0.5 + off)
    found = [(match.start(), match.end(), "") for match in _MARKER.finditer(ground.text)]
    if found:
        yield Edit("alike", *found[0], 1.0, tuple(found[1:]))
    if ground.python and "\t" in ground.text:
        spaced = "\n".join(ground.indent(n).expandtabs(4) + row.lstrip(" \t") for n, row in enumerate(ground.rows, 1))
        yield Edit("alike", 0, len(ground.text), spaced, 1.0)
        spaced = "\n".join(ground.indent(n).expandtabs(8) + row.lstrip(" \t") for n, row in enumerate(ground.rows, 1))
        yield Edit("alike", 0, len(ground.text), spaced, 1.5)


def _inside(ground: Ground, begin: int, row: str, off: float) -> Iterator[Edit]:
    """A brace is missing, or one too many, in a text that is filled in."""
    if row.count("{") == row.count("}") or not re.search(r"[fF$`]['\"`]?", row):
        return
    for match in re.finditer(r"(?<=\w)(?=[ !,.'\"`])|(?<=\w)$", row):
        if row.count("{", 0, match.start()) > row.count("}", 0, match.start()):
            yield Edit("insert", begin + match.start(), begin + match.start(), "}", COST["insert"] + off + 0.5)
    for match in re.finditer(r"[{}]", row):
        yield Edit("delete", begin + match.start(), begin + match.end(), "", COST["delete"] + off)


def short_ends(text: str, style: Style) -> Iterator[Edit]:
    """Give a text over several lines the sign that one of its ends lacks: a row within it that ends in all but one of them."""
    if not _SHORT_ROW.search(text):
        return
    for piece in pieces(text, style):
        short = piece.mark[1:]
        if (
            piece.sort != "text"
            or piece.mark not in style.long_quotes
            or len(piece.mark) < 3
            or text.find("\n", piece.start, piece.end) < 0
        ):
            continue
        head = text[text.rfind("\n", 0, piece.start) + 1 : piece.start]
        opened = len(head) - len(head.lstrip())
        if head.startswith(short, opened) and not head.startswith(piece.mark, opened):
            at = piece.start - len(head) + opened
            yield Edit("insert", at, at, piece.mark[0], COST["insert"])
        at = piece.start
        for row in text[piece.start : piece.end].split("\n"):
            end = at + len(row.rstrip())
            if row.rstrip().endswith(short) and text[end - len(short) - 1 : end - len(short)] != piece.mark[0]:
                yield Edit("insert", end, end, piece.mark[0], COST["insert"])
            at += len(row) + 1


def quotes(ground: Ground) -> Iterator[Edit]:
    """Close a quote at the end of a token, open one before a token, leave one out."""
    style = ground.language.style
    yield from short_ends(ground.text, style)
    for mark in scan(ground.text, style).open_quotes[-2:]:
        if mark.text in style.long_quotes:
            for line in range(mark.line, min(mark.line + 12, len(ground.rows)) + 1):
                end = ground.starts[line - 1] + len(ground.rows[line - 1].rstrip())
                yield Edit("insert", end, end, mark.text, COST["insert"] + 0.5 * (line - mark.line))
                if not ground.rows[line - 1].strip():
                    at = ground.starts[line - 1]
                    yield Edit("line", at, at, ground.indent(mark.line) + mark.text, COST["insert"] + 0.5 * (line - mark.line))
    for line, off in ground.lines.items():
        begin, end = ground.starts[line - 1], ground.starts[line] - 1
        row = ground.text[begin:end]
        quotes = [quote for quote in style.sure_quotes if len(quote) == 1]
        yield from _inside(ground, begin, row, off)
        for quote in quotes:
            # the text holds the sign that it stands between
            first, last = row.find(quote), row.rfind(quote)
            other = next((sign for sign in quotes if sign != quote and sign not in row), "")
            if row.count(quote) >= 3 and other:
                yield Edit(
                    "replace",
                    begin + first,
                    begin + first + 1,
                    other,
                    COST["replace"] + off,
                    ((begin + last, begin + last + 1, other),),
                )
        used = [quote for quote in quotes if row.count(quote) % 2]
        for quote in used:
            stop = len(row.rstrip())
            yield Edit("insert", begin + stop, begin + stop, quote, COST["insert"] + off + 0.5)
            for match in re.finditer(r"[)\]},;:.+ ]|\b", row):
                at = match.start()
                behind = row[at : at + 1]
                likely = 0.6 if behind in (")", "]", ",", "}", ";", ":", "+", ".") else 2.2 if behind in ("", " ") else 3.0
                tail = 1.2 if not row[at:].strip(")]},;: ") else 2.0
                yield Edit("insert", begin + at, begin + at, quote, COST["insert"] + off + likely + tail - 0.5)
            for match in re.finditer(r"(?<![\w%.])[\w%./<-]|(?<=[\s(,=+\[{:])[^\s\w]", row):
                yield Edit("insert", begin + match.start(), begin + match.start(), quote, COST["insert"] + off + 2.0)
            for match in re.finditer(re.escape(quote), row):
                yield Edit("delete", begin + match.start(), begin + match.start() + 1, "", COST["delete"] + off)
                for other in quotes:
                    if other != quote:
                        yield Edit("replace", begin + match.start(), begin + match.start() + 1, other, COST["replace"] + off)
                escaped = style.escape + quote if style.escape else quote
                if (
                    style.escape
                    and match.start()
                    and row[match.start() - 1].isalpha()
                    and row[match.end() : match.end() + 1].isalpha()
                ):
                    yield Edit("insert", begin + match.start(), begin + match.start() + 1, escaped, COST["insert"] + off + 1.0)
