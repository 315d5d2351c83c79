"""What a library's own check is about is told by its words; a check of the program's own is the program's, whatever it says."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.phrases import is_fallback
from jamkey.phrases.signs import CUT, compile_signs, kind_by_signs
from jamkey.pipeline import read, read_and_diagnose

#: Programs of which a library says something, and what that is about.
PROVOKED = {
    "import numpy as np\nnp.concatenate([])": "missing-value",
    "import numpy as np\nnp.histogram([1, 2, 3], bins=[3, 2, 1])": "wrong-order",
    "import numpy as np\nnp.interp([1, 2], [1, 2, 3], [1, 2])": "wrong-count",
    "import numpy as np\nkilos = np.arange(3)\nkilos.flags.writeable = False\nkilos[0] = 7": "fixed-value",
    "import pandas as pd\npd.DataFrame({'kg': [1, 2], 'hive': ['a', 'b']}).pivot_table(index='hive', values='kg', aggfunc='summ')": "no-such-member",
    "import pandas as pd\npd.DataFrame({'kg': [1, 2, 3]}, index=[1, 2])": "wrong-count",
    "import pandas as pd\npd.DataFrame({'h': ['a', 'a'], 'd': [1, 1], 'k': [3, 4]}).pivot(index='h', columns='d', values='k')": "wrong-order",
    "import enum\nclass Sort(enum.Enum):\n    LIME = 1\nSort('heather')": "unreadable-value",
}


#: What a library says in words of its own.
UNTOLD = ("import logging\nlogging.getLogger().setLevel('WRANING')", "import shelve\nshelve.open('hives', 'z')")


def printed(program: str, folder: Path) -> str:
    (folder / "hive.py").write_text(program + "\n")
    done = subprocess.run([sys.executable, "hive.py"], cwd=folder, capture_output=True, text=True, timeout=60)
    assert done.returncode
    return done.stderr


@pytest.mark.parametrize("program", PROVOKED)
def test_a_librarys_check_is_told_by_its_words(program: str, tmp_path: Path) -> None:
    text = printed(program, tmp_path)
    assert read(text)[-1].kind == PROVOKED[program], text


@pytest.mark.parametrize("program", UNTOLD)
def test_what_no_sign_tells_stays_a_check(program: str, tmp_path: Path) -> None:
    assert read(printed(program, tmp_path))[-1].kind == "raised-on-purpose"


@pytest.mark.parametrize("program", PROVOKED)
def test_of_a_librarys_check_no_more_is_said_than_it_says(program: str, tmp_path: Path) -> None:
    """A kind that is known by words alone knows nothing of the values."""
    [*_, jam] = read_and_diagnose(printed(program, tmp_path), root=tmp_path)
    assert not is_fallback("python", jam.exception_type, jam.message) or "refused to go on, and says why" in jam.meaning, (
        jam.kind,
        jam.meaning,
    )


def test_what_a_cause_raised_is_not_taken_for_a_librarys_check() -> None:
    text = (
        'Exception in thread "main" java.lang.IllegalStateException: cannot be positive\n\tat hive.Scale.read(Scale.java:18)\n'
        "Caused by: java.io.FileNotFoundException: kg.txt (No such file or directory)\n"
        "\tat java.base/java.io.FileReader.<init>(FileReader.java:60)\n\tat hive.Scale.read(Scale.java:16)\n\t... 1 more\n"
    )
    assert read(text)[-1].kind == "raised-on-purpose"


@pytest.mark.parametrize(
    "said",
    [
        "no hive of that name",
        "jars and kilos must have the same length",
        "the scale is closed",
        "unknown level",
        "nan in the weights",
    ],
)
@pytest.mark.parametrize("raised", ["ValueError", "RuntimeError", "KeyError", "OverflowError", "LookupError"])
def test_a_check_of_ones_own_is_ones_own(said: str, raised: str, tmp_path: Path) -> None:
    text = printed(f"def weigh():\n    raise {raised}({said!r})\n\n\nweigh()", tmp_path)
    assert read(text)[-1].kind == "raised-on-purpose"


@pytest.mark.parametrize(
    ("message", "kind"),
    [
        ("x and y must have the same first dimension, but have shapes (3,) and (4,)", "shape-mismatch"),
        ("Length of values (3) does not match length of index (4)", "wrong-count"),
        ("Input contains NaN.", "missing-value"),
        ("I/O operation on closed file.", "wrong-order"),
        ("Buffer is read-only", "fixed-value"),
        ("Matrix is singular.", "bad-arithmetic"),
        ("index 4 is out of bounds for axis 0 with size 4", "index-out-of-range"),
        ("Failed to parse 'heather' as a date", "unreadable-value"),
        ("`kind` must be one of 'line', 'bar'", "wrong-arguments"),
        ("the hive is well", None),
        ("", None),
        (None, None),
    ],
)
def test_words(message: str | None, kind: str | None) -> None:
    assert kind_by_signs(message) == kind


@given(st.text(max_size=400))
def test_any_text_has_one_kind_or_none(text: str) -> None:
    assert kind_by_signs(text) == kind_by_signs(text.upper().lower()) or not text.isascii()
    assert kind_by_signs("hive " + "x" * 400 + " must be one of") is None, "what stands far behind tells little"


def test_the_cut_signs_are_fresh() -> None:
    assert Path(CUT).read_bytes() == compile_signs(), "make phrases"


def test_a_warning_made_an_error_stays_the_programs(tmp_path: Path) -> None:
    text = printed("import warnings\nwarnings.simplefilter('error')\nwarnings.warn('must be one of the hives')", tmp_path)
    assert read(text)[-1].kind == "raised-on-purpose"


def test_javas_library_and_ones_own() -> None:
    own = 'Exception in thread "main" java.lang.IllegalStateException: scale closed\n\tat Hive.main(Hive.java:3)\n'
    assert read(own)[-1].kind == "raised-on-purpose"
    library = own.replace("\tat", "\tat java.base/java.util.Scanner.ensureOpen(Scanner.java:1154)\n\tat")
    assert read(library)[-1].kind == "wrong-order"
