"""Edits for what those who begin write: another language's members, words where places stand, what is read to its end."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

C_PROG = "gcc -g -o prog main.c && ./prog"
CPP_PROG = "g++ -g -o prog main.cpp && ./prog"
JAVA_PROG = "javac Main.java && java Main"
#: name -> (command, files, what one of the first three keys writes, what it prints then)
PROGRAMS: dict[str, tuple[str, dict[str, str], str, str]] = {
    "a length that is a function": (
        "python3 a.py",
        {"a.py": "names = ['oak', 'elm']\nfor place in range(names.length):\n    print(names[place])\n"},
        "len(names)",
        "oak\nelm",
    ),
    "a sum that is a function": ("python3 a.py", {"a.py": "kilos = [31, 12]\nprint(kilos.sum())\n"}, "sum(kilos)", "43"),
    "a method that is no function": ("python3 a.py", {"a.py": "name = 'oak'\nprint(upper(name))\n"}, "name.upper()", "OAK"),
    "what belongs together behind a query": (
        "python3 a.py",
        {
            "a.py": "import sqlite3\n\ndb = sqlite3.connect(':memory:')\ndb.execute('create table hive (name text, kilos real)')\n"
            "name, kilos = 'oak', 31\ndb.execute('insert into hive values (?, ?)', name, kilos)\n"
            "print(*db.execute('select name from hive').fetchone())\n"
        },
        "(name, kilos))",
        "oak",
    ),
    "the types of one question": (
        "python3 a.py",
        {"a.py": "kilos = 31.5\nprint(isinstance(kilos, int, float))\n"},
        "(int, float))",
        "True",
    ),
    "endings that are asked at once": (
        "python3 a.py",
        {"a.py": "name = 'oak.csv'\nprint(name.endswith('.csv', '.tsv'))\n"},
        "('.csv', '.tsv'))",
        "True",
    ),
    "the sizes of an array": (
        "python3 a.py",
        {"a.py": "import numpy as np\n\nkilos = np.arange(6)\nprint(np.reshape(kilos, 2, 3).sum())\n"},
        "(2, 3))",
        "15",
    ),
    "a text that joins": (
        "python3 a.py",
        {"a.py": "hives = ['oak', 'elm']\nline = hives.join('; ')\nprint(line)\n"},
        "'; '.join(hives)",
        "oak; elm",
    ),
    "a member that is a key": (
        "python3 a.py",
        {"a.py": "hive = {'kilos': 31, 'frames': 10}\nprint(hive.frames + 1)\n"},
        'hive["frames"]',
        "11",
    ),
    "a key that is a member": (
        "python3 a.py",
        {
            "a.py": "class Hive:\n    def __init__(self, kilos):\n        self.kilos = kilos\n\n\n"
            "for hive in [Hive(31), Hive(12)]:\n    print(hive['kilos'])\n"
        },
        "hive.kilos",
        "31\n12",
    ),
    "a list that is made when none is given": (
        "python3 a.py",
        {
            "a.py": "def note(hive, notes=None):\n    for word in hive.split():\n        notes.append(word)\n"
            "    return notes\n\n\nprint(note('oak calm'))\n"
        },
        "notes = []",
        "['oak', 'calm']",
    ),
    "a folder that is to be made": (
        "python3 a.py",
        {"a.py": "with open('yields/may.txt', 'w') as file:\n    file.write('31')\nprint('written')\n"},
        "makedirs",
        "written",
    ),
    "a result that nobody kept": (
        "python3 a.py",
        {"a.py": "def heaviest(kilos):\n    best = max(kilos)\n    return best\n\n\nheaviest([31, 12])\nprint('best', best)\n"},
        "best = heaviest([31, 12])",
        "best 31",
    ),
    "a name that hides a function": (
        "python3 a.py",
        {"a.py": "sum = 0\nfor kilos in (31, 12):\n    sum += kilos\nprint(sum, sum([1, 2]))\n"},
        "sum_",
        "43 3",
    ),
    "a method that the language asks for": (
        "python3 a.py",
        {"a.py": "class Hive:\n    def __inti__(self, kilos):\n        self.kilos = kilos\n\n\nprint(Hive(31).kilos)\n"},
        "__init__",
        "31",
    ),
    "as many as there are": (
        "python3 a.py",
        {"a.py": "kilos = [31, 12, 5]\ntotal = 0\nfor place in range(7):\n    total += kilos[place]\nprint(total)\n"},
        "len(kilos)",
        "48",
    ),
    "a method that is a sign": (
        "python3 a.py",
        {"a.py": "note = 'calm oak'\nif note.contains('oak'):\n    print('seen')\nelse:\n    print('not seen')\n"},
        "'oak' in note",
        "seen",
    ),
    "a sign that only looks like one": (
        "python3 a.py",
        {"a.py": "change = float('\u22122.5')\nprint(change * 2)\n"},
        "'-2.5'",
        "-5.0",
    ),
    "a product without its sign": (
        "python3 a.py",
        {"a.py": "kilos, share = 40, 0.25\nprint(kilos(1 - share))\n"},
        "kilos * (1 - share)",
        "30.0",
    ),
    "an error by its name": (
        "python3 a.py",
        {"a.py": "try:\n    print(float('calm'))\nexcept valueerror:\n    print('no number')\n"},
        "ValueError",
        "no number",
    ),
    "a number that is written to a file": (
        "python3 a.py",
        {
            "a.py": "total = 31 + 12\nwith open('total.txt', 'w') as file:\n    file.write(total)\n"
            "print(open('total.txt').read())\n"
        },
        "str(total)",
        "43",
    ),
    "until nothing is left": (
        "python3 a.py",
        {"a.py": "frames = ['a', 'b']\nwhile True:\n    frame = frames.pop(0)\n    print(frame)\n"},
        "frames",
        "",
    ),
    "a share of none": (
        "python3 a.py",
        {"a.py": "for sick, all_of in [(1, 4), (0, 0)]:\n    print(sick / all_of)\n"},
        "if all_of else 0",
        "0",
    ),
    "a word of another language": (
        "node a.js",
        {
            "a.js": "let best = None;\nfor (const kilos of [31, 12]) if (best === null || kilos > best) best = kilos;\nconsole.log(best);\n"
        },
        "null",
        "31",
    ),
    "a result that nobody kept, in Lua": (
        "lua5.4 a.lua",
        {"a.lua": "local function weigh(kilos)\n  local net = kilos - 12\n  return net\nend\nweigh(31)\nprint(net + 1)\n"},
        "local net = ",
        "20",
    ),
    "a list that may grow, and where it comes from": (
        "sh -c",
        {
            "Main.java": "import java.util.List;\n\npublic class Main {\n    public static void main(String[] args) {\n"
            "        List<Integer> kilos = List.of(31, 12);\n        kilos.add(5);\n        System.out.println(kilos.size());\n    }\n}\n"
        },
        "new ArrayList<>(List.of(31, 12))",
        "3",
    ),
    "the largest of a list": (
        "node a.js",
        {"a.js": "const kilos = [31, 12];\nconsole.log(kilos.max());\n"},
        "Math.max(...kilos)",
        "31",
    ),
    "keys of an object": (
        "node a.js",
        {"a.js": "const kilos = { oak: 31, elm: 12 };\nconsole.log(kilos.keys().length);\n"},
        "Object.keys(kilos)",
        "2",
    ),
    "a word for a place": (
        "python3 a.py",
        {"a.py": "rows = [['oak', 31], ['elm', 12]]\ntotal = 0\nfor row in rows:\n    total += row['kilos']\nprint(total)\n"},
        "1",
        "43",
    ),
    "a file that was read": (
        "python3 a.py",
        {
            "a.py": "rows = open('rows.txt')\ncount = len(rows.readlines())\nfirst = rows.readlines()[0]\nprint(count, first.strip())\n",
            "rows.txt": "oak\nelm\n",
        },
        "rows.seek(0)",
        "2 oak",
    ),
    "a word within a text": (
        "python3 a.py",
        {
            "a.py": "import sqlite3\n\ndb = sqlite3.connect(':memory:')\ndb.execute('create table jars (hive text, kilos real)')\n"
            "db.execute('insert into jars values (?, ?)', ('oak', 31))\nprint(db.execute('select sum(kilo) from jars').fetchone()[0])\n"
        },
        "select sum(kilos) from jars",
        "31.0",
    ),
    "nothing given back": (
        "sh -c",
        {
            "Main.java": "public class Main {\n    static void twice(int kilos) {\n        return 2 * kilos;\n    }\n\n    public static void main(String[] args) {\n        System.out.println(twice(4));\n    }\n}\n"
        },
        "int",
        "8",
    ),
    "a method that promises too little": (
        "sh -c",
        {
            "main.cpp": "#include <iostream>\n\nclass Hive {\npublic:\n    int kilos() { return 31; }\n};\n\nstatic void show(const Hive &hive)\n{\n"
            '    std::cout << hive.kilos() << "\\n";\n}\n\nint main()\n{\n    show(Hive());\n}\n'
        },
        " const",
        "31",
    ),
    "a text that is copied": (
        "sh -c",
        {
            "main.c": "#include <stdio.h>\n#include <string.h>\n\nstruct hive { char name[16]; };\n\nint main(void)\n{\n    struct hive oak;\n"
            '    oak.name = "oak";\n    printf("%s\\n", oak.name);\n    return 0;\n}\n'
        },
        'strcpy(oak.name, "oak")',
        "oak",
    ),
}


def command_of(name: str) -> list[str]:
    command, files, _, _ = PROGRAMS[name]
    if command != "sh -c":
        return command.split()
    return ["sh", "-c", JAVA_PROG if "Main.java" in files else CPP_PROG if "main.cpp" in files else C_PROG]


@pytest.mark.parametrize("name", PROGRAMS)
def test_one_of_the_first_keys(name: str, project: Project) -> None:
    _, files, written, printed = PROGRAMS[name]
    folder = project(files)
    done = jamkey("fix", "--preview", "--no-keep", "--save", "out.json", "--", *command_of(name), cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    right = [key for key in jam["keys"][:3] if any(written in edit["new_text"] for edit in key["edits"])]
    assert right, done.out
    assert right[0]["trial"]["printed"].strip() == printed


def test_a_gap_is_not_called_none(project: Project) -> None:
    folder = project({"a.py": "import numpy as np\n\ncounts = np.array([3, 5])\ncounts[1] = np.nan\nprint(counts)\n"})
    jamkey("run", "--no-keep", "--save", "out.json", "a.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert "None" not in jam["meaning"] and "nan" in jam["meaning"].lower()


@pytest.mark.parametrize(
    ("program", "denied"),
    [
        ("print(rate * 100)\nrate = 0.2\n", "rate = "),
        ("count = 0\n\n\ndef click():\n    count += 1\n\n\nclick()\nprint(count)\n", "count = "),
    ],
)
def test_a_name_that_is_set_elsewhere_gets_no_other_first_value(program: str, denied: str, project: Project) -> None:
    """It is moved, or the one outside is meant."""
    folder = project({"a.py": program})
    done = jamkey("fix", "--preview", "--no-keep", "--save", "out.json", "a.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    new = [edit["new_text"].strip() for edit in jam["keys"][0]["edits"]]
    assert jam["keys"][0]["trial"]["outcome"] == "runs", done.out
    assert not any(text.startswith(denied) and text not in program for text in new), done.out
