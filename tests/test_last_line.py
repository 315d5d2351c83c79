"""Of a failure one line was kept, as people copy it: whose it is, what it means, and which line of the project it is of."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.pipeline import read
from jamkey.text import decode
from jamkey.words_alone import from_last_line
from tests.conftest import CORPUS, jamkey, truth_of

#: A line -> runtime, kind, phase.
LINES = {
    "NameError: name 'totl' is not defined": ("python", "unknown-name", "run"),
    "KeyError: 'kilo'": ("python", "no-such-key", "run"),
    ">>> KeyError: 'kilo'": ("python", "no-such-key", "run"),
    "IndentationError: expected an indented block": ("python", "broken-syntax", "compile"),
    "ValueError: no queen in this hive": ("python", "raised-on-purpose", "run"),
    "pandas.errors.ParserError: Error tokenizing data. C error: Expected 3 fields in line 5, saw 4": (
        "python",
        "wrong-count",
        "run",
    ),
    "TypeError: hives.map is not a function": ("javascript", "not-callable", "run"),
    "ReferenceError: kilos is not defined": ("javascript", "unknown-name", "run"),
    "java.lang.ArrayIndexOutOfBoundsException: Index 3 out of bounds for length 3": ("java", "index-out-of-range", "run"),
    "Error: object 'totl' not found": ("r", "unknown-name", "run"),
    'Error: could not find function "sumarise"': ("r", "unknown-name", "run"),
    "ERROR: UndefVarError: `totl` not defined": ("julia", "unknown-name", "run"),
    "error: index (4,_): out of bound; value 4 out of bound 3": ("octave", "index-out-of-range", "run"),
    "attempt to index a nil value (field 'hive')": ("lua", "missing-value", "run"),
    "undefined reference to `weigh'": ("c", "unknown-name", "compile"),
    "ERROR: Message 'kilos' not understood.": ("supercollider", "no-such-member", "run"),
    "I get KeyError: 'kilo'.": ("python", "no-such-key", "run"),
    "NameError: name 'totl' is not defined.": ("python", "unknown-name", "run"),
}


@pytest.mark.spread(1)
@pytest.mark.parametrize("line", LINES)
def test_whose_it_is_and_what_it_means(line: str) -> None:
    jam = from_last_line(line)
    assert jam is not None
    assert (jam.runtime, jam.kind, jam.phase) == LINES[line]


@pytest.mark.spread(1)
@pytest.mark.parametrize(
    "line",
    ["Weighed 12 hives", "Done: all weights are right", "Error: no such hive", "oak: 31.2", "HiveError: no such hive", ""],
)
def test_what_no_runtime_says_is_no_failure(line: str) -> None:
    assert from_last_line(line) is None


def test_the_last_line_says_what_the_whole_says() -> None:
    """Over the cases of the corpus: its runtime and its kind, by its words."""
    right = tried = 0
    for case in sorted(CORPUS.glob("*/*/")):
        truth = truth_of(case)
        if truth["phase"] != "run" or truth["runtime"] not in ("python", "javascript", "java", "r", "julia", "octave"):
            continue
        jams = read(decode((case / "stdout.txt").read_bytes() + (case / "stderr.txt").read_bytes()))
        if not jams or not jams[-1].message:
            continue
        first = jams[-1].message.split("\n")[0]
        found = from_last_line(f"{jams[-1].exception_type or 'Error'}: {first}")
        tried += 1
        right += found is not None and (found.runtime, found.kind) == (jams[-1].runtime, jams[-1].kind)
    assert tried >= 20 and right >= 0.85 * tried


def test_it_is_of_the_runtime_that_is_told() -> None:
    jam = from_last_line("TypeError: 31 is not iterable", "javascript")
    assert jam is not None and jam.runtime == "javascript"


HIVES = 'kilos = {"oak": 31.2, "linden": 28.4}\ntotal = 0\nfor name in kilos:\n    total += kilos[name]\nprint(kilos["lindn"])\nprint(totl)\n'


@pytest.mark.spread(1)
@pytest.mark.parametrize(
    ("line", "number", "after"),
    [("NameError: name 'totl' is not defined", 6, "print(total)"), ("KeyError: 'lindn'", 5, 'print(kilos["linden"])')],
)
def test_the_project_says_which_line_it_is(
    line: str, number: int, after: str, project: Callable[..., Path], tmp_path: Path
) -> None:
    folder = project({"hives.py": HIVES})
    said = tmp_path / "said.txt"
    said.write_text(line + "\n", encoding="utf-8")
    shown = jamkey("read", str(said), cwd=folder).out
    assert f"hives.py, line {number}" in shown
    assert f"hives.py:{number} + {after}" in shown
    assert "Only its words are here, and no trace" in " ".join(shown.split())


def test_the_data_say_where_a_value_stands(project: Callable[..., Path], tmp_path: Path) -> None:
    folder = project(
        {
            "yields.py": 'for row in open("yields.csv"):\n    print(float(row))\n',
            "yields.csv": "31.2\n14,2\n",
            "more.py": "print(1)\n",
        }
    )
    said = tmp_path / "said.txt"
    said.write_text("ValueError: could not convert string to float: '14,2'\n", encoding="utf-8")
    shown = " ".join(jamkey("read", str(said), cwd=folder).out.split())
    assert "root yields.csv:2: `14,2` stands here" in shown
    assert "known words" not in shown  # they are those of the headline


def test_of_several_programs_none_is_guessed(project: Callable[..., Path], tmp_path: Path) -> None:
    said = tmp_path / "said.txt"
    said.write_text("IndexError: list index out of range\n", encoding="utf-8")
    one = project({"hives.py": "kilos = [31]\nfor place in range(2):\n    print(kilos[place])\n"})
    assert "root hives.py" in " ".join(jamkey("read", str(said), cwd=one).out.split())
    (one / "yields.py").write_text("print(range(3)[0])\n", encoding="utf-8")
    assert " root " not in jamkey("read", str(said), cwd=one).out


def test_nothing_is_said_of_a_line_that_is_not_known(tmp_path: Path) -> None:
    (tmp_path / "said.txt").write_text("IndexError: list index out of range\n", encoding="utf-8")
    shown = " ".join(jamkey("read", "said.txt", cwd=tmp_path).out.split())
    assert "this line" not in shown
    assert "Places count from 0" in shown


def test_a_place_before_the_words_is_a_place(tmp_path: Path) -> None:
    jam = from_last_line("hives.py:5: KeyError: 'kilo'")
    assert jam is not None and [(frame.file, frame.line) for frame in jam.frames] == [("hives.py", 5)]


@pytest.mark.parametrize("size", [1_000, 100_000])
def test_a_long_line_is_left_alone(size: int) -> None:
    assert from_last_line("x: " * size) is None
