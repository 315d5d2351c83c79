"""Dates of another form, brackets, a comparison, and what a method throws: among the edits that are tried."""

from __future__ import annotations

import re

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import candidates


def python(file: str, line: int, row: str, last: str) -> str:
    """Return a trace as CPython prints it."""
    return f'Traceback (most recent call last):\n  File "{file}", line {line}, in <module>\n    {row.strip()}\n{last}\n'


#: name -> (files, what was printed, the line with the edit, how it reads then)
TABLE: dict[str, tuple[dict[str, str], str, tuple[str, int], str]] = {
    "a form of dates, told": (
        {"day.py": "from datetime import datetime\nday = datetime.strptime('07.05.2024', '%Y-%m-%d')\nprint(day)\n"},
        python(
            "day.py",
            2,
            "day = datetime.strptime('07.05.2024', '%Y-%m-%d')",
            "ValueError: time data '07.05.2024' does not match format '%Y-%m-%d'",
        ),
        ("day.py", 2),
        "day = datetime.strptime('07.05.2024', '%d.%m.%Y')",
    ),
    "a form of dates, from the data": (
        {
            "day.R": 'hives <- read.csv("hives.csv")\ndays <- as.Date(hives$day)\nprint(days)\n',
            "hives.csv": "hive,day\noak,13/05/2024\nlime,02/06/2024\n",
        },
        "Error in charToDate(x) : \n  character string is not in a standard unambiguous format\n"
        "Calls: as.Date -> as.Date.character -> charToDate\nExecution halted\n",
        ("day.R", 2),
        'days <- as.Date(hives$day, format = "%d/%m/%Y")',
    ),
    "brackets of a mean": (
        {"mean.py": "kilos = [0, 1]\nprint(1 / (kilos[0] + kilos[1] - 1 * 1))\nprint(1 / kilos[0] + kilos[1])\n"},
        python("mean.py", 3, "print(1 / kilos[0] + kilos[1])", "ZeroDivisionError: division by zero"),
        ("mean.py", 3),
        "print(1 / (kilos[0] + kilos[1]))",
    ),
    "brackets around comparisons": (
        {"many.py": "import pandas as pd\nt = pd.DataFrame({'a': [1], 'b': [2]})\nprint(t[t['a'] > 0 & t['b'] > 1])\n"},
        python(
            "many.py",
            3,
            "print(t[t['a'] > 0 & t['b'] > 1])",
            "ValueError: The truth value of a Series is ambiguous. Use a.empty, a.bool(), a.item(), a.any() or a.all().",
        ),
        ("many.py", 3),
        "print(t[(t['a'] > 0) & (t['b'] > 1)])",
    ),
    "Java, what a method throws": (
        {
            "Hive.java": "import java.io.IOException;\nimport java.nio.file.*;\nclass Hive {\n    static String all() {\n"
            '        return Files.readString(Path.of("h"));\n    }\n}\n'
        },
        "Hive.java:5: error: unreported exception IOException; must be caught or declared to be thrown\n"
        '        return Files.readString(Path.of("h"));\n                               ^\n1 error\n',
        ("Hive.java", 4),
        "static String all() throws IOException {",
    ),
    "C, a comparison": (
        {
            "beds.c": "#include <stdio.h>\nint main(void) {\n    int beds = 2;\n    if (beds = 0) {\n        return 1;\n    }\n"
            "    return 9 / beds;\n}\n"
        },
        "==3459==ERROR: AddressSanitizer: FPE on unknown address 0x0 (pc 0x0 bp 0x0 sp 0x0 T0)\n"
        "    #0 0x55 in main /p/beds.c:7\n",
        ("beds.c", 4),
        "if (beds == 0) {",
    ),
}


def edited(files: dict[str, str], printed: str, place: tuple[str, int]) -> set[str]:
    """Return how the line reads in all candidates."""
    sources = Sources(texts=files)
    scene = Scene(diagnose(read(printed)[-1], sources), sources)
    file, line = place
    found = candidates(scene, seconds=30.0)
    return {" ".join(item.texts[file].split("\n")[line - 1].split()) for item in found if file in item.texts}


@pytest.mark.parametrize("name", TABLE)
def test_the_edit_is_tried(name: str) -> None:
    files, printed, place, mended = TABLE[name]
    assert mended in edited(files, printed, place)


#: Names in the programs -> others as long.
_OTHER = {"hive": "crib", "kilos": "grams", "hives": "cribs", "queen": "regal", "beds": "pots"}


@pytest.mark.parametrize("name", [name for name in TABLE if "told" not in name])
def test_the_names_do_not_matter(name: str) -> None:
    files, printed, place, mended = TABLE[name]

    def renamed(text: str) -> str:
        return re.sub(r"(?<![\w.])(" + "|".join(_OTHER) + r")\b(?!\.\w+['\":)])", lambda match: _OTHER[match[1]], text)

    members = re.sub(r"\.(kilos|queen)\b", lambda match: "." + _OTHER[match[1]], mended)
    texts = {
        file: re.sub(r"\.(kilos|queen)\b", lambda match: "." + _OTHER[match[1]], renamed(text)) for file, text in files.items()
    }
    said = re.sub(r"\.(kilos|queen)\b", lambda match: "." + _OTHER[match[1]], renamed(printed))
    assert renamed(members) in edited(texts, said, place)
