"""The JSON form, `jamkey/1`: docs/jam.schema.json is its schema."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import msgspec

from jamkey.errors import UnreadableInput
from jamkey.follow.sources import Sources
from jamkey.model import Jam, Report

_OBEYED = re.compile(r"[\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069]")


def render(jams: Sequence[Jam], sources: Sources | None = None) -> str:
    """Return the report as indented JSON."""
    del sources  # the jam carries all that this form shows
    return written(Report(jams=tuple(jams)))


def written(value: Any, *, indent: int = 2) -> str:
    """Return a value as JSON and a line end, signs that a terminal could obey as escapes; `indent` 0 takes one line."""
    data = msgspec.json.encode(value)
    text = (msgspec.json.format(data, indent=indent) if indent else data).decode() + "\n"
    return _OBEYED.sub(lambda found: f"\\u{ord(found[0]):04x}", text) if not text.isascii() or "\x7f" in text else text


def parse(text: str | bytes) -> Report:
    """Return the report that a JSON text holds.

    Raises:
        UnreadableInput: it is not of this form.
    """
    try:
        return msgspec.json.decode(text, type=Report)
    except (msgspec.MsgspecError, UnicodeError) as error:
        raise UnreadableInput(f"this is no reading that jamkey saved: {error}") from None
