"""What was printed held against what should have been: the first line that differs, marked, numbers compared as numbers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.runs.first_difference import first_difference
from jamkey.runs.wrong_result import same_output
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]


@pytest.mark.parametrize(
    ("printed", "wanted", "near", "same"),
    [
        ("32.199999999999996\n", "32.2\n", 1e-6, True),
        ("32.199999999999996\n", "32.2\n", 0.0, False),
        ("1000001\n", "1000000\n", 1e-5, True),
        ("1000001\n", "1000000\n", 1e-9, False),
        ("0.0000001\n", "0\n", 1e-6, True),
        ("-0.5 kg\n", "0.5 kg\n", 0.1, False),
        ("3 hives, 1e-9 lost\n", "3 hives, 0.0 lost\n", 1e-6, True),
        ("3 hives\n", "3 frames\n", 10.0, False),
        ("oak   3.0\nelm 4\n", "oak 3\nelm 4\n", 1e-9, True),
        ("oak 3\n", "oak 3\nelm 4\n", 1.0, False),
        ("nan\n", "3\n", 1.0, False),
        ("1.2.3\n", "1.2.4\n", 1e-9, False),
    ],
)
def test_numbers_near_each_other(printed: str, wanted: str, near: float, same: bool) -> None:
    assert same_output(printed, wanted, near) is same


@given(st.text("ab 1.\t-e", max_size=40), st.text("ab 1.\t-e", max_size=40))
def test_signs_stand_under_what_differs(one: str, other: str) -> None:
    found = first_difference(one, other)
    if one.rstrip() == other.rstrip():
        assert found is None
        return
    assert found is not None
    shown = found.beside()
    if not shown:
        assert found.printed is None or found.wanted is None
        return
    printed, wanted, signs = shown
    marked = [place for place, sign in enumerate(signs) if sign == "^"]
    assert marked == list(range(marked[0], marked[-1] + 1))
    assert printed[: marked[0]].removeprefix("printed  ") == wanted[: marked[0]].removeprefix("wanted   ")
    length = max(len(printed), len(wanted))
    assert any(printed[place : place + 1] != wanted[place : place + 1] for place in range(marked[0], length)) or length == 9


@given(st.text(st.characters(codec="utf-8"), max_size=60), st.floats(0, 1))
def test_a_text_agrees_with_itself(text: str, near: float) -> None:
    assert same_output(text, text, near)


def test_of_a_long_line_what_stands_around_the_difference_is_shown() -> None:
    found = first_difference("hive " * 40 + "31 kg", "hive " * 40 + "32 kg")
    assert found is not None
    printed, wanted, signs = found.beside()
    assert max(map(len, (printed, wanted, signs))) < 80
    assert (printed[signs.index("^")], wanted[signs.index("^")]) == ("1", "2")


@pytest.mark.long
def test_the_command_compares_as_told(project: Project) -> None:
    folder = project(
        {"mean.py": "weights = [31.2, 32.0, 33.4]\nprint('mean', sum(weights) / 3)\nprint('days', len(weights) + 1)\n"}
    )
    done = jamkey("fix", "--preview", "--near", "1e-6", "--expect", "mean 32.2\\ndays 3", "mean.py", cwd=folder)
    assert "line 2 of what it printed is `days 4` and should be `days 3`" in done.err + done.out
    assert "printed  days 4" in done.err + done.out
    assert "^" in done.err + done.out
    plain = jamkey("fix", "--preview", "--expect", "mean 32.2\\ndays 3", "mean.py", cwd=folder)
    assert "line 1 of what it printed" in plain.err + plain.out
    done = jamkey("fix", "--yes", "--near", "1e-6", "--expect", "mean 32.2\\ndays 3", "mean.py", cwd=folder)
    assert done.status == 0, done.err
    assert "+ 1" not in (folder / "mean.py").read_text()
    for words in (["--near", "1e-6"], ["--near", "-1", "--expect", "x"], ["--near", "much", "--expect", "x"]):
        bad = jamkey("fix", *words, "mean.py", cwd=folder)
        assert bad.status == 2
