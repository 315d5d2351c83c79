"""What is unlike its siblings: entries of lists and tables in the source, records of the data."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.follow.named_lines import named_line
from jamkey.follow.odd_entries import odd_entries
from jamkey.follow.odd_json import odd_values
from jamkey.follow.odd_record import Records
from jamkey.follow.odd_rows import odd_rows
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.follow.unplaced import codes_of
from jamkey.languages import language_of
from jamkey.pipeline import diagnose, read, read_and_diagnose
from jamkey.search.candidates import texts_with
from jamkey.search.records import record_keys

#: (file, source whose first statement holds a display, the odd entries with how they differ).
DISPLAYS = [
    ("a.py", '{"oak": [4, 0], "elm": 9, "ash": [2]}', [("9", "sort")]),
    ("a.py", '[{"oak": [31.2], "elm": [3]}, {"oak": [31.9], "elm": []}]', [("[]", "empty")]),
    ("a.py", '[{"kilos": 3}, {"kilos": None}, {"kilos": 4}]', [("None", "nothing")]),
    ("a.py", '[("oak", 3), ("elm", 4), ("ash",)]', [('("ash",)', "length")]),
    (
        "a.py",
        '[{"hive": 1, "kilos": 2}, {"hive": 1, "kilos": 4}, {"hive": 1, "kilo": 4}]',
        [('{"hive": 1, "kilo": 4}', "keys")],
    ),
    ("a.py", '["oak;3", "elm;4", "ash"]', [('"ash"', "text")]),
    ("a.py", '["oak;3", "elm;4", "ash;x"]', [('"ash;x"', "text")]),
    ("a.py", "[1, 2, 3]", []),
    ("a.py", '["oak", "elm tree", "ash"]', []),
    ("a.py", '[1, "b", None, 2.5]', []),
    ("a.js", "const f = { oak: [4], elm: 9, ash: [2] };", [("9", "sort")]),
    ("a.js", "const f = [{ kilos: 3 }, { kilos: null }, { kilos: 4 }];", [("null", "nothing")]),
    ("a.lua", "local f = { oak = { 4 }, elm = 9, ash = { 2 } }", [("9", "sort")]),
    ("a.java", 'class A { void f() { var a = List.of("oak;3", "elm;4", "ash"); } }', [('"ash"', "text")]),
]


@pytest.mark.parametrize(("file", "text", "odd"), DISPLAYS)
def test_the_odd_entry_is_found(file: str, text: str, odd: list[tuple[str, str]]) -> None:
    language = language_of(file)
    assert language is not None
    code = language.code(f"x = {text}\n" if file.endswith(".py") else f"{text}\n")
    found = [
        (entry.part.source, entry.how) for statement in code.heads(1) for top in statement.parts for entry in odd_entries(top)
    ]
    assert list(dict.fromkeys(found)) == odd


@pytest.mark.parametrize(
    ("text", "odd"),
    [
        ("N1 40\nN4 51\nN5\nN7 12\n", [(3, "form")]),
        ("hive;kilos\noak;3\nelm;4\nash;-\nfir;2\n", [(4, "gap")]),
        ("hive;kilos\noak;3\nelm;4\nash;heavy\nfir;2\n", [(4, "alone")]),
        ("hive;kilos\noak;3\nelm;4\n", []),
        ("oak\n", []),
        ("", []),
    ],
)
def test_records_that_do_not_agree(text: str, odd: list[tuple[int, str]]) -> None:
    assert [(line, how.sort) for line, _, how in Records(text).odd()] == odd


def test_only_files_that_the_program_names_are_looked_at() -> None:
    files = {
        "gain.py": 'rows = [line.split() for line in open("hives.txt")]\nprint([row[1] for row in rows])\n',
        "hives.txt": "oak 3\nelm 4\n\nash 2\n",
        "other.txt": "oak 3\nelm 4\n\nash 2\n",
    }
    trace = 'Traceback (most recent call last):\n  File "gain.py", line 2, in <module>\n    print([row[1] for row in rows])\nIndexError: list index out of range\n'
    sources = Sources(texts=files)
    scene = Scene(diagnose(read(trace)[-1], sources), sources)
    assert [(row.file, row.line, row.sort) for row in odd_rows(scene)] == [("hives.txt", 3, "blank")]
    assert ("hives.txt", 3) in [(root.file, root.line) for root in scene.jam.roots]


ENTRY = """\
from {module} import {name}


def most({rows}):
    return max(max(values) for values in {rows}.values())


