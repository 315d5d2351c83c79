"""An edit that makes an end of a failure by emptying what was to be read is no key; what is written on purpose is left alone."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

READS = """\
import configparser
from pathlib import Path

here = Path("settings")
config = configparser.ConfigParser()
config.read(here / "apiary.ini")
name = config["paths"]["data"]
kilos = [float(line) for line in open(name)]
print(sum(kilos))
"""
WRITES = """\
def note(path, hives):
    with open(path) as book:
        for hive, kilos in hives:
            book.write(f"{hive} {kilos}\\n")


note("book.txt", [("oak", 31.2), ("brook", 28.9)])
print(len(open("book.txt").read().split()))
"""
#: The file is there, holds data, and is opened with a mode that nothing can be read by.
APPENDS = """\
with open("kilos.txt", "a") as book:
    total = sum(float(row) for row in book)
print("total", total)
"""


def keys(folder: Path, *more: str) -> list[dict[str, Any]]:
    jamkey("fix", "--preview", "--no-keep", "--patience", "4s", *more, "--save", "found.json", "hives.py", cwd=folder)
    jams = json.loads((folder / "found.json").read_text(encoding="utf-8"))["jams"]
    return list(jams[-1]["keys"])


def running(found: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return [key for key in found if key["trial"]["outcome"] == "runs"]


def test_a_file_made_empty_to_be_read_is_no_key(project: Project) -> None:
    folder = project({"hives.py": READS, "settings/apiary.ini": "[paths]\ndata = kilos.txt\n", "settings/kilos.txt": "31.2\n"})
    for key in running(keys(folder)):
        assert "kilos.txt" not in key["trial"].get("writes", ()), key["title"]
    assert not (folder / "kilos.txt").exists()
    told = jamkey("fix", "--yes", "--no-keep", "--patience", "3s", "hives.py", cwd=folder).err
    assert re.search(r"No key of mine helps: I tried \d+ edits", told)


def test_what_is_meant_to_be_written_may_be(project: Project) -> None:
    folder = project({"hives.py": WRITES})
    found = running(keys(folder))
    assert any("book.txt" in key["trial"]["writes"] and key["trial"]["printed"] == "4" for key in found)


@pytest.mark.spread(2)
@pytest.mark.parametrize("expected", [False, True], ids=["any output", "expected output"])
def test_data_are_not_emptied(expected: bool, project: Project) -> None:
    folder = project({"hives.py": APPENDS, "kilos.txt": "31.5\n28.5\n", "wanted.txt": "total 60.0\n"})
    found = running(keys(folder, *(("--expect", "wanted.txt") if expected else ())))
    assert found
    assert found[0]["trial"]["printed"] == "total 60.0"
    assert all("kilos.txt" not in key["trial"].get("writes", ()) for key in found)
