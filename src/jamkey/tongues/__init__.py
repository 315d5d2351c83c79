"""What a runtime printed in the user's own language, turned back into its English words.

A runtime that prints translated messages has them in catalogues, an open format, on the machine it is installed on. The
words that lay a failure out ("Error in", "Execution halted") are known here for many languages, so that a failure and
its place are found without a catalogue too.
"""

from __future__ import annotations

from typing import NamedTuple

from jamkey.languages.traits import runtimes_that
from jamkey.tongues.layouts import language_of, of_user

#: Characters of a text that is turned, and lines of it.
_MOST, _MOST_LINES = 2_000_000, 20_000


class Turned(NamedTuple):
    """A text in English."""

    text: str
    #: The language it was in, as catalogues name it.
    language: str
    #: What was turned: English message -> as printed.
    own: dict[str, str]


def turned(text: str) -> Turned | None:
    """Return a text in the runtime's English words; None where no failure in it is laid out in another language.

    Args:
        text: what was printed; lines stay what they are one by one.
    """
    if len(text) > _MOST:
        return None
    for tells in (language_of, of_user):
        for runtime in runtimes_that("translated"):
            language = tells(text, runtime)
            if language is not None:
                from jamkey.tongues.turning import Turning

                turning = Turning(runtime, language)
                return Turned(turning.turn(text, _MOST_LINES), language, turning.own)
    return None
