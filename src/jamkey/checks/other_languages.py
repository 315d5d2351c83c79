"""Sources of other languages, by their tokens: brackets, quotes and blocks, and names that are nearly another."""

from __future__ import annotations

import os
import re

from jamkey.follow.similar import Neighbours, nearest
from jamkey.languages import ENDINGS, SHELF
from jamkey.languages.scan import scan
from jamkey.languages.tokens import TokenCode
from jamkey.model import Edit, Finding

_WORD = re.compile(r"[A-Za-z_]\w{3,}")


def check_other(text: str, name: str) -> list[Finding]:
    """Return unpaired brackets and quotes, else names that stand once and are nearly one that stands often."""
    language = SHELF.get(ENDINGS[os.path.splitext(name)[1].lower()])
    scanned = scan(text, language.style)
    found: list[Finding] = []
    for mark in (*scanned.open_quotes[:1], *scanned.unclosed[:2]):
        found.append(
            Finding(
                file=name,
                line=mark.line,
                column=mark.column,
                rule="grammar",
                kind="broken-syntax",
                reason=f"the `{mark.text}` here is never closed",
            )
        )
    for opener, closer in scanned.mismatched[:2]:
        place = closer if opener is None else opener
        reason = (
            f"nothing opens the `{closer.text}` here"
            if opener is None
            else f"the `{opener.text}` here meets `{closer.text}` on line {closer.line}"
        )
        found.append(
            Finding(file=name, line=place.line, column=place.column, rule="grammar", kind="broken-syntax", reason=reason)
        )
    if found:
        return found
    code = language.code(text)
    if not isinstance(code, TokenCode):
        return []
    spots: dict[str, list[tuple[int, int]]] = {}
    for token in code.tokens:
        if token.sort == "name" and _WORD.fullmatch(token.text):
            spots.setdefault(token.text, []).append((token.span.line, token.span.column))
    defined = {definition.name for definition in code.definitions()} | {function.name for function in code.functions()}
    # a large source has thousands of names: those a slip apart are looked up, never searched
    near = Neighbours(name for name in defined if len(spots.get(name, ())) >= 2)
    for word, places in spots.items():
        if len(places) > 1 or word in language.builtins or word in language.keywords or word in defined:
            continue
        alike = nearest(word, [other for other in near.of(word) if other.lower() != word.lower()], most=1, least=0.92)
        if not alike or alike[0][0].rstrip("s") == word.rstrip("s"):
            continue
        line, column = places[0]
        edit = Edit(file=name, line=line, column=column, end_line=line, end_column=column + len(word), new_text=alike[0][0])
        found.append(
            Finding(
                file=name,
                line=line,
                column=column,
                end_line=line,
                end_column=column + len(word),
                rule="names-never-defined",
                kind="unknown-name",
                reason=f"`{word}` stands only here; `{alike[0][0]}` is nearly the same",
                title=f"Write `{alike[0][0]}`",
                edits=(edit,),
            )
        )
    return found
