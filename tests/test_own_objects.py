"""An object of the program's own class where something else is wanted: what it holds, or the method that its class lacks."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.follow.own_classes import own_classes
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

HIVE = "class Hive:\n    def __init__(self, name, kilos):\n        self.name = name\n        self.kilos = kilos\n\n\n"
ROW = 'row = [Hive("elm", 31), Hive("oak", 12)]\n'
#: name -> (command, file, program, what one of the first three keys writes, what it prints then)
PROGRAMS = {
    "sorted": ("python3", "a.py", HIVE + ROW + "for hive in sorted(row):\n    print(hive.name)\n", "kilos", "oak\nelm\n"),
    "largest": ("python3", "a.py", HIVE + ROW + "print(max(row).name)\n", "key=lambda each: each.kilos", "elm\n"),
    "sort of records": (
        "python3",
        "a.py",
        'row = [{"name": "elm", "kilos": 31}, {"name": "oak", "kilos": 12}]\nrow.sort()\nprint(row[0]["name"])\n',
        'key=lambda each: each["kilos"]',
        "oak\n",
    ),
    "compared": (
        "python3",
        "a.py",
        HIVE + 'one, two = Hive("elm", 31), Hive("oak", 12)\nprint(one.name if one > two else two.name)\n',
        "def __gt__",
        "elm\n",
    ),
    "added": (
        "python3",
        "a.py",
        "class Weight:\n    def __init__(self, kilos):\n        self.kilos = kilos\n\n\nboth = Weight(3) + Weight(4)\nprint(both.kilos)\n",
        "def __add__",
        "7\n",
    ),
    "how many": (
        "python3",
        "a.py",
        'class Apiary:\n    def __init__(self):\n        self.place = "north"\n        self.hives = ["oak", "elm"]\n\n\nprint(len(Apiary()))\n',
        ".hives",
        "2\n",
    ),
    "gone through": (
        "python3",
        "a.py",
        'class Apiary:\n    def __init__(self):\n        self.place = "north"\n        self.hives = ["oak", "elm"]\n\n\n'
        "apiary = Apiary()\nfor hive in apiary:\n    print(hive)\n",
        ".hives",
        "oak\nelm\n",
    ),
    "looked up": (
        "python3",
        "a.py",
        'class Stock:\n    def __init__(self):\n        self.jars = {"oak": 3}\n\n\nstock = Stock()\nprint(stock["oak"])\n',
        "stock.jars",
        "3\n",
    ),
    "as text": (
        "python3",
        "a.py",
        "import json\n\n" + HIVE + ROW + "print(json.dumps(row))\n",
        "vars(each)",
        '[{"name": "elm", "kilos": 31}, {"name": "oak", "kilos": 12}]\n',
    ),
    "fields that are only declared": (
        "python3",
        "a.py",
        "from dataclasses import dataclass\n\n\n@dataclass\nclass Hive:\n    name: str\n    kilos: float\n\n\n"
        + ROW
        + "print(min(row).name)\n",
        "kilos",
        "oak\n",
    ),
    "Lua": (
        "lua5.4",
        "a.lua",
        'local row = { { name = "elm", kilos = 31 }, { name = "oak", kilos = 12 } }\ntable.sort(row)\nprint(row[1].name)\n',
        "function(a, b) return a.kilos < b.kilos end",
        "oak\n",
    ),
    "Java": (
        "java",
        "Main.java",
        "import java.util.*;\n\npublic class Main {\n    static class Hive {\n        String name;\n        int kilos;\n"
        "        Hive(String name, int kilos) { this.name = name; this.kilos = kilos; }\n    }\n\n"
        "    public static void main(String[] args) {\n"
        '        List<Hive> row = new ArrayList<>(List.of(new Hive("elm", 31), new Hive("oak", 12)));\n'
        "        Collections.sort(row);\n        System.out.println(row.get(0).name);\n    }\n}\n",
        "Comparator.comparing(each -> each.kilos)",
        "oak\n",
    ),
}


def offered(folder: Path, command: list[str]) -> list[dict[str, object]]:
    done = jamkey("fix", "--preview", "--no-keep", "--save", "out.json", "--", *command, cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert jam["keys"], done.out
    return list(jam["keys"])


@pytest.mark.parametrize("name", PROGRAMS)
def test_what_it_holds_or_lacks(name: str, project: Project) -> None:
    program, file, text, written, printed = PROGRAMS[name]
    keys = offered(project({file: text}), [program, file])[:3]
    right = [key for key in keys if any(written in edit["new_text"] for edit in key["edits"])]  # type: ignore[attr-defined]
    assert right, [key["title"] for key in keys]
    assert right[0]["trial"]["printed"] == printed.strip()  # type: ignore[index]


@pytest.mark.spread(3)
@pytest.mark.parametrize("name", ["sorted", "compared", "how many"])
def test_other_names_the_same_key(name: str, project: Project) -> None:
    program, file, text, written, _ = PROGRAMS[name]
    other = text
    for word, new in {"kilos": "heft", "Hive": "Box", "hives": "boxes", "Apiary": "Yard", "row": "line"}.items():
        other = re.sub(rf"\b{word}\b", new, other)
    keys = offered(project({file: other}), [program, file])[:3]
    wanted = written.replace("kilos", "heft").replace("hives", "boxes")
    right = [key for key in keys if any(wanted in edit["new_text"] for edit in key["edits"])]  # type: ignore[attr-defined]
    assert right, [key["title"] for key in keys]


def test_where_an_object_lies_is_no_text(project: Project) -> None:
    """The default text of an object is nobody's fix: it is not even tried."""
    for key in offered(project({"a.py": PROGRAMS["gone through"][2]}), ["python3", "a.py"]):
        assert "str(" not in json.dumps(key["edits"])