print(most({name}))
"""


@pytest.mark.parametrize(("module", "name", "rows"), [("feeds", "FEEDS", "feeds"), ("counts", "BY_HIVE", "table")])
def test_an_odd_entry_is_a_root(module: str, name: str, rows: str) -> None:
    files = {
        "most.py": ENTRY.format(module=module, name=name, rows=rows),
        f"{module}.py": f'{name} = {{\n    "oak": [4, 0, 12],\n    "elm": 9,\n    "ash": [3],\n}}\n',
    }
    trace = (
        'Traceback (most recent call last):\n  File "most.py", line 8, in <module>\n'
        f'    print(most({name}))\n  File "most.py", line 5, in most\n'
        f"    return max(max(values) for values in {rows}.values())\n"
        "TypeError: 'int' object is not iterable\n"
    )
    sources = Sources(texts=files)
    jam = diagnose(read(trace)[-1], sources)
    root = next(root for root in jam.roots if (root.file, root.line) == (f"{module}.py", 3))
    assert "`9` is unlike the other 2 here" in root.reason
    assert root.steps, "the way leads over what holds it"


#: (runtime's text, file, source, line): no line is printed, and one line alone speaks of what is told.
NAMED = [
    ("error: sum: wrong type argument 'cell'\n", "minutes.m", "legs = {35, 20};\ntotal = sum (legs);\ndisp (total);\n", 2),
    (
        "error: no level above 5.0 m\n",
        "tide.m",
        'levels = [1 2];\nif all (levels < 5)\n  error ("no level above %.1f m", 5);\nend\n',
        3,
    ),
]


@pytest.mark.parametrize(("printed", "file", "text", "line"), NAMED)
def test_the_only_line_that_speaks_of_it(printed: str, file: str, text: str, line: int) -> None:
    sources = Sources(texts={file: text})
    jam = diagnose(read(printed)[-1], sources)
    assert jam.snag_frame is not None and (jam.snag_frame.file, jam.snag_frame.line) == (file, line)
    assert "The runtime names no line; this is the only line that speaks of the message." in jam.meaning


def test_of_two_lines_none_is_taken() -> None:
    sources = Sources(texts={"minutes.m": "a = sum ({1});\nb = sum ({2});\n"})
    jam = read("error: sum: wrong type argument 'cell'\n")[-1]
    assert named_line(jam, sources, codes_of(jam, sources)) is None
    assert diagnose(jam, sources).snag is None


def test_reading_without_sources_goes_on() -> None:
    assert read_and_diagnose("error: sum: wrong type argument 'cell'\n")[-1].snag is None


#: (text, file name, (line, how, source, what would be like the others)).
JSON = [
    ('[{"kilos": 3}, {"kilos": "4"}, {"kilos": 5}]', "a.json", [(1, "sort", '"4"', "4")]),
    ('[{"kilos": 3},\n {"kilos": "4,5"},\n {"kilos": 5}]', "a.json", [(2, "sort", '"4,5"', "4.5")]),
    ('[{"hive": "1"},\n {"hive": 2},\n {"hive": "3"}]', "a.json", [(2, "sort", "2", '"2"')]),
    ('{"kilos": 3}\n{"kilos": "4"}\n{"kilos": 5}\n', "a.jsonl", [(2, "sort", '"4"', "4")]),
    ('{"oak": [{"kilos": 3}, {"kilos": 4}],\n "elm": [{"kilo": 5}]}', "a.json", [(2, "keys", '{"kilo": 5}', '{"kilos": 5}')]),
    ('{"oak": [{"kilos": 3}],\n "elm": [{"kilos": 4}, {"kilos": null}]}', "a.json", [(2, "nothing", "null", "")]),
    ('[{"kilos": 3}, {"kilos": 4}, {"kilos": 5}]', "a.json", []),
    ('[{"kilos": 3}, {"kilos": "heavy"}, {"kilos": 5}]', "a.json", [(1, "sort", '"heavy"', "")]),
]


@pytest.mark.parametrize(("text", "name", "odd"), JSON)
def test_the_odd_value_of_a_json_file_is_found(text: str, name: str, odd: list[tuple[int, str, str, str]]) -> None:
    found = odd_values(text, name)
    assert found is not None
    assert [(value.line, value.how, value.source, value.wanted) for value in found] == odd
    rows = text.split("\n")
    assert all(rows[value.line - 1].startswith(value.source, value.column - 1) for value in found)


@pytest.mark.parametrize("text", ["", "  \n", '[{"kilos": 3'])
def test_what_is_no_json_has_no_odd_values(text: str) -> None:
    assert not odd_values(text, "a.json")


def test_the_odd_value_is_a_root_and_is_mended(project: Callable[[Mapping[str, str | bytes]], Path]) -> None:
    program = (
        "import json\n\nwith open('hives.json') as file:\n    hives = json.load(file)\n"
        "print([hive['name'] for hive in hives if hive['kilos'] > 3])\n"
    )
    data = '[{"name": "oak", "kilos": 3.5},\n {"name": "elm", "kilos": "4.0"},\n {"name": "ash", "kilos": 2}]\n'
    folder = project({"main.py": program, "hives.json": data})
    failed = subprocess.run(["python3", "main.py"], cwd=folder, capture_output=True, text=True, check=False)
    sources = Sources(folder)
    jam = diagnose(read(failed.stderr)[-1], sources)
    assert ("hives.json", 2) in [(root.file, root.line) for root in jam.roots[:3]]
    mended = [texts for key in record_keys(Scene(jam, sources)) if (texts := texts_with(Scene(jam, sources), key.edits))]
    assert data.replace('"4.0"', "4.0") in [texts["hives.json"] for texts in mended]
