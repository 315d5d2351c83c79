"""A name that hides another: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class HiddenName(QuietKind):
    """See the module."""

    name = "hidden-name"
    title = "a name that hides another"
    about = "Two things bear one name, and the nearer one is taken. The other one is not changed, or cannot be reached."
    usual = (
        "a function sets its own variable, not the outer one",
        "a variable bears the name of a builtin",
        "a file bears the name of a library",
    )
    avoid = "Give each thing a name of its own."
    example = "total = 0\ndef add(kilos):\n    total = kilos\nadd(31)\nprint(total)\n"


KIND = HiddenName()
