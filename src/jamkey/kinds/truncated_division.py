"""A division that drops the fraction: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class TruncatedDivision(QuietKind):
    """See the module."""

    name = "truncated-division"
    title = "a division that drops the fraction"
    about = "Whole numbers are divided as whole numbers. A share becomes 0, a mean loses its decimals."
    usual = ("two whole numbers are divided", "`//` stands where `/` is meant")
    avoid = "Make one of the two a decimal number before dividing."
    example = "kilos, hives = 7, 2\nprint(kilos // hives)\n"


KIND = TruncatedDivision()
