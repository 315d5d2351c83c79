"""A record of data against the others of its file: which one is at fault, and which is only read in a wrong way."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jamkey.follow.odd_record import agreement
from jamkey.follow.sources import Sources
from jamkey.pipeline import read_and_diagnose

HIVES = "hive,kilos,weighed\noak,31.2,2031-05-01\nelm,28.4,2031-05-02\nash,{0},2031-05-03\nlinden,30.1,2031-05-04\n"

#: (text, line, the value there, how it stands to the others).
RECORDS = [
    (HIVES.format("14,2".replace(",", ".") + "x"), 4, "14.2x", "alone"),
    (HIVES.format("fault"), 4, "fault", "alone"),
    (HIVES.format("-"), 4, "-", "gap"),
    (HIVES.format(""), 4, "2031-05-03", "fits"),
    (HIVES.format("29.9"), 4, "29.9", "fits"),
    (HIVES.format("29.9"), 1, "kilos", "header"),
    (HIVES.format("fault").replace("28.4", "broken"), 4, "fault", "alike"),
    (HIVES.format("29.9").replace("elm,28.4,2031-05-02", "# lid open"), 3, "# lid open", "form"),
    (HIVES.format("29,9"), 4, "29", "form"),
    (HIVES.format("29.9"), 4, "ash", "fits"),
    (HIVES.format("29.9").replace(",", ";"), 4, "29.9", "fits"),
    (HIVES.format("heavy").replace(",", "\t"), 4, "heavy", "alone"),
    ("31.2 28.4\n30.1 x\n29.9 28.8\n31.0 30.2\n", 2, "x", "alone"),
    ("name = oak\n", 1, "oak", "unknown"),
    ("", 1, "oak", "unknown"),
]


@pytest.mark.parametrize(("text", "line", "value", "sort"), RECORDS)
def test_a_record_stands_to_the_others(text: str, line: int, value: str, sort: str) -> None:
    row = (text.split("\n") + [""] * 5)[line - 1]
    found = agreement(Sources(texts={"hives.csv": text}), "hives.csv", line, max(row.find(value), 0) + 1)
    assert found.sort == sort
    assert value in found.told(f"`{value}`") or sort == "form"


@settings(max_examples=100)
@given(st.text(st.sampled_from("ab1.,;\t\"'\n #"), max_size=200), st.integers(-2, 30), st.integers(0, 60))
def test_any_text_has_an_answer(text: str, line: int, column: int) -> None:
    found = agreement(Sources(texts={"hives.csv": text}), "hives.csv", line, column)
    assert found.told("`x`")
    assert agreement(Sources(texts={}), "none.csv", line, column).sort == "unknown"


@pytest.mark.parametrize(("cell", "root"), [("14,2", ("hives.csv", 4)), ("-", ("weigh.py", 5)), ("29.9 kg", ("hives.csv", 4))])
def test_the_root_is_where_the_evidence_points(cell: str, root: tuple[str, int], tmp_path: Path) -> None:
    """One cell of a column that is no number is at fault; a sign for a gap is for the program to know."""
    (tmp_path / "hives.csv").write_text(HIVES.format(f'"{cell}"'))
    program = "import csv\n\ntotal = 0\nfor row in csv.DictReader(open('hives.csv')):\n    total += float(row['kilos'])\nprint(total)\n"
    (tmp_path / "weigh.py").write_text(program)
    text = (
        "Traceback (most recent call last):\n  File \"weigh.py\", line 5, in <module>\n    total += float(row['kilos'])\n"
        f"ValueError: could not convert string to float: '{cell}'\n"
    )
    (jam,) = read_and_diagnose(text, root=tmp_path)
    assert root in [(item.file, item.line) for item in jam.roots[:2]]
    places = [(item.file, item.line) for item in jam.roots]
    if cell == "14,2":
        assert "the other 3 records of `kilos`" in next(item.reason for item in jam.roots if item.file == "hives.csv")
    assert ("weigh.py", 5) in places
