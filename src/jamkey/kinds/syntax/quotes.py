"""Text literals: not closed, closed by another quote, typographic quotes and other look-alike characters, f-strings."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.kinds.syntax.sheet import Page, Suggestion

#: Characters that look like those of program text, and what they stand for.
LOOK_ALIKES = {
    "“": '"',
    "”": '"',
    "„": '"',
    "«": '"',
    "»": '"',
    "‘": "'",
    "’": "'",
    "‚": "'",
    "`": "'",
    "´": "'",
    "–": "-",
    "—": "-",
    "−": "-",
    "×": "*",
    "·": "*",
    "÷": "/",
    "≤": "<=",
    "≥": ">=",
    "≠": "!=",
    "…": "...",
    "\u00a0": " ",
    "\u2003": " ",
    "\u2009": " ",
    "\u3000": " ",
    "\u200b": "",
    "\ufeff": "",
    "；": ";",
    "：": ":",
    "，": ",",
    "（": "(",
    "）": ")",
    "＝": "=",
    "。": ".",
}


def suggest(page: Page) -> Iterator[Suggestion]:
    """Propose closing quotes, straight quotes and mended f-strings."""
    yield from _look_alikes(page)
    for mark in page.scan.open_quotes[:3]:
        if len(mark.text) == 3 or mark.text == "`":
            yield from _long(page, mark.line, mark.text)
        else:
            yield from _short(page, mark.line, mark.column, mark.text)
    if page.is_python:
        yield from _inside_formatted(page)


def _look_alikes(page: Page) -> Iterator[Suggestion]:
    rows = [n for n in range(1, len(page.rows) + 1) if any(c in LOOK_ALIKES and c not in "`" for c in page.row(n))]
    if page.line not in rows and "character" not in page.message:
        return
    edits = []
    changed: set[str] = set()
    for number in rows if page.line in rows else rows[:1]:
        row = page.row(number)
        if number != page.line and not _outside_text(row):
            continue
        for at, character in enumerate(row, 1):
            if character in LOOK_ALIKES and character != "`" and (number == page.line or character in "“”‘’"):
                edits.append(page.edit(number, at, at + 1, LOOK_ALIKES[character]))
                changed.add(character)
    if edits:
        first = sorted(changed)[0]
        yield Suggestion(
            "plain-characters",
            f"Replace `{first}` by the plain `{LOOK_ALIKES[first]}`",
            "it looks alike, but it is another character (word processors and web pages put it in)",
            tuple(edits),
            page.line,
        )


def _outside_text(row: str) -> bool:
    """Tell whether a look-alike quote stands outside of plain quotes on the row."""
    plain = re.sub(r"\"[^\"]*\"|'[^']*'", "", row)
    return any(character in plain for character in "“”‘’")


def _short(page: Page, line: int, column: int, quote: str) -> Iterator[Suggestion]:
    """Close a one-line text: before the closing punctuation at the end of the line, or at its end."""
    row = page.row(line)
    reason = f"the {quote} at column {column} of line {line} is not closed on that line"
    other = "'" if quote == '"' else '"'
    inside = row[column:]
    end = len(row.rstrip())
    at = end
    closers = 0
    while at > column and row[at - 1] in ",;:)]} ":
        at -= 1
        closers += 1
    if inside.rstrip(",;:)]} ").endswith(other):
        place = column + len(inside.rstrip(",;:)]} "))
        yield Suggestion(
            "same-quote",
            f"End the text on line {line} with {quote}, as it began",
            f"it begins with {quote} and ends with {other}",
            (page.edit(line, place, place + 1, quote),),
            line,
        )
        yield Suggestion(
            "same-quote-start",
            f"Begin the text on line {line} with {other}, as it ends",
            f"it begins with {quote} and ends with {other}",
            (page.edit(line, column, column + 1, other),),
            line,
        )
    # an apostrophe inside single quotes: the text itself goes on behind it
    if quote == "'" and row.count("'") == 3 and row.count('"') == 0:
        first, last = row.find("'"), row.rfind("'")
        yield Suggestion(
            "other-quotes",
            f"Put the text on line {line} in double quotes",
            "it holds an apostrophe",
            (page.edit(line, first + 1, first + 2, '"'), page.edit(line, last + 1, last + 2, '"')),
            line,
        )
    for rank, comma in enumerate([place for place in range(row.find(quote) + 1, column) if row[place] in ",:)]"]):
        yield Suggestion(
            "close-quote-inside",
            f"Close the text on line {line} with {quote} at column {comma + 1}",
            "a text before it is not closed, so all quotes after it are the wrong way round",
            (page.put(line, comma + 1, quote),),
            line,
            rank=rank,
        )
    known = _names_of(page, line)
    for rank, match in enumerate(re.finditer(r"\.[a-z_]+\(|, ?[A-Za-z_]|\)|\]|:| [+*%] ", row[column:])):
        place = column + match.start()
        following = re.findall(r"(?<![.\w\"'])[A-Za-z_]\w*", row[place:])
        if place < at and place > column and all(word in known for word in following) and (following or match[0][0] == "."):
            # what follows is code: every name in it is one of this program's
            yield Suggestion(
                "close-quote-before-code",
                f"Close the text on line {line} with {quote} before `{row[place : place + 12].strip()}`",
                "what follows reads as code",
                (page.put(line, place + 1, quote),),
                line,
                rank=rank,
            )
    places = dict.fromkeys(range(at, end + 1))
    for rank, place in enumerate(places):
        # the fewest punctuation marks inside the text that still make the brackets pair up: tried in order
        yield Suggestion(
            "close-quote",
            f"Close the text on line {line} with {quote}",
            reason,
            (page.put(line, place + 1, quote),),
            line,
            rank=rank,
        )


def _names_of(page: Page, line: int) -> set[str]:
    """Return the words that stand as names in the other lines, and the language's own."""
    words: set[str] = set(page.language.builtins) | set(page.language.keywords)
    for number in range(1, min(len(page.rows), 3000) + 1):
        if number != line:
            words |= set(re.findall(r"[A-Za-z_]\w*", re.sub(r"\"[^\"]*\"|'[^']*'|#.*", "", page.row(number))))
    return words


