"""Joined where numbers should be added: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class JoinedNotAdded(QuietKind):
    """See the module."""

    name = "joined-not-added"
    title = "joined where numbers should be added"
    about = "The sign for adding also joins texts and lists. Two texts 3 and 4 become 34, not 7."
    usual = ("what was typed in or read is text", "two lists were meant to be added item by item")
    avoid = "Turn what comes in into numbers at once."
    example = "morning = [31, 32]\nevening = [1, 2]\ntotal = morning + evening\nprint(total)\n"


KIND = JoinedNotAdded()
