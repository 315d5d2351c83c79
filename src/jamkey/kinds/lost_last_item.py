"""The last item is left out: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class LostLastItem(QuietKind):
    """See the module."""

    name = "lost-last-item"
    title = "the last item is left out"
    about = "A loop or a slice ends one too early. The result looks right and lacks the end."
    usual = ("the end of a range does not belong to it", "a slice leaves the last item out")
    avoid = "Try it with a list of one item."
    example = "weights = [31, 32, 33]\nfor place in range(len(weights) - 1):\n    print(weights[place])\n"


KIND = LostLastItem()
