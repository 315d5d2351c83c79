"""A function that leaves too early: nothing is raised, the result is wrong."""

from __future__ import annotations

from jamkey.kinds.nothing_raised import QuietKind


class EarlyReturn(QuietKind):
    """See the module."""

    name = "early-return"
    title = "a function that leaves too early"
    about = "A return stands where the work is not done yet, most often inside a loop. What comes behind it never runs."
    usual = (
        "the return is indented one step too far",
        "a loop that collects returns in its first round",
        "a line was added behind a return",
    )
    avoid = "Read each return aloud: is everything done here? If not, move it out."
    example = (
        "def total(weights):\n"
        "    kilos = 0\n"
        "    for weight in weights:\n"
        "        kilos += weight\n"
        "        return kilos\n"
        "\n"
        "\n"
        "print(total([31, 32]))\n"
    )


KIND = EarlyReturn()
