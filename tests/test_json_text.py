"""A data file that is no JSON is mended as a text that breaks a grammar is: by the smallest edit that the parser takes."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.repair.json_text import mended_json, stops_at
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

WHOLE = {
    "one line": '{"hives": ["oak", "elm"], "kilos": [31, 12.5], "sold": true, "keeper": null}',
    "many lines": json.dumps(
        {"hives": [{"name": "oak", "kilos": 31}, {"name": "elm", "kilos": 12}], "place": "north, east"}, indent=2
    ),
    "nested": '[[1, [2, 3]], {"a": {"b": [{"c": ""}]}}]',
}
#: Slip -> what it makes of a text; None where the text has no place for it.
SLIPS: dict[str, Callable[[str], str]] = {
    "a comma behind the last": lambda text: re.sub(r"(\S)(\s*)\]", r"\1,\2]", text, count=1),
    "a comma is missing": lambda text: text.replace(",", "", 1) if ", " in text else text.replace(",\n", "\n", 1),
    "single quotes": lambda text: text.replace('"', "'"),
    "the end is missing": lambda text: text.rstrip()[:-1],
    "a colon is missing": lambda text: re.sub(r'":', '"', text, count=1),
    "equals for a colon": lambda text: re.sub(r'":', '"=', text, count=1),
    "a semicolon": lambda text: text.replace(",", ";", 1),
    "a quote is missing": lambda text: text.replace('"', "", 1),
    "True": lambda text: text.replace("true", "True"),
    "None": lambda text: text.replace("null", "None"),
    "a comment": lambda text: re.sub(r"([\[{])", r"\1 // ours" + "\n", text, count=1),
}


def applied(text: str) -> str:
    found = mended_json(text)[0]
    made = text
    for edit in found.edits:
        made = edit.of(made)
    assert made == found.text
    return made


@pytest.mark.parametrize("slip", SLIPS)
@pytest.mark.parametrize("name", WHOLE)
def test_a_slip_is_mended(name: str, slip: str) -> None:
    broken = SLIPS[slip](WHOLE[name])
    if stops_at(broken) is None:
        assert json.loads(broken) is not None  # no such sign in this one
        return
    made = json.loads(applied(broken))
    wanted = json.loads(WHOLE[name])
    if slip != "a comment" and not (slip == "a comma is missing" and name == "nested"):
        assert made == wanted


def test_a_whole_text_is_left() -> None:
    assert mended_json(WHOLE["many lines"]) == []


def test_lines_of_their_own() -> None:
    text = '{"kilos": 31}\n{"kilos": 12,}\n\n{"kilos": 7}\n'
    assert stops_at(text, by_line=True) == text.index("}", 20)
    assert mended_json(text, by_line=True)[0].text == text.replace("12,", "12")


def test_a_large_file_with_one_habit() -> None:
    rows = [{"hive": f"oak {number}", "sold": number % 2 == 0, "keeper": None} for number in range(3000)]
    found = mended_json(repr(rows))
    assert json.loads(found[0].text) == rows
    assert len(found[0].edits) == 1 and not found[0].edits[0].more


@pytest.mark.parametrize("text", ["", "not json at all", "{" * 3000, '"' * 500, "[1, " * 2000, "\x00{", "{'a': \"b}"])
def test_what_cannot_be_mended_takes_no_time_and_raises_nothing(text: str) -> None:
    for found in mended_json(text)[:3]:
        assert stops_at(found.text) is None


RUNS = {
    "python3 main.py": (
        "main.py",
        "import json\n\nwith open('hives.json') as handle:\n    print(len(json.load(handle)['hives']))\n",
    ),
    "node main.js": (
        "main.js",
        "const fs = require('fs');\nconsole.log(JSON.parse(fs.readFileSync('hives.json', 'utf8')).hives.length);\n",
    ),
}


@pytest.mark.parametrize("slip", ["a comma behind the last", "a comma is missing", "single quotes", "True"])
@pytest.mark.parametrize("command", RUNS)
def test_fix_mends_the_file(command: str, slip: str, project: Project) -> None:
    name, text = RUNS[command]
    folder = project({name: text, "hives.json": SLIPS[slip](WHOLE["one line"]) + "\n"})
    done = jamkey("fix", "--yes", "--no-keep", "--", *command.split(), cwd=folder)
    assert done.status == 0, done.out + done.err
    assert json.loads((folder / "hives.json").read_text(encoding="utf-8")) == json.loads(WHOLE["one line"])
    assert (folder / name).read_text(encoding="utf-8") == text
