"""Patterns that are compiled when they are first asked: most of a long list are not, in any one reading."""

from __future__ import annotations

import re
from typing import Any, cast


class _Late:
    """Stands for a compiled pattern until something of it is wanted; then it has what that has."""

    def __init__(self, text: str, flags: int) -> None:
        self._text = text
        self._flags = flags

    def __getattr__(self, name: str) -> Any:
        found = getattr(re.compile(self._text, self._flags), name)
        setattr(self, name, found)  # the next time it is there
        return found


def pattern(text: str, flags: int = 0) -> re.Pattern[str]:
    """Return what `re.compile` returns, but for the time that takes; use its methods, not the functions of `re`.

    Raises:
        re.error: the text is no pattern, told at first use.
    """
    return cast("re.Pattern[str]", _Late(text, flags))
