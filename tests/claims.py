"""Claims that the sentences of a reading make about values, held against the values that were captured."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import msgspec

from jamkey.kinds.claims import claims, has_hole
from jamkey.model import Jam

#: What a writer leaves behind besides holes.
_LOOSE = re.compile(r": *$|  ")


def texts_of(jam: Jam) -> Iterator[tuple[str, str]]:
    """Yield (place, text) of everything a reading says in words."""
    yield "meaning", jam.meaning or ""
    yield "look_at", jam.look_at or ""
    for cause in jam.causes:
        yield "cause", cause
    for root in jam.roots:
        yield "root", root.reason
    for key in jam.keys:
        yield "title", key.title
        yield "reason", key.reason


def judged(told: dict[str, Any]) -> dict[str, list[str]]:
    """Return what is wrong in a reading: contradictions and empty slots, and how many claims were held against values."""
    jam = msgspec.convert(told, Jam)
    found: dict[str, list[str]] = {"claims": [], "contradictions": [], "empty": []}
    for place, text in texts_of(jam):
        if has_hole(text) or _LOOSE.search(re.sub(r"`[^`]+`", "`x`", text)):
            found["empty"].append(f"{place}: {text}")
        for words, value, borne in claims(text, jam.frames):
            found["claims"].append(words)
            if not borne:
                found["contradictions"].append(f"{place}: {text} | {value.name} = {value.type} {value.text[:60]}")
    return found
