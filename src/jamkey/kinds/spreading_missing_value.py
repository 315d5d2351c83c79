"""A missing value that spreads: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class SpreadingMissingValue(QuietKind):
    """See the module."""

    name = "spreading-missing-value"
    title = "a missing value that spreads"
    about = "One value was missing, and whatever is computed with it is missing too. Nothing stops, the result is nothing."
    usual = (
        "text with a unit was turned into a number",
        "a name or field is spelt otherwise",
        "a function gives nothing back on one way",
        "rows were matched by label",
    )
    avoid = "Count the missing values after each step."
    example = "kilos = float('nan')\nprint(kilos + 1)\n"


KIND = SpreadingMissingValue()
