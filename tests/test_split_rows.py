"""A record that the program itself splits into another number of pieces than the others is told, and mended."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.follow.odd_rows import Split, odd_rows, splits_of
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: A program of each language, its file's name and how it splits.
PROGRAMS = {
    "python, a sign": ("hives.py", "python", 'for row in open("kilos.txt"):\n    a, b, c = row.split(";")\n', Split(";", -1)),
    "python, blanks": ("hives.py", "python", 'for row in open("kilos.txt"):\n    a, b = row.split()\n', Split(" ", -1)),
    "python, once": (
        "hives.py",
        "python",
        'for row in open("kilos.txt"):\n    a, b = row.strip().split(" ", 1)\n',
        Split(" ", 1),
    ),
    "python, tabs": ("hives.py", "python", 'for row in open("kilos.txt"):\n    a, b = row.split("\\t")\n', Split("\t", -1)),
    "javascript": (
        "hives.js",
        "javascript",
        'const rows = text.split("\\n").map((row) => row.split(":"));\n// kilos.txt\n',
        Split(":", -1),
    ),
    "java": (
        "Hives.java",
        "java",
        'class Hives {\n    String[] pieces(String row) {\n        return row.split(","); // kilos.txt\n    }\n}\n',
        Split(",", -1),
    ),
    "r": ("hives.R", "r", 'rows <- strsplit(readLines("kilos.txt"), "|", fixed = TRUE)\n', Split("|", -1)),
}


def scene_of(folder: Path, file: str, runtime: str) -> Scene:
    jam = Jam(runtime=runtime, phase="run", kind="wrong-count", frames=(Frame(file=file, line=1, owner="yours"),), snag=0)
    return Scene(jam, Sources(folder))


@pytest.mark.parametrize("name", PROGRAMS)
def test_how_a_program_splits_is_read(name: str, project: Project) -> None:
    file, runtime, text, split = PROGRAMS[name]
    assert split in splits_of(scene_of(project({file: text}), file, runtime))


@pytest.mark.parametrize("name", PROGRAMS)
def test_the_odd_record_is_told(name: str, project: Project) -> None:
    """The same in every language: the record with fewer pieces, and what it would be with one more."""
    file, runtime, text, split = PROGRAMS[name]
    whole, short = (split.sign.join(words) for words in (["oak", "elm", "ash"], ["oak", "elm"] if split.most < 0 else ["oak"]))
    if split.sign == " " and split.most < 0:
        whole, short = "oak elm", "oak"
    folder = project({file: text, "kilos.txt": "\n".join([whole, whole, short, whole, ""])})
    found = [row for row in odd_rows(scene_of(folder, file, runtime)) if row.sort == "split"]
    assert [(row.file, row.line) for row in found] == [("kilos.txt", 3)]
    assert found[0].wanted == f"{short}{split.sign}0"
    pieces = split.pieces(short), split.pieces(whole)
    assert found[0].reason == f"the program splits this line into {pieces[0]}, and most others into {pieces[1]}"


@pytest.mark.parametrize(
    "rows",
    [
        ["oak;3;4", "elm;5;6", "ash;7;8"],  # all alike
        ["oak", "elm", "ash"],  # nothing that is split
        ["oak;3;4", "elm;5"],  # too few to tell
        ["a;b", "a;b;c", "a", "a;b;c;d", "x;y;z;u;v"],  # no usual way
        [],
    ],
)
def test_nothing_is_told_where_records_agree_or_none_is_usual(rows: list[str], project: Project) -> None:
    file, runtime, text, _ = PROGRAMS["python, a sign"]
    folder = project({file: text, "kilos.txt": "".join(f"{row}\n" for row in rows)})
    assert not [row for row in odd_rows(scene_of(folder, file, runtime)) if row.sort == "split"]


def test_other_splits_are_none(project: Project) -> None:
    text = 'import os\nname, end = os.path.splitext("a.b")\nrows = text.splitlines()\nwords = text.split("\\n")\nfirst = text.split(sign)\n'
    assert splits_of(scene_of(project({"hives.py": text}), "hives.py", "python")) == []


def test_the_record_is_the_root_and_is_mended(project: Project) -> None:
    text = (
        "from collections import Counter\n\n\ndef read(path):\n    with open(path) as book:\n"
        '        return [row.strip().split(" ", 1) for row in book]\n\n\n'
        'print(Counter(level for level, text in read("hives.log")))\n'
    )
    folder = project({"hives.py": text, "hives.log": "INFO begun\nWARN oak is light\nERROR\nINFO ended\n"})
    jamkey("fix", "--preview", "--no-keep", "--save", "found.json", "hives.py", cwd=folder)
    jam = json.loads((folder / "found.json").read_text(encoding="utf-8"))["jams"][-1]
    assert ("hives.log", 3) in [(root["file"], root["line"]) for root in jam["roots"][:3]]
    keys = [key for key in jam["keys"] if key["trial"]["outcome"] == "runs" and key["edits"][0]["file"] == "hives.log"]
    assert [key["edits"][0]["new_text"] for key in keys] == ["ERROR 0"]
    assert "Counter({'INFO': 2, 'WARN': 1, 'ERROR': 1})" in keys[0]["trial"]["printed"]
