"""A result that nobody keeps: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class UnusedResult(QuietKind):
    """See the module."""

    name = "unused-result"
    title = "a result that nobody keeps"
    about = "The line computes something new and drops it. What it was meant to change stays as it is."
    usual = (
        "the method gives a new value and changes nothing",
        "the brackets of a call are missing",
        "`==` stands where `=` is meant",
    )
    avoid = "Keep what a method gives, or ask whether it changes its object."
    example = "name = ' linden '\nname.strip()\nprint(name)\n"


KIND = UnusedResult()
