"""Python newer than the interpreter that read it: said to be that, and written so that the older one reads it and does the same."""

from __future__ import annotations

import ast
import contextlib
import io
import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from jamkey.repair.older import older
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: name -> (version that is too old, what it does not know, program)
PROGRAMS = {
    "if": ("3.7.16", ":=", "kilos = [31, 28]\nif (top := max(kilos)) > 30:\n    print(top)\n"),
    "if without blanks": ("3.7.16", ":=", "kilos = [31, 28]\nif(top := max(kilos)):\n    print(top)\n"),
    "elif": (
        "3.6.15",
        ":=",
        "def sort(row):\n    if (hive := row.get('hive')):\n        return hive\n    elif (kilos := row.get('kilos')) is not None:\n"
        "        if kilos > 3:\n            return kilos\n    else:\n        return 'none'\n\n\n"
        "print(sort({'hive': 'oak'}), sort({'kilos': 4}), sort({'kilos': 1}), sort({}))\n",
    ),
    "while": (
        "3.7.16",
        ":=",
        "rows = ['oak', 'elm', '']\nwhile (row := rows.pop(0)) != '':\n    print(row)\n    if row == 'elm':\n        continue\n",
    ),
    "while, a value that counts": ("3.7.16", ":=", "rows = [[3], [4], []]\nwhile row := rows.pop(0):\n    print(row)\n"),
    "while, turned round": ("3.7.16", ":=", "rows = [1, 2, 9]\nwhile (row := rows.pop(0)) < 5 and row:\n    print(row)\n"),
    "condition of a list": ("3.7.16", ":=", "print([twice for kilos in (1, 2, 3) if (twice := kilos * 2) > 3])\n"),
    "in a call": ("3.7.16", ":=", "print(best := max([31, 28]), best)\n"),
    "given back": ("3.7.16", ":=", "def best(kilos):\n    return (top := max(kilos)) + top\n\n\nprint(best([3, 4]))\n"),
    "letters of several bytes": ("3.7.16", ":=", "é = 'ü'\nif é == 'ü' and 1:\n    print('ä' + (ö := é) + ö)\n"),
    "values": (
        "3.9.18",
        "match",
        "def word(code):\n    match code:\n        case 0:\n            return 'calm'\n        case 1 | 2:\n"
        "            return 'breeze'\n        case None:\n            return 'none'\n        case _:\n            return 'wind'\n\n\n"
        "print([word(code) for code in (0, 1, 2, 7, None)])\n",
    ),
    "places and names": (
        "3.9.18",
        "match",
        "def read(row):\n    match row:\n        case []:\n            return 'empty'\n        case [hive]:\n            return hive\n"
        "        case [hive, *rest] if len(rest) > 2:\n            return hive, rest\n        case [*rest, 'kg']:\n            return rest\n"
        "        case other:\n            return other\n\n\n"
        "print([read(row) for row in ([], ['oak'], ['oak', 1, 2, 3], ['elm', 'kg'], 'text', 4)])\n",
    ),
    "mappings": (
        "3.8.18",
        "match",
        "def read(row):\n    match row:\n        case {'hive': str(hive), 'kilos': int() | float() as kilos} if kilos > 3:\n"
        "            return hive, kilos\n        case {'hive': hive}:\n            return hive\n    return None\n\n\n"
        "print([read(row) for row in ({'hive': 'oak', 'kilos': 4}, {'hive': 'elm', 'kilos': 2.0}, {}, [])])\n",
    ),
    "classes": (
        "3.8.18",
        "match",
        "from dataclasses import dataclass\n\n\n@dataclass\nclass Hive:\n    name: str\n    kilos: float\n\n\n"
        "def read(hive):\n    match hive:\n        case Hive('oak', kilos):\n            return kilos\n        case Hive(kilos=0):\n"
        "            return 'empty'\n        case Hive():\n            return hive.name\n\n\n"
        "print(read(Hive('oak', 3)), read(Hive('elm', 0)), read(Hive('elm', 2)), read(3))\n",
    ),
    "of a call": (
        "3.8.18",
        "match",
        "matched = 1\nfor row in ('oak 3', 'elm'):\n    match row.split():\n        case [hive, kilos]:\n            text = '''a\n  b'''\n"
        "            print(hive, kilos, text)\n        case [hive]: print('only', matched)\n",
    ),
    "with in brackets": (
        "3.8.18",
        "with (...)",
        "from contextlib import nullcontext\nwith (\n    nullcontext(3) as oak,\n    nullcontext(4) as elm,\n):\n    print(oak, elm)\n",
    ),
    "only by place": (
        "3.7.16",
        "/",
        "def mean(total, count, /, near=1):\n    return round(total / count, near)\n\n\nprint(mean(7, 2))\n",
    ),
    "values in a text": (
        "2.7.18",
        'f"..."',
        "hive, kilos, wide = 'oak', 31.25, 9\nprint(f'{hive}: {kilos:.1f} {{kg}} {hive!r} {kilos:>{wide}}')\nprint(f'plain {{}}')\n",
    ),
    "named values": ("3.7.16", "{...=}", "kilos = 31.25\nprint(f'{kilos=} {kilos = :.1f}'.replace(' ', ''))\n"),
    "types": (
        "2.7.18",
        "name: type",
        "def mean(kilos: list, near: int = 1) -> float:\n    return round(sum(kilos) / float(len(kilos)), near)\n\n\nprint(mean([3, 4]))\n",
    ),
    "print": (
        "2.7.18",
        "print(..., end=...)",
        '"""Weights."""\nimport sys\nprint("oak", end=" ")\nprint("elm", file=sys.stdout)\n',
    ),
}
#: What is not the same on a line of its own, or has no form that is older.
LEFT = {
    "only made now and then": "rows = []\nif rows and (top := max(rows)):\n    print(top)\n",
    "after a call": "def f():\n    return 1\n\n\nprint(f(), (kilos := 3))\n",
    "asked for outside": "print([1 for row in (1, 2) if (last := row)], last)\n",
    "of any": "print(any((hit := row) > 1 for row in (1, 2)), hit)\n",
    "the rest of a mapping": "match {'oak': 3}:\n    case {**rest}:\n        print(rest)\n",
    "groups of failures": "try:\n    pass\nexcept* ValueError:\n    pass\n",
}


