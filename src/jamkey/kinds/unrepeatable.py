"""A result that is another one in each run: nothing is raised."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.nothing_raised import QuietKind


class Unrepeatable(QuietKind):
    """See the module."""

    name = "unrepeatable"
    title = "a result that is another one in each run"
    about = (
        "The same program with the same input printed something else when it was run again: chance, the clock, or an order "
        "that nothing fixes takes part."
    )
    usual = (
        "numbers are drawn at random, and no seed is set before",
        "the items of a set are gone over in whatever order they lie",
        "the time, a new file's name or the order of a folder is part of the result",
    )
    avoid = "Set a seed once at the top, sort what has no order of its own, and keep times out of the result."
    example = "import random\n\nkilos = random.gauss(31, 2)\nprint(kilos)\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Say what it means, and that it may be meant."""
        found = super().diagnose(scene)
        found.meaning += " Only you know whether it is meant."
        found.look_at = "If each run should give the same, see to it on this line or above it: a seed, or an order."
        return found


KIND = Unrepeatable()
