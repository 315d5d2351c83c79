"""A program that did not end, of a runtime that tells nothing when it is stopped: the loop that its source shows."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence

from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.model import Frame, Jam

_LOOP = re.compile(r"^\s*(?:\}\s*)?(?:while|for|do|repeat|loop)\b")
_WORD = re.compile(r"[A-Za-z_]\w*")


def loop_in_source(runtime: str, sources: Sources, words: Sequence[str]) -> list[Jam]:
    """Return a hang at the loop that is likeliest not to end, none when the source has no loop.

    Args:
        runtime: that ran.
        sources: of the project.
        words: the command; a file that it names comes first.
    """
    best: tuple[int, str, int] | None = None
    named = {os.path.basename(word) for word in words}
    for name in sources.files():
        language = language_of(name)
        code = sources.code(name, runtime) if language is not None and language.name == runtime else None
        if code is None:
            continue
        rows = code.text.split("\n")
        for number, row in enumerate(rows, 1):
            if not _LOOP.match(row):
                continue
            body = "\n".join(rows[number : number + 20])
            score = (2 if os.path.basename(name) in named else 0) + (3 if "while" in row else 0)
            condition = set(_WORD.findall(row)) - {"while", "for", "if"}
            if not any(re.search(rf"\b{re.escape(word)}\s*(?:[-+*/%]?=(?!=)|\+\+|--|<-|:=)", body) for word in condition):
                score += 4
            if re.search(r"(?m)^[ \t]*(?:lo\w*|left|start|begin)\s*(?:=|<-)\s*mid\w*\s*;?\s*$", body):
                score += 5
            if best is None or score > best[0]:
                best = (score, name, number)
    if best is None:
        return []
    code = sources.code(best[1], runtime)
    function = (code.scope_at(best[2]) or None) if code is not None else None
    return [Jam(runtime=runtime, phase="hang", kind="endless", frames=(Frame(file=best[1], line=best[2], function=function),))]
