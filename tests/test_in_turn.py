"""Programs with several mistakes, the second in a function that the first failing line calls: each is mended in its turn."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: Program, and what it is once each mistake is mended.
PROGRAMS = {
    "a member, then an import": (
        'HARVEST = {"north": 12.4, "oak": 9.1}\n\n\ndef jars(kilos):\n    return math.floor(kilos / 0.5)\n\n\n'
        'def label(hive, kilos):\n    return hive.uper() + ": " + str(jars(kilos))\n\n\n'
        "for hive, kilos in HARVEST.items():\n    print(label(hive, kilos))\n",
        'import math\n\nHARVEST = {"north": 12.4, "oak": 9.1}\n\n\ndef jars(kilos):\n    return math.floor(kilos / 0.5)\n\n\n'
        'def label(hive, kilos):\n    return hive.upper() + ": " + str(jars(kilos))\n\n\n'
        "for hive, kilos in HARVEST.items():\n    print(label(hive, kilos))\n",
    ),
    "a name, then a member": (
        'def heaviest(weights):\n    return sorted(weights.valuse())[-1]\n\n\nhives = {"oak": 31.5, "brook": 28.0}\n'
        'print(f"{len(hive)} hives, at most {heaviest(hives)} kg")\n',
        'def heaviest(weights):\n    return sorted(weights.values())[-1]\n\n\nhives = {"oak": 31.5, "brook": 28.0}\n'
        'print(f"{len(hives)} hives, at most {heaviest(hives)} kg")\n',
    ),
    "a text, then a name": (
        "def gained(before, after):\n    return round(aftr - before, 1)\n\n\ndef told(hive, before, after):\n"
        '    return hive + " " + before + " kg, gained " + str(gained(before, after))\n\n\nprint(told("oak", 28.0, 31.5))\n',
        "def gained(before, after):\n    return round(after - before, 1)\n\n\ndef told(hive, before, after):\n"
        '    return hive + " " + str(before) + " kg, gained " + str(gained(before, after))\n\n\nprint(told("oak", 28.0, 31.5))\n',
    ),
}


@pytest.mark.parametrize("patience", [10, 20])
@pytest.mark.parametrize("name", PROGRAMS)
def test_each_is_mended(project: Project, name: str, patience: int) -> None:
    broken, mended = PROGRAMS[name]
    folder = project({"hives.py": broken})
    done = jamkey("fix", "--yes", "--no-keep", "--patience", str(patience), "hives.py", cwd=folder)
    assert (folder / "hives.py").read_text(encoding="utf-8") == mended
    assert done.status == 0