def _long(page: Page, line: int, quote: str) -> Iterator[Suggestion]:
    """Close a text that may run over lines: at the end of its first line, then below."""
    reason = f"the {quote} on line {line} is never closed"
    row = page.row(line).rstrip()
    yield Suggestion(
        "close-long-text",
        f"Close the text at the end of line {line} with {quote}",
        reason,
        (page.put(line, len(row) + 1, quote),),
        line,
    )
    number = line + 1
    while number <= len(page.rows) and page.row(number).strip():
        text = page.row(number).rstrip()
        yield Suggestion(
            "close-long-text-below",
            f"Close the text at the end of line {number} with {quote}",
            reason,
            (page.put(number, len(text) + 1, quote),),
            line,
        )
        number += 1
    if number - 1 > line:
        last = number - 1
        yield Suggestion(
            "close-long-text-own-line",
            f"Close the text with {quote} on a line of its own below line {last}",
            reason,
            (page.line_below(last, page.indent(line) + quote),),
            line,
        )


def _inside_formatted(page: Page) -> Iterator[Suggestion]:
    """Mend f-strings: inner quotes of the same sort, a brace that is not closed, a single closing brace."""
    for line in page.near():
        row = page.row(line)
        start = re.search(r"""\b[fF][rR]?(?=["'])|\b[rR][fF](?=["'])""", row)
        if start is None:
            continue
        opening = start.end()
        quote = row[opening]
        other = "'" if quote == '"' else '"'
        last = row.rfind(quote)
        body = row[opening + 1 : last]
        if quote in body and last > opening:
            edits = tuple(page.edit(line, opening + 2 + at, opening + 3 + at, other) for at, c in enumerate(body) if c == quote)
            if other not in body:
                yield Suggestion(
                    "inner-quotes",
                    f"Use {other} inside the text on line {line}",
                    f"the text itself is in {quote}; before Python 3.12 the same quote cannot stand inside it",
                    edits,
                    line,
                )
        depth = 0
        brace = -1
        for at, character in enumerate(body):
            if character == "{":
                depth += 1
                brace = at
            elif character == "}":
                depth -= 1
        if depth > 0 and brace >= 0:
            spec = re.match(r"[^\s\"':]+(?::[^\s\"'}]*)?", body[brace + 1 :])
            ends = [brace + 1 + spec.end()] if spec else []
            ends.append(len(body.rstrip()))
            for rank, place in enumerate(dict.fromkeys(ends)):
                yield Suggestion(
                    "close-brace",
                    f"Close the brace in the text on line {line}",
                    "each { in an f-string needs its }",
                    (page.put(line, opening + 2 + place, "}"),),
                    line,
                    rank=rank,
                )
        elif depth < 0:
            at = body.find("}")
            yield Suggestion(
                "double-brace",
                f"Write }}}} for a brace that is meant as text on line {line}",
                "a single } has no { to close",
                (page.put(line, opening + 2 + at, "}"),),
                line,
            )
