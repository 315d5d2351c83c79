"""Tables: what columns mostly are, which cells do not fit, and what was meant."""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest

import jamkey as library
from jamkey.tables.sorts import sort_of, why_no_date, why_no_number
from tests.conftest import jamkey

Project = Callable[..., Path]

TABLE = """hive,weighed,kilos,healthy
linden,2026-04-01,31.2,yes
acacia,2026-04-02,31.4 kg,yes
willow,3 mai 2026,\u221231.0,no
maple,2026-02-31,n/a,maybe
birch,2026-04-05,"1,231.5",yes
aspen,2026-04-06,3O.5,yes
rowan,2026-04-07, 30.1\u00a0,yes
hazel,2026-04-08,30.2,yes,more
alder,2026-04-09,30.4,no
cedar,2026-04-10,30.5,no
elder,2026-04-11,30.6,no
"""


@pytest.mark.parametrize(
    ("text", "why", "meant"),
    [
        ("31.2 kg", "the unit `kg`", "31.2"),
        ("1.234,5", "points between thousands", "1234.5"),
        ("31,2", "a decimal comma", "31.2"),
        ("1 234.5", "between thousands", "1234.5"),
        ("\u22123", "looks like a minus", "-3"),
        ("(3.5)", "brackets", "-3.5"),
        ("3O", "looks like a figure", "30"),
        ("#DIV/0!", "error value", None),
        ("n/a", "missing value", ""),
        ("€ 3.5", "the sign", "3.5"),
        ("calm", "text where numbers stand", None),
        ("12 %", "the unit `%`", "12"),
        ("2026-04-01", "a date where numbers", None),
    ],
)
def test_why_no_number(text: str, why: str, meant: str | None) -> None:
    found = why_no_number(text)
    assert why in found.why
    assert found.meant == meant


def test_dates() -> None:
    assert sort_of("2026-04-01") == "date:%Y-%m-%d"
    assert why_no_date("3. März 2026", "%Y-%m-%d").meant == "2026-03-03"
    assert "another order" in why_no_date("03.04.2026", "%Y-%m-%d").why
    assert "count of days" in why_no_date("46120", "%Y-%m-%d").why


def test_a_table_with_everything(project: Project) -> None:
    folder = project({"w.csv": TABLE})
    done = jamkey("cells", "--json", "w.csv", cwd=folder)
    report = json.loads(done.out)
    assert done.status == 1
    assert {c["name"]: c["sort"] for c in report["columns"]} == {
        "hive": "text",
        "weighed": "date",
        "kilos": "number",
        "healthy": "boolean",
    }
    found = {cell["address"]: (cell["line"], cell["meant"]) for cell in report["cells"]}
    assert found == {
        "C3": (3, "31.4"),
        "B4": (4, "2026-05-03"),
        "C4": (4, "-31.0"),
        "B5": (5, None),
        "C5": (5, ""),
        "D5": (5, None),
        "C6": (6, "1231.5"),
        "C7": (7, "30.5"),
        "C8": (8, "30.1"),
        "A9": (9, None),
    }
    assert "[no-break space]" in next(cell["value"] for cell in report["cells"] if cell["address"] == "C8")
    assert "na_values=['n/a']" in report["reading"]


def test_a_cleaned_copy_and_never_in_place(project: Project) -> None:
    folder = project({"w.csv": TABLE})
    assert "never changed in place" in jamkey("cells", "--save", "w.csv", "w.csv", cwd=folder).err
    jamkey("cells", "--save", "clean.csv", "w.csv", cwd=folder)
    assert (folder / "w.csv").read_text() == TABLE
    rows = (folder / "clean.csv").read_text().splitlines()
    assert rows[2:4] == ["acacia,2026-04-02,31.4,yes", "willow,2026-05-03,-31.0,no"]


def test_lines_behind_a_cell_of_several_lines(project: Project) -> None:
    rows = "".join(f"h{n},{n}\n" for n in range(8))
    folder = project({"w.csv": f'note,kilos\n"two\nlines",1\n{rows}x,9 kg\n'})
    cell = json.loads(jamkey("cells", "--json", "w.csv", cwd=folder).out)["cells"][0]
    assert (cell["line"], cell["row"], cell["address"]) == (12, 11, "B11")


def test_a_workbook(project: Project) -> None:
    import openpyxl

    folder = project({})
    book = openpyxl.Workbook()
    book.active.append(["hive", "kilos", "weighed"])
    for day in range(1, 13):
        book.active.append([f"h{day}", 30.5 + day, datetime.date(2026, 4, day)])
    book.active["B5"], book.active["B7"] = "31.5", "#DIV/0!"
    book.save(folder / "w.xlsx")
    found = json.loads(jamkey("cells", "--json", "w.xlsx", cwd=folder).out)["cells"]
    assert [(c["address"], c["meant"], c["line"]) for c in found] == [("B5", "31.5", None), ("B7", None, None)]


def test_what_a_column_should_be(project: Project) -> None:
    folder = project({"w.jsonl": '{"hive": "a", "code": "x1"}\n{"hive": "b", "code": "22"}\n'})
    assert jamkey("cells", "w.jsonl", cwd=folder).status == 0
    done = jamkey("cells", "--json", "--expect", "code:number", "w.jsonl", cwd=folder)
    assert [(c["value"], c["line"]) for c in json.loads(done.out)["cells"]] == [("x1", 1)]
    assert "there is no such column" in jamkey("cells", "--expect", "kilo:number", "w.jsonl", cwd=folder).err
    assert "a column is number, date" in jamkey("cells", "--expect", "code:whole", "w.jsonl", cwd=folder).err


def test_a_table_in_memory() -> None:
    frame = pd.DataFrame({"hive": ["a", "b", "c"], "kilos": ["31.2", "31,4", "30"]})
    report = library.cells(frame, expect={"kilos": "number"})
    assert [(cell.column, cell.row, cell.meant) for cell in report.cells] == [("kilos", 3, "31.4")]


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("a.csv", b"", "is empty"),
        ("a.csv", b"\0\1\2" * 50, "binary data"),
        ("a.pdf", b"x", "a table is .csv"),
        ("b.xlsx", b"no book", "cannot be read"),
    ],
)
def test_what_is_no_table(name: str, data: bytes, said: str, tmp_path: Path) -> None:
    (tmp_path / name).write_bytes(data)
    done = jamkey("cells", name, cwd=tmp_path)
    assert done.status != 0
    assert said in done.err
    assert done.err.count("\n") == 1