CLASSES = {
    "python": ("a.py", HIVE + 'print(Hive("oak", 31) + 1)\n', "Hive", [("name", "text"), ("kilos", "number")]),
    "python, many": (
        "a.py",
        "class Yard:\n    count = 0\n\n    def __init__(self, hives=()):\n        self.hives = list(hives)\n        self.by_name = {}\n\n"
        "    def size(self):\n        return 1\n\n\nprint(Yard() + 1)\n",
        "Yard",
        [("count", "number"), ("hives", "many"), ("by_name", "many")],
    ),
    "java": (
        "Main.java",
        "class Hive {\n    private final String name;\n    double kilos;\n    java.util.List<String> frames;\n    Hive(String name) { this.name = name; }\n}\n",
        "Hive",
        [("name", "text"), ("kilos", "number"), ("frames", "many")],
    ),
    "c++": (
        "main.cpp",
        "#include <string>\n#include <vector>\nstruct Hive {\n    std::string name;\n    double kilos;\n    std::vector<int> frames;\n};\n",
        "Hive",
        [("name", "text"), ("kilos", "number"), ("frames", "many")],
    ),
}


@pytest.mark.parametrize("name", CLASSES)
def test_what_objects_hold(name: str, project: Project) -> None:
    file, text, owner, members = CLASSES[name]
    folder = project({file: text})
    traces = {
        ".py": f'Traceback (most recent call last):\n  File "{file}", line 1, in <module>\nTypeError: no\n',
        ".java": f'Exception in thread "main" java.lang.Error: no\n\tat Main.main({file}:1)\n',
        ".cpp": f"{file}:1:1: error: no match for ‘operator<’ (operand types are ‘Hive’ and ‘Hive’)\n",
    }
    (jam,) = read(traces[Path(file).suffix])
    sources = Sources(folder)
    scene = Scene(diagnose(jam, sources), sources)
    (found,) = own_classes(scene, frozenset((owner,)))
    assert [(member.name, member.holds) for member in found.members] == members
