"""One list or dictionary shared by all: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class SharedDefault(QuietKind):
    """See the module."""

    name = "shared-default"
    title = "one list or dictionary shared by all"
    about = "A default, or an attribute of a class, is made once. Every call, every object goes on with the same one."
    usual = ("a list or dictionary as a default value", "a list or dictionary in the class body")
    avoid = "Make lists and dictionaries inside the function, or in `__init__`."
    example = "def note(hive, seen=[]):\n    seen.append(hive)\n    return seen\n\n\nnote('linden')\nprint(note('acacia'))\n"


KIND = SharedDefault()
