"""Where a name comes from: what the table says is true of the runtimes, and a missing import is put in."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from collections.abc import Callable, Mapping
from importlib.resources import files
from pathlib import Path

import msgspec
import pytest

from jamkey.follow.sources import Sources
from jamkey.languages.homes import homes
from jamkey.model import Edit
from jamkey.pipeline import diagnose, read
from jamkey.text import splice
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str]], Path]
TABLE: dict[str, dict[str, list[str]]] = {}
for row in files("jamkey.languages").joinpath("homes.tsv").read_text(encoding="utf-8").splitlines():
    TABLE.setdefault(row.split("\t")[0], {})[row.split("\t")[1]] = row.split("\t")[2:]


def test_every_line_that_python_s_own_library_gives_gives_the_name() -> None:
    asked = []
    for name, lines in sorted(TABLE["python"].items()):
        own = [line for line in lines if line.split()[1].partition(".")[0] in sys.stdlib_module_names]
        asked += [(name, line) for line in own]
    chosen = asked[::17]
    assert len(chosen) > 60
    program = "import json, sys\nwrong = []\nfor name, line in json.load(sys.stdin):\n    space = {}\n    try:\n        exec(line, space)\n"
    program += "    except ImportError:\n        continue\n    wrong += [line] if name not in space else []\nprint(json.dumps(wrong))\n"
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "-c", program], input=json.dumps(chosen), capture_output=True, text=True, check=True
    )
    assert json.loads(done.stdout.splitlines()[-1]) == []


@pytest.mark.spread(2)
@pytest.mark.parametrize(("language", "compiler", "ending"), [("c", "gcc", ".c"), ("cpp", "g++", ".cpp")])
def test_a_header_declares_what_it_is_said_to(language: str, compiler: str, ending: str, tmp_path: Path) -> None:
    names = sorted(TABLE[language])[:: len(TABLE[language]) // 25]
    for name in names:
        use = (
            f"using std::{name};\n"
            if ending == ".cpp"
            else f"#ifndef {name}\nint a(void) {{ return sizeof({name}); }}\n#endif\n"
        )
        (tmp_path / f"one{ending}").write_text(f"{TABLE[language][name][0]}\n{use}", encoding="utf-8")
        done = subprocess.run([compiler, "-fsyntax-only", "-w", f"one{ending}"], cwd=tmp_path, capture_output=True, check=False)
        assert done.returncode == 0, (name, done.stderr[:300])


def test_every_name_of_the_table_is_found() -> None:
    for language in ("python", "java", "c"):
        names = list(TABLE[language])
        for name in [names[0], *names[1:-1:37], names[-1]]:
            assert list(homes(language, name)) == TABLE[language][name]
    assert homes("python", "np\tnothing") == homes("python", "nothing of the kind") == homes("python", "") == ()


def test_the_usual_line_stands_first() -> None:
    assert homes("python", "np") == ("import numpy as np",)
    assert homes("python", "Counter")[0] == "from collections import Counter"
    assert homes("python", "sqrt")[0] == "from math import sqrt", "what everybody has stands before what must be installed"
    assert homes("c", "vector", "hive.cpp")[0] == "#include <vector>"
    assert homes("c", "vector", "hive.c") == (), "C knows nothing of C++'s library"
    assert homes("java", "List")[0] == "import java.util.List;"
    assert homes("python", "kilos") == homes("cobol", "List") == ()


#: Name -> (command, files, the file to change, what its mended text begins with or holds).
MISSING = {
    "C++": (
        ["sh", "-c", "g++ main.cpp -o hives && ./hives"],
        {
            "main.cpp": "#include <iostream>\n#include <vector>\n\nint main()\n{\n    std::vector<int> kilos = {31, 47, 25};\n"
            '    std::sort(kilos.begin(), kilos.end());\n    std::cout << kilos.front() << "\\n";\n}\n'
        },
        "#include <algorithm>",
        "25",
    ),
    "Java": (
        ["sh", "-c", "javac Hives.java && java Hives"],
        {
            "Hives.java": "public class Hives {\n    public static void main(String[] words) {\n"
            "        Deque<Integer> kilos = new java.util.ArrayDeque<>();\n        kilos.push(31);\n"
            "        System.out.println(kilos.peek());\n    }\n}\n"
        },
        "import java.util.Deque;",
        "31",
    ),
    "Python": (
        [sys.executable, "hives.py"],
        {"hives.py": "kilos = [31, 47, 25]\nprint(Fraction(kilos[0], 62))\n"},
        "from fractions import Fraction",
        "1/2",
    ),
}


@pytest.mark.parametrize("name", MISSING)
def test_a_missing_import_is_put_in(name: str, project: Project) -> None:
    argv, texts, line, printed = MISSING[name]
    assert shutil.which(argv[0])
    folder = project(texts)
    jamkey("fix", "--preview", "--save", "out.json", "--", *argv, cwd=folder)
    jam = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"][-1]
    first = jam["keys"][0]
    (file,) = texts
    assert line in splice(texts[file], msgspec.convert(first["edits"], list[Edit]))
    assert first["trial"]["outcome"] == "runs"
    assert printed in first["trial"]["printed"]


def test_a_plain_variable_comes_from_no_library(project: Project) -> None:
    """`field` is a function of a module, and a variable that nobody set as well."""
    text = "rows = [31, 47]\nprint(rows, field)\n"
    folder = project({"rows.py": text})
    trace = f'Traceback (most recent call last):\n  File "{folder}/rows.py", line 2, in <module>\n    print(rows, field)\n'
    jam = diagnose(read(trace + "NameError: name 'field' is not defined\n")[-1], Sources(folder))
    assert not any("import" in edit.new_text for key in jam.keys for edit in key.edits)


def test_what_asked_for_a_template_is_the_place(project: Project) -> None:
    """The error stands in a header of the library; the line that asked for it is above it."""
    text = (
        "#include <set>\n\nstruct Hive { int kilos; };\n\nint main()\n{\n    std::set<Hive> hives;\n"
        "    hives.insert({31});\n    return hives.empty();\n}\n"
    )
    folder = project({"main.cpp": text})
    done = subprocess.run(["g++", "-fsyntax-only", "main.cpp"], cwd=folder, capture_output=True, text=True, check=False)
    jam = diagnose(read(done.stderr)[0], Sources(folder))
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("main.cpp", 8)
    assert jam.kind == "wrong-type"
    assert jam.facts["left"] == "const Hive"
    assert ("main.cpp", 3) in [(root.file, root.line) for root in jam.roots], "the type that the message names"


def test_of_a_program_that_is_not_compiled_nothing_has_run(project: Project) -> None:
    """The line that asked for a template of one's own header did not run: the compiler only names it."""
    folder = project(
        {
            "top.hpp": "template <class T> bool over(const T &a, const T &b)\n{\n    return a > b;\n}\n",
            "main.cpp": '#include "top.hpp"\n\nstruct Hive { int kilos; };\n\nint main()\n{\n    return over(Hive{31}, Hive{28});\n}\n',
        }
    )
    done = jamkey("run", "--save", "out.json", "--", "g++", "main.cpp", cwd=folder)
    jam = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"][-1]
    assert [(frame["file"], frame["line"]) for frame in jam["frames"]] == [("main.cpp", 7), ("top.hpp", 3)]
    assert "before the start" in done.err
    assert "was read" not in done.err


@pytest.mark.parametrize(("module", "advised"), [("openpyxl", True), ("weirdlib", True), ("nunpy", False), ("scipyy", False)])
def test_what_is_misspelt_is_not_to_be_installed(module: str, advised: bool, tmp_path: Path) -> None:
    """A package of nearly the name may be anybody's."""
    (tmp_path / "hives.py").write_text(f"import {module}\n", encoding="utf-8")
    trace = f'Traceback (most recent call last):\n  File "{tmp_path}/hives.py", line 1, in <module>\n    import {module}\n'
    jam = diagnose(read(f"{trace}ModuleNotFoundError: No module named '{module}'\n")[-1], Sources(tmp_path))
    assert any(f"pip install {module}" in key.title for key in jam.keys) is advised