def printed(text: str) -> str:
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        exec(compile(text, "<program>", "exec", dont_inherit=True), {"__name__": "programs"})
    return out.getvalue()


@pytest.mark.parametrize("name", PROGRAMS)
def test_the_same_in_older_python(name: str) -> None:
    version, word, text = PROGRAMS[name]
    found = older(text, version, 1)
    assert found is not None and found.first.word == word and found.text is not None
    major, minor = (int(part) for part in version.split(".")[:2])
    ast.parse(found.text, feature_version=max((major, minor), (3, 4)))
    assert older(found.text, version, 1) is None
    assert printed(found.text) == printed(text) != ""


@pytest.mark.parametrize("name", PROGRAMS)
def test_nothing_is_too_new_for_this_python(name: str) -> None:
    assert older(PROGRAMS[name][2], "3.11.7", 1) is None


@pytest.mark.parametrize("name", LEFT)
def test_what_would_not_be_the_same_is_only_told(name: str) -> None:
    found = older(LEFT[name], "3.7.16", 1)
    assert found is not None and found.text is None


def test_a_text_that_is_broken_as_well_is_none() -> None:
    assert older("if (top := max([1]) > 3:\n    print(top)\n", "3.7.16", 1) is None


def read_with(folder: Path, line: int, text: str) -> dict[str, Any]:
    row = text.split("\n")[line - 1]
    trace = f'  File "hives.py", line {line}\n    {row}\n            ^\nSyntaxError: invalid syntax\n'
    done = jamkey("read", "--no-keep", "--json", "-", cwd=folder, stdin=trace)
    (jam,) = json.loads(done.out)["jams"]
    return dict(jam)


def test_a_pasted_trace(project: Project) -> None:
    text = PROGRAMS["if"][2]
    folder = project({"hives.py": text})
    jam = read_with(folder, 2, text)
    assert "`:=` needs Python 3.8 or newer" in jam["meaning"]
    assert (jam["roots"][0]["file"], jam["roots"][0]["line"]) == ("hives.py", 2)
    assert jam["keys"][0]["title"].endswith("without `:=`")
    (edit,) = jam["keys"][0]["edits"]
    assert edit["new_text"] == "top = max(kilos)\nif top > 30:\n"


def test_a_slip_elsewhere_is_not_blamed_on_the_version(project: Project) -> None:
    text = 'print("oak"\nif (top := 3) > 2:\n    print(top)\n'
    assert "newer" not in read_with(project({"hives.py": text}), 1, text)["meaning"]


#: What is not there yet, or not in all versions, where a type is written: its first key runs.
TYPES = {
    "a class in itself": "class Hive:\n    def heavier(self, other: Hive):\n        return other\n\n\nprint(Hive().heavier(3))\n",
    "a class below": "def weigh(hive: Hive) -> int:\n    return 3\n\n\nclass Hive:\n    pass\n\n\nprint(weigh(Hive()))\n",
    "a field": "class Frame:\n    hive: Hive\n    kilos: int = 3\n\n\nclass Hive:\n    pass\n\n\nprint(Frame.kilos)\n",
}


@pytest.mark.parametrize("name", TYPES)
def test_types_need_not_be_read(name: str, project: Project) -> None:
    folder = project({"hives.py": TYPES[name]})
    offered = jamkey("fix", "--preview", "--no-keep", "--save", "out.json", "hives.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    texts = [edit["new_text"] for key in jam["keys"][:3] for edit in key["edits"]]
    assert any("from __future__ import annotations" in text or text in ('"Hive"', "'Hive'") for text in texts), offered.out
    assert jamkey("fix", "--yes", "--no-keep", "hives.py", cwd=folder).status == 0
    assert jamkey("run", "hives.py", cwd=folder).out == "3\n"
