"""Names that are given and never asked for, and the other way round; numbers that a message tells."""

from __future__ import annotations

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import candidates
from jamkey.search.given_and_asked import GivenAndAsked, of_scene

#: text, what is given, what is asked for
TABLE = [
    ("hive.kilos = 3\nprint(hive.kilo)\n", {"kilos"}, {"kilo"}),
    ("hive['kilos'] = 3\nprint(hive['kilo'], hive.get('queen'))\n", {"kilos"}, {"kilo", "queen"}),
    ("hive = {'kilos': 3, 'queen': None}\n", {"kilos", "queen"}, set()),
    ("hive = dict(kilos=3)\nif hive.kilos == 3:\n    pass\n", {"kilos"}, {"kilos"}),
    ("const hive = { kilos: 3, 'queen': 4 };\nhive.perDay = hive.kilos;\n", {"kilos", "queen", "perDay"}, {"kilos"}),
    ("hive$kilos <- 3\nhive[['queen']] <- 4\nprint(hive$kilo)\n", {"kilos", "queen"}, {"kilo"}),
    ("hive->kilos = 3;\nreturn hive->kilo;\n", {"kilos"}, {"kilo"}),
    ("hive.weigh(3)\n", set(), set()),
    ("if hive.kilos <= 3 or hive.queen >= 4:\n    pass\n", set(), {"kilos", "queen"}),
]


@pytest.mark.parametrize(("text", "given", "asked"), TABLE)
def test_names_are_told_apart(text: str, given: set[str], asked: set[str]) -> None:
    found = GivenAndAsked([text])
    assert (found.given, found.asked) == (given, asked)
    for name in given | asked:
        wanted = "both" if name in given & asked else "given" if name in given else "asked"
        assert found.of(name) == wanted
    assert found.of("meadow") == "none"


@pytest.mark.parametrize("piece", ["( ", "{'", "[ ", "hive.", "hive['", "a.b = ", "x = {(", "hive   "])
def test_what_is_repeated_very_often_is_read_to_its_end(piece: str) -> None:
    found = GivenAndAsked([piece * 100_000])
    assert found.given | found.asked <= {"b", "hive", "x"}


PROGRAM = {
    "hives.py": "def summary(kilos):\n    found = {}\n    found['hourly'] = sum(kilos) / 24\n    return found\n\n\n"
    "print(round(summary([3, 4])['perHour'], 1))\n",
    "hives.csv": "hive,kilos\noak,3\n",
}
TRACE = (
    'Traceback (most recent call last):\n  File "hives.py", line 7, in <module>\n'
    "    print(round(summary([3, 4])['perHour'], 1))\nKeyError: 'perHour'\n"
)


def test_what_is_given_in_vain_is_renamed_to_what_is_asked_in_vain() -> None:
    sources = Sources(texts=PROGRAM)
    scene = Scene(diagnose(read(TRACE)[-1], sources), sources)
    names = of_scene(scene, 10_000)
    assert (names.of("hourly"), names.of("perHour"), names.of("kilos")) == ("given", "asked", "given")
    found = candidates(scene, seconds=30.0)
    wanted = {PROGRAM["hives.py"].replace("'hourly'", "'perHour'"), PROGRAM["hives.py"].replace("'perHour'", "'hourly'")}
    ranks = [rank for rank, item in enumerate(found) if item.texts.get("hives.py") in wanted]
    assert ranks and ranks[0] < 5


@pytest.mark.parametrize(
    ("text", "line", "said", "mended"),
    [
        (
            "import numpy as np\nkilos = np.arange(50)\nprint(kilos.reshape(-1, 24))\n",
            3,
            "ValueError: cannot reshape array of size 50 into shape (24)",
            "kilos = np.arange(48)",
        ),
        (
            "import numpy as np\nprint(np.zeros(6) + np.zeros(7))\n",
            2,
            "ValueError: operands could not be broadcast together with shapes (6,) (7,) ",
            "print(np.zeros(7) + np.zeros(7))",
        ),
        (
            "rows = [3, 4]\nfor place in range(5):\n    print(rows[place], 'of 2')\n",
            3,
            "IndexError: list index 2 out of range for 2 items.",
            "for place in range(2):",
        ),
    ],
)
def test_numbers_that_the_message_tells_are_tried(text: str, line: int, said: str, mended: str) -> None:
    printed = f'Traceback (most recent call last):\n  File "hives.py", line {line}, in <module>\n    {text}\n{said}\n'
    printed = printed.replace(text, text.split("\n")[line - 1].strip())
    sources = Sources(texts={"hives.py": text})
    scene = Scene(diagnose(read(printed)[-1], sources), sources)
    rows = {row for item in candidates(scene, seconds=30.0) for row in item.texts.get("hives.py", "").split("\n")}
    assert mended in rows
