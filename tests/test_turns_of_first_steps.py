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
