"""A session copied from a console: a prompt stands before what was typed, and what was printed stands between."""

from __future__ import annotations

import functools
import re
from collections.abc import Iterator

from jamkey.repair.ground import Edit, Ground

#: Before the first line of what is typed, and before those that go on with it.
_BEGINS = re.compile(r"(?:>>>|In \[\d+\]:|octave:\d+>|julia>|jshell>|>>|[>+$])(?: |$)")
#: Of these, what may also begin code, or stand before what a shell was told: what lies between is left as it is.
_UNSURE = ("+", "$")
_GOES_ON = re.compile(r"(?:\.\.\.|[ ]*\.\.\.[:>]|[>+])(?: |$)")
#: Before a value that was printed.
_GIVES = re.compile(r"Out\[\d+\]: ?")
Change = tuple[int, int, str]


def prompt_of(row: str) -> str:
    """Return the prompt with which a line begins, without the blank behind it; empty where there is none."""
    found = _BEGINS.match(row) or _GIVES.match(row)
    return found[0].rstrip() if found is not None else ""


def prompts(ground: Ground) -> Iterator[Edit]:
    """Take out the prompts of a console; with them what it printed, where all of the text was copied from one."""
    changes = beside_the_typed(ground.text)
    if changes:
        yield Edit("alike", *changes[0], 1.0, changes[1:])


@functools.lru_cache(maxsize=16)
def typed(text: str) -> str:
    """Return a text without the prompts of a console and, where all of it was copied from one, without what that printed."""
    made, at = [], 0
    for start, end, new in beside_the_typed(text):
        made += [text[at:start], new]
        at = end
    return "".join([*made, text[at:]])


def beside_the_typed(text: str) -> tuple[Change, ...]:
    """Return what to change in a text that was copied from a console, until only what was typed is left.

    Args:
        text: a source.

    Returns:
        Half-open ranges of characters and what stands there instead, in order; none where no line begins with a prompt.
    """
    bare: list[Change] = []
    whole: list[Change] = []
    begun = entered = False
    all_of_it = True
    at = 0
    for row in text.split("\n"):
        end = at + len(row)
        found = _BEGINS.match(row)
        if found is None and entered:
            found = _GOES_ON.match(row)
        if found is not None:
            all_of_it = all_of_it and (begun or not row.startswith(_UNSURE))
            bare.append((at, at + found.end(), ""))
            whole.append(bare[-1])
            begun = True
        elif row.strip() and not begun:
            all_of_it = False
        elif row.strip():
            whole.append((at, min(end + 1, len(text)), ""))
            if _GIVES.match(row):
                bare.append(whole[-1])
        entered = found is not None
        at = end + 1
    return tuple(whole if all_of_it else bare)
