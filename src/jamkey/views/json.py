"""The JSON form, `jamkey/1`: docs/jam.schema.json is its schema."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from jamkey.follow.sources import Sources
from jamkey.model import Jam, Report


def render(jams: Sequence[Jam], sources: Sources | None = None) -> str:
    """Return the report as indented JSON."""
    del sources  # the jam carries all that this form shows
    return msgspec.json.format(msgspec.json.encode(Report(jams=tuple(jams))), indent=2).decode() + "\n"


def parse(text: str | bytes) -> Report:
    """Return the report that a JSON text holds.

    Raises:
        msgspec.ValidationError: it is not of this form.
    """
    return msgspec.json.decode(text, type=Report)
