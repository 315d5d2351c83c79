"""What an edit is called, from what stands there and what will."""

from __future__ import annotations

from jamkey.text import shorten

_LONGEST = 60


def title_of(before: str, after: str, file: str, line: int) -> str:
    """Return what an edit of one place does, in words."""
    before, after = (shorten(" ".join(text.split()), _LONGEST) for text in (before, after))
    where = f"on line {line} of {file}"
    if not before:
        return f"Put in `{after}` {where}"
    return f"Write `{after}` instead of `{before}` {where}" if after else f"Leave out `{before}` {where}"
