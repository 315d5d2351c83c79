"""A session copied from a console: a prompt stands before what was typed, and what was printed stands between."""

from __future__ import annotations

import functools
import re
from collections.abc import Iterator
from typing import NamedTuple

from jamkey.repair.ground import Edit, Ground


class Console(NamedTuple):
    """What one console writes at the beginning of a line."""

    #: Before the first line of what is typed.
    begins: re.Pattern[str]
    #: Before those that go on with it.
    goes_on: re.Pattern[str] | None = None
    #: Before a value that it prints.
    gives: re.Pattern[str] | None = None


def _console(begins: str, goes_on: str, gives: str = "") -> Console:
    return Console(
        re.compile(rf"(?:{begins})(?: |$)"),
        re.compile(rf"(?:{goes_on})(?: |$)"),
        re.compile(rf"(?:{gives})(?: |$)") if gives else None,
    )


#: Language -> its consoles.
_CONSOLES = {
    "python": (_console(r">>>", r"\.\.\."), _console(r"In \[\d+\]:", r" *\.\.\.:", r"Out\[\d+\]:")),
    "octave": (_console(r"octave:\d+>", r">"), _console(r">>", r">>|>")),
    "julia": (_console(r"julia>", r" {6}"),),
    "java": (_console(r"jshell>", r" *\.\.\.>"),),
    "r": (_console(r">", r"\+"),),
    "lua": (_console(r">", r">>"),),
    "javascript": (_console(r">", r"\.\.\."),),
    "typescript": (_console(r">", r"\.\.\."),),
}
#: What stands before the lines of an answered mail, of a difference, of what a shell is told: what lies between is not known.
_AHEAD = Console(re.compile(r"[>+$](?: |$)"))
Change = tuple[int, int, str]


def prompt_of(row: str) -> str:
    """Return the prompt with which a line begins, without the blank behind it; empty where none does that is nothing else."""
    found = (console.begins.match(row) for consoles in _CONSOLES.values() for console in consoles)
    prompts = (match[0].rstrip() for match in found if match is not None)
    return next((prompt for prompt in prompts if len(prompt) > 1), "")


def prompts(ground: Ground) -> Iterator[Edit]:
    """Take out the prompts of a console; with them what it printed, where all of the text was copied from one."""
    changes = beside_the_typed(ground.text, ground.language.name)
    if changes:
        yield Edit("alike", *changes[0], 1.0, changes[1:])


@functools.lru_cache(maxsize=16)
def typed(text: str, language: str) -> str:
    """Return a text without the prompts of a console and, where all of it was copied from one, without what that printed."""
    made, at = [], 0
    for start, end, new in beside_the_typed(text, language):
        made += [text[at:start], new]
        at = end
    return "".join([*made, text[at:]])


def beside_the_typed(text: str, language: str) -> tuple[Change, ...]:
    """Return what to change in a text that was copied from a console, until only what was typed is left.

    Args:
        text: a source.
        language: name of its language.

    Returns:
        Half-open ranges of characters and what stands there instead, in order; none where no line begins with a prompt.
    """
    rows = text.split("\n")
    known = (*_CONSOLES.get(language, ()), _AHEAD)
    console = next((one for one in known if any(one.begins.match(row) for row in rows)), None)
    if console is None:
        return ()
    bare: list[Change] = []
    whole: list[Change] = []
    all_of_it = console is not _AHEAD
    entered = False
    at = 0
    for row in rows:
        end = at + len(row)
        found = console.begins.match(row)
        if found is None and entered and console.goes_on is not None:
            found = console.goes_on.match(row)
        if found is not None:
            bare.append((at, at + found.end(), ""))
            whole.append(bare[-1])
        elif row.strip():
            all_of_it = all_of_it and bool(whole)
            whole.append((at, min(end + 1, len(text)), ""))
            if bare and console.gives is not None and console.gives.match(row):
                bare.append(whole[-1])
        entered = found is not None
        at = end + 1
    return tuple(whole if all_of_it else bare)
