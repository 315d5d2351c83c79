"""A name that goes on from a value it never had gets its first one, in every language, wherever the loop stands."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: name -> (command, file, program with {0} for the name, what is put in, what is printed then)
PROGRAMS = {
    "Python, a sum": ("python3 a.py", "for kilos in (31, 12):\n    {0} += kilos\nprint({0})\n", "{0} = 0\n", "43"),
    "Python, a list": (
        "python3 a.py",
        "def heavy(row):\n    for kilos in row:\n        if kilos > 20:\n            {0}.append(kilos)\n    return {0}\n\n\nprint(heavy([31, 12]))\n",
        "    {0} = []\n",
        "[31]",
    ),
    "Python, by key": (
        "python3 a.py",
        "for name in ('oak', 'elm'):\n    {0}[name] = len(name)\nprint({0})\n",
        "{0} = {{}}\n",
        "{'oak': 3, 'elm': 3}",
    ),
    "Python, a text": (
        "python3 a.py",
        "for name in ('oak', 'elm'):\n    {0} += name + ';'\nprint({0})\n",
        '{0} = ""\n',
        "oak;elm;",
    ),
    "Python, a product": ("python3 a.py", "for kilos in (3, 4):\n    {0} *= kilos\nprint({0})\n", "{0} = 1\n", "12"),
    "Python, a set": (
        "python3 a.py",
        "for name in ('oak', 'oak'):\n    {0}.add(name)\nprint(len({0}))\n",
        "{0} = set()\n",
        "1",
    ),
    "JavaScript": (
        "node a.js",
        "for (const kilos of [31, 12]) {{\n  {0} += kilos;\n}}\nconsole.log({0});\n",
        "let {0} = 0;\n",
        "43",
    ),
    "JavaScript, a list": (
        "node a.js",
        "for (const kilos of [31, 12]) {{\n  {0}.push(kilos);\n}}\nconsole.log({0}.length);\n",
        "let {0} = [];\n",
        "2",
    ),
    "R": ("Rscript a.R", "for (kilos in c(31, 12)) {{\n  {0} <- {0} + kilos\n}}\ncat({0}, '\\n')\n", "{0} <- 0\n", "43"),
    "Lua": (
        "lua5.4 a.lua",
        "for _, kilos in ipairs({{ 31, 12 }}) do\n  {0} = {0} + kilos\nend\nprint({0})\n",
        "local {0} = 0\n",
        "43",
    ),
    "Octave": ("octave-cli --quiet a.m", "for kilos = [31 12]\n  {0} = {0} + kilos;\nend\ndisp ({0})\n", "{0} = 0;\n", "43"),
    "Java": (
        "java Main.java",
        "public class Main {{\n    public static void main(String[] args) {{\n        for (int kilos : new int[] {{31, 12}}) {{\n"
        "            {0} += kilos;\n        }}\n        System.out.println({0});\n    }}\n}}\n",
        "int {0} = 0;\n",
        "43",
    ),
}


def with_name(text: str, name: str) -> str:
    return text.replace("{0}", name).replace("{{", "{").replace("}}", "}")


def offered(folder: Path, command: str) -> list[dict[str, Any]]:
    done = jamkey("fix", "--preview", "--no-keep", "--save", "out.json", "--", *command.split(), cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert jam["keys"], done.out
    return list(jam["keys"])


@pytest.mark.parametrize(
    ("name", "word"),
    [*((name, "total") for name in PROGRAMS), ("Python, a list", "so_far"), ("R", "so_far"), ("Lua", "so_far")],
)
def test_it_begins(name: str, word: str, project: Project) -> None:
    command, text, put_in, printed = PROGRAMS[name]
    folder = project({command.split()[-1]: with_name(text, word)})
    keys = offered(folder, command)[:3]
    wanted = with_name(put_in, word)
    right = [key for key in keys if [edit["new_text"].strip() for edit in key["edits"]] == [wanted.strip()]]
    assert right, [key["title"] for key in keys]
    assert right[0]["trial"]["printed"].strip() == printed


#: A name that only some ways set: (program, what one of the keys puts in).
SOME_WAYS = {
    "a branch": (
        "def price(units):\n    if units > 10:\n        less = 5\n    return units * 3 - less\n\n\nprint(price(12), price(4))\n",
        "less = 0",
    ),
    "a loop": (
        "names = ['ash', 'elm']\nfor place, name in enumerate(names):\n    if name == 'oak':\n        found = place\n        break\nprint('at', found)\n",
        "found = ",
    ),
}


@pytest.mark.parametrize("name", SOME_WAYS)
def test_what_only_some_ways_set(name: str, project: Project) -> None:
    text, put_in = SOME_WAYS[name]
    keys = offered(project({"a.py": text}), "python3 a.py")
    assert any(put_in in edit["new_text"] for key in keys[:3] for edit in key["edits"]), [key["title"] for key in keys]


@pytest.mark.parametrize(
    "text", ["for kilos in (31, 12):\n    total += kilos\nprint(total)\n", "found.append(3)\nprint(found)\n"]
)
def test_what_is_changed_is_no_text_and_no_function(text: str, project: Project) -> None:
    """No quotes around what is set or asked for a member, and no function of the language in its place."""
    folder = project({"a.py": text})
    jamkey("run", "--no-keep", "--save", "out.json", "a.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert not [key for key in jam["keys"] if key["id"] == "quote-it" or "round" in key["title"]]
    assert jam["meaning"].startswith("Nothing has given `")


@pytest.mark.parametrize("text", ["print(math.floor(3.5))\n", "rows = [3.5]\nfor row in rows:\n    print(math.floor(row))\n"])
def test_a_forgotten_import_is_no_first_value(text: str, project: Project) -> None:
    jam = offered_jam(project({"a.py": text}))
    assert "Nothing has given" not in jam["meaning"]
    assert jam["keys"][0]["edits"][0]["new_text"].strip() == "import math"
    assert not [key for key in jam["keys"] if any("math =" in edit["new_text"] for edit in key["edits"])]


def offered_jam(folder: Path) -> dict[str, Any]:
    jamkey("fix", "--preview", "--no-keep", "--save", "out.json", "a.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    return dict(jam)


def test_a_slip_of_a_letter_is_still_one(project: Project) -> None:
    folder = project({"a.py": "total = 0\nfor kilos in (31, 12):\n    totl += kilos\nprint(total)\n"})
    jamkey("run", "--no-keep", "--save", "out.json", "a.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert "Nothing has given" not in jam["meaning"]
    assert "total" in jam["keys"][0]["title"]
