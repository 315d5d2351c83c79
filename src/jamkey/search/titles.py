"""What an edit is called, from what stands there and what will."""

from __future__ import annotations

from jamkey.text import shorten

_LONGEST = 60


def title_of(before: str, after: str, file: str, line: int) -> str:
    """Return what an edit of one place does, in words."""
    rows = [row.strip() for row in before.strip().split("\n")]
    if len(rows) == 2 and [row.strip() for row in after.strip().split("\n")] == rows[::-1]:
        return f"Move `{shorten(rows[1], _LONGEST)}` in front of `{shorten(rows[0], _LONGEST)}`, line {line} of {file}"
    inset = [len(text) - len(text.lstrip(" \t")) for text in (before, after)]
    before, after = (shorten(" ".join(text.split()), _LONGEST) for text in (before, after))
    if before == after and before and inset[0] != inset[1]:
        return (
            f"Move `{before}` {'into the block above it' if inset[1] > inset[0] else 'out of its block'}, line {line} of {file}"
        )
    where = f"on line {line} of {file}"
    if not before:
        return f"Put in `{after}` {where}"
    return f"Write `{after}` instead of `{before}` {where}" if after else f"Leave out `{before}` {where}"
