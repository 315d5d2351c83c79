"""What holds a second run in its folders, on this system: nothing outside is changed, no network, no other process is reached.

Linux holds by itself (`agents/held.py`: Landlock, namespaces), macOS by its own sandbox. Python's agent refuses besides,
on every system, and says what it refused. Where the system offers nothing, nothing is run twice unless somebody has said so.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import Protocol

from jamkey import system


class Holder(Protocol):
    """One system's way of holding a program."""

    def command(self, argv: Sequence[str], executable: str, writable: Sequence[str]) -> tuple[list[str], str]:
        """Return (command, file to start) that runs the program held.

        Args:
            argv: the program's full command.
            executable: the file it starts.
            writable: folders it may write to.
        """
        ...


def native() -> bool:
    """Tell whether our own launcher minds and holds programs here: it also ends all that they have started."""
    return sys.platform == "linux" and not system.PLAIN


def holder() -> Holder | None:
    """Return what holds programs where our launcher does not; None where nothing does."""
    if sys.platform == "darwin" and not system.PLAIN:
        from jamkey.observe.sandbox.macos import Profile

        return Profile() if Profile.is_there() else None
    return None


def can_hold() -> bool:
    """Tell whether a program can be held here at all."""
    return native() or holder() is not None
