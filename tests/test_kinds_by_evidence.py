"""Kinds that the words alone do not tell: a stack that is full, a parameter that no call filled, a script's own name."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.pipeline import read, read_and_diagnose
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

GDB = "\nProgram received signal SIGSEGV, Segmentation fault.\n0x05 in count (hive=1) at main.c:4\n4\t{\n"


@pytest.mark.parametrize(("calls", "kind"), [(8, "too-deep"), (6, "too-deep"), (3, "memory-misuse")])
def test_a_stack_that_one_function_filled(calls: int, kind: str, project: Project) -> None:
    text = "int count(int hive)\n\n{\n    return 1 + count(hive);\n}\n\nint main(void)\n{\n    return count(1);\n}\n"
    rows = [f"#{number}  0x05 in count (hive=1) at main.c:4" for number in range(calls)]
    rows.append(f"#{calls}  0x09 in main () at main.c:9")
    shown = rows if calls < 6 else rows[:-1]  # a debugger was asked for so many frames
    (jam,) = read_and_diagnose(GDB + "\n".join(shown) + "\n", root=project({"main.c": text}))
    assert jam.kind == kind


def test_a_parameter_that_no_call_filled(project: Project) -> None:
    text = "1;\nfunction more = gain (new, old)\n  more = new - old;\nend\nfunction show (new)\n  disp (gain (new));\nend\nshow (33)\n"
    folder = project({"gain.m": text})
    done = subprocess.run(["octave-cli", "gain.m"], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read_and_diagnose(done.stderr, root=folder)
    assert jam.kind == "unset-name"
    assert "`old` is a parameter of `gain`, and this call of it handed nothing over" in jam.meaning
    assert (jam.roots[0].line, jam.roots[0].reason) == (6, "nothing is handed over for `old` here")
    assert not any("None" in edit.new_text for key in jam.keys for edit in key.edits)


def test_a_name_that_is_no_parameter_is_unknown(project: Project) -> None:
    folder = project({"gain.m": "1;\nfunction more = gain (new)\n  more = new - older;\nend\ngain (3)\n"})
    done = subprocess.run(["octave-cli", "gain.m"], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read_and_diagnose(done.stderr, root=folder)
    assert jam.kind == "unknown-name"


@pytest.mark.parametrize("name", ["main.lua", "lua.lua", "hives.lua"])
def test_a_script_s_name_is_not_the_interpreter_s(name: str, project: Project) -> None:
    """The script prints the trace itself, and its first line begins with the script's name."""
    text = "local row = {}\nlocal function gain(r)\n  return r.new - r.old\nend\nlocal ok, trace = xpcall(gain, debug.traceback, row)\nio.stderr:write(trace, '\\n')\nos.exit(2)\n"
    folder = project({name: text})
    done = subprocess.run(["lua5.4", name], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read(done.stderr)
    assert jam.message == "attempt to perform arithmetic on a nil value (field 'new')"
    assert (jam.kind, jam.frames[-1].line) == ("missing-value", 3)


HIVES = """\
class Hive:
    def __init__(self, name, frames):
        self.name = name
        self.frames = frames

    def weight(self, per_frame):
        return self.frames {sign} per_frame


hives = [Hive("oak", 10), Hive("elm", "11"), Hive("ash", 9)]
for hive in hives:
    print(hive.weight(2.5))
"""


@pytest.mark.parametrize("sign", ["*", "+", "-", "/"])
def test_the_operator_is_the_one_that_stands_there(sign: str, project: Project) -> None:
    """Python says nothing of the operator when a text is multiplied by a float."""
    folder = project({"hives.py": HIVES.replace("{sign}", sign)})
    done = jamkey("run", "--save", "out.json", "hives.py", cwd=folder)
    assert f"`{sign}` stands between a `str` and a `float`" in " ".join(done.err.split())
    (jam,) = parse((folder / "out.json").read_text()).jams
    assert (jam.roots[0].line, jam.roots[0].reason) == (10, '"11" is written as text here')


@pytest.mark.spread(3)
@pytest.mark.parametrize(("read", "parted"), [('"h.csv", sep=";"', ","), ('"h.csv"', ";"), ('"h.csv", sep="|"', "\t")])
def test_a_table_read_with_another_separator(read: str, parted: str, project: Project) -> None:
    rows = [["date", "kg"], ["2031-05-02", "3.1"], ["2031-06-01", "4.0"]]
    text = f'import pandas as pd\n\n\ndef load():\n    return pd.read_csv({read})\n\n\ndf = load()\nprint(df["kg"].sum())\n'
    folder = project({"sums.py": text, "h.csv": "".join(parted.join(row) + "\n" for row in rows)})
    done = jamkey("run", "--save", "out.json", "sums.py", cwd=folder)
    assert "is the first line of h.csv: it was read with another separator" in " ".join(done.err.split())
    (jam,) = parse((folder / "out.json").read_text()).jams
    assert jam.roots[0].line == 5
    done = jamkey("fix", "--yes", "sums.py", cwd=folder)
    assert done.status == 0, done.err
    assert "7.1" in jamkey("run", "sums.py", cwd=folder).out


def test_a_name_with_a_comma_is_no_table_read_amiss(project: Project) -> None:
    folder = project({"sums.py": "kilos = {'oak,elm': 31}\nprint(kilos['oak'])\n"})
    assert "separator" not in jamkey("run", "sums.py", cwd=folder).err


def test_of_two_operators_the_one_that_failed_is_named(project: Project) -> None:
    text = "def weigh(frames, kilos, extra):\n    return extra + frames * kilos\n\n\nprint(weigh('11', 2.5, 1))\n"
    folder = project({"hives.py": text})
    assert "`*` stands between a `str` and a `float`" in " ".join(jamkey("run", "hives.py", cwd=folder).err.split())
    trace = 'Traceback (most recent call last):\n  File "hives.py", line 2, in weigh\n    return extra + frames * kilos\n'
    (jam,) = read_and_diagnose(trace + "TypeError: can't multiply sequence by non-int of type 'float'\n", root=folder)
    assert "stands between" not in jam.meaning, "without values or marks nobody knows which of the two it was"


def test_a_recursion_that_meets_a_bad_pointer_is_not_endless(project: Project) -> None:
    rows = [f"#{number}  0x05 in count (hive=1) at main.c:4" for number in range(9)]
    rows.append("#9  0x09 in main () at main.c:9")
    (jam,) = read_and_diagnose(GDB + "\n".join(rows) + "\n", root=project({"main.c": "int count(int hive);\n"}))
    assert jam.kind == "memory-misuse"


def test_a_signal_that_nobody_told_of(project: Project) -> None:
    text = "#include <stddef.h>\n\nint main(void)\n{\n    int *kilos = NULL;\n    return *kilos;\n}\n"
    folder = project({"main.c": text})
    subprocess.run(["gcc", "-g", "-o", "main", "main.c"], cwd=folder, check=True)
    done = jamkey("run", "--", "./main", cwd=folder)
    assert done.status in (-11, 139)
    assert "jam Segmentation fault" in done.err
    assert "main.c, line 6" in done.err


def test_names_and_types_of_values_are_read_in_a_narrow_terminal(project: Project) -> None:
    text = "def mean(rows):\n    return sum(rows) / (len(rows) - len(rows))\n\n\nkilos_of_all_hives = [31.25 + place for place in range(40)]\nprint(mean(kilos_of_all_hives))\n"
    folder = project({"mean.py": text})
    for columns in ("60", "80", "100", "140"):
        done = jamkey("run", "mean.py", cwd=folder, env={"COLUMNS": columns})
        row = next(row for row in done.err.splitlines() if "[31.25" in row and "rows" in row)
        assert row.split()[:2] == ["values", "rows"] and row.rstrip().endswith("list, 40 items")
        assert len(row.rstrip()) <= int(columns)


def test_what_is_set_last_and_read_nowhere_is_handed_back_first(project: Project) -> None:
    text = "def mean(kilos):\n    total = 0\n    for one in kilos:\n        total += one\n    result = total / len(kilos)\n\n\nprint(mean([31, 28]) + 1)\n"
    folder = project({"mean.py": text})
    done = jamkey("run", "--save", "out.json", "mean.py", cwd=folder)
    assert done.status == 1
    (jam,) = parse((folder / "out.json").read_text()).jams
    assert [key.title for key in jam.keys[:2]] == ["End `mean` with `return result`", "End `mean` with `return total`"]


def test_sizes_that_met_in_a_library_s_check_are_told(project: Project) -> None:
    """The library raises a TypeError, which tells less than its words."""
    text = (
        "import numpy as np\n\nkilos = np.array([31.2, 28.4, 30.1])\ndays = np.arange(4)\nprint(np.polyfit(days, kilos, 1))\n"
    )
    folder = project({"fit.py": text})
    done = jamkey("run", "--save", "out.json", "fit.py", cwd=folder)
    told = " ".join(done.err.split())
    assert "wrong-count, while running" in told
    assert "Here `days` has 4, `kilos` has 3." in told


def test_a_sort_that_nothing_names_is_not_named(project: Project) -> None:
    trace = 'Traceback (most recent call last):\n  File "a.py", line 1, in <module>\n    weigh(hive)\nTypeError: hives do not go there\n'
    (jam,) = read_and_diagnose(trace, root=project({"a.py": "weigh(hive)\n"}))
    assert "`value`" not in jam.meaning


COLOURS = 'from enum import Enum\n\n\nclass Colour(Enum):\n    WHITE = "white"\n    YELLOW = "yelow"\n'
OWED = (
    "from abc import ABC, abstractmethod\n\n\nclass Hive(ABC):\n    @abstractmethod\n    def kilos(self):\n"
    '        """Its honey."""\n\n\nclass Oak(Hive):\n    def kilo(self):\n        return 3\n'
)


def test_a_value_that_a_class_does_not_have_is_looked_for_in_it(project: Project) -> None:
    folder = project({"colours.py": COLOURS, "main.py": "from colours import Colour\n\nprint(Colour('yellow').name)\n"})
    failed = subprocess.run(["python3", "main.py"], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read_and_diagnose(failed.stderr, root=folder)
    assert jam.kind == "unreadable-value"
    assert ("colours.py", 6) in [(root.file, root.line) for root in jam.roots[:3]]
    assert "`Colour`" in (jam.meaning or "")
    assert "number" not in (jam.meaning or "")


def test_a_method_that_a_class_owes_is_told(project: Project) -> None:
    folder = project({"main.py": OWED + "\n\nprint(Oak().kilos())\n"})
    failed = subprocess.run(["python3", "main.py"], cwd=folder, capture_output=True, text=True, check=False)
    (jam,) = read_and_diagnose(failed.stderr, root=folder)
    assert "`Oak`" in (jam.meaning or "")
    assert "`kilos`" in (jam.meaning or "")
    assert "too many" not in (jam.meaning or "")
