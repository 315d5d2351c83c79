"""A module that there is not: the one that is meant is asked for in every language, and how it is installed is its own."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages import SHELF
from jamkey.languages.homes import homes
from jamkey.languages.modules import modules_of
from jamkey.languages.traits import traits_of
from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose
from jamkey.search.candidates import edits_of, proposals
from jamkey.text import splice
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

C = '#include <{0}>\n\nint main(void)\n{{\n    printf("%d\\n", 3);\n    return 0;\n}}\n'
CPP = '#include <{0}>\n\nint main() {{\n    std::cout << 3 << "\\n";\n}}\n'
JAVA = "import {0};\n\npublic class Yard {{\n    public static void main(String[] words) {{\n        System.out.println(3);\n    }}\n}}\n"

#: Name -> files, the script, the module as it is asked for and as it is called, what the mended program prints.
PROGRAMS: dict[str, tuple[dict[str, str], str, str, str]] = {
    "c, a header": ({"yard.c": C.format("sdtio.h")}, "yard.c", "sdtio.h", "stdio.h"),
    "c, a header without its ending": ({"yard.c": C.format("stdio.hh")}, "yard.c", "stdio.hh", "stdio.h"),
    "c, a header of one's own": (
        {
            "yard.c": '#include <stdio.h>\n#include "guage.h"\n' + C.format("math.h").split("\n", 1)[1],
            "gauge.h": "#define MOST 3\n",
        },
        "yard.c",
        "guage.h",
        "gauge.h",
    ),
    "c, a header in a folder": (
        {
            "yard.c": '#include <stdio.h>\n#include "parts/guage.h"\n' + C.format("math.h").split("\n", 1)[1],
            "parts/gauge.h": "#define MOST 3\n",
        },
        "yard.c",
        "parts/guage.h",
        "parts/gauge.h",
    ),
    "c++": ({"yard.cpp": CPP.format("iostraem")}, "yard.cpp", "iostraem", "iostream"),
    "java, a package": ({"Yard.java": JAVA.format("java.utl.List")}, "Yard.java", "java.utl", "java.util"),
    "javascript": (
        {"yard.js": 'const paths = require("pth");\nconsole.log(paths.sep.length + 2);\n'},
        "yard.js",
        "pth",
        "path",
    ),
    "r": ({"yard.R": "library(statz)\ncat(median(3), '\\n')\n"}, "yard.R", "statz", "stats"),
    "python": (
        {"yard.py": "import colections\n\nprint(len(colections.Counter('oak')))\n"},
        "yard.py",
        "colections",
        "collections",
    ),
    "python, one's own": (
        {"yard.py": "import guage\n\nprint(guage.MOST)\n", "gauge.py": "MOST = 3\n"},
        "yard.py",
        "guage",
        "gauge",
    ),
}


@pytest.mark.parametrize("name", PROGRAMS)
def test_the_module_that_is_meant_comes_first(name: str, project: Project) -> None:
    files, script, asked, meant = PROGRAMS[name]
    folder = project(files)
    jamkey("run", "--no-keep", "--save", "out.json", script, cwd=folder)
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert jam.kind == "no-such-module"
    assert asked in jam.meaning
    text = files[script]
    assert splice(text, [edit for edit in jam.keys[0].edits if edit.file == script]) == re.sub(
        rf"(?<!\w){re.escape(asked)}(?!\w)", meant, text
    )


@pytest.mark.spread(3)
@pytest.mark.parametrize("name", PROGRAMS)
def test_the_program_runs_with_it(name: str, project: Project) -> None:
    files, script, _, meant = PROGRAMS[name]
    folder = project(files)
    done = jamkey("fix", "--yes", "--no-keep", script, cwd=folder, timeout=120)
    assert done.status == 0, done.err
    assert done.out.strip().endswith("3")
    assert meant in (folder / script).read_text(encoding="utf-8")


@pytest.mark.parametrize("name", PROGRAMS)
def test_the_search_proposes_it_too(name: str, project: Project) -> None:
    files, script, asked, meant = PROGRAMS[name]
    folder = project(files)
    jamkey("run", "--no-keep", "--save", "out.json", script, cwd=folder)
    jam: Jam = parse((folder / "out.json").read_bytes()).jams[-1]
    scene = Scene(jam, Sources(folder))
    right = re.sub(rf"(?<!\w){re.escape(asked)}(?!\w)", meant, files[script])
    made = [edits_of(script, item.made) for item in proposals(scene, Budget(20)) if item.made is not None]
    assert right in [splice(files[script], list(edits)) for edits in made if {edit.file for edit in edits} == {script}]


#: Runtime -> what it prints for a module that nobody has, with the line that asks.
UNKNOWN = {
    "python": (
        "yard.py",
        "import qzkwj\n",
        'Traceback (most recent call last):\n  File "yard.py", line 1, in <module>\n    import qzkwj\n'
        "ModuleNotFoundError: No module named 'qzkwj'\n",
        "pip",
    ),
    "r": (
        "yard.R",
        "library(qzkwj)\n",
        "Error in library(qzkwj) : there is no package called ‘qzkwj’\nExecution halted\n",
        "install.packages",
    ),
    "c": (
        "yard.c",
        "#include <qzkwj.h>\n",
        "yard.c:1:10: fatal error: qzkwj.h: No such file or directory\n    1 | #include <qzkwj.h>\n      |          ^~~~~~~~~\n"
        "compilation terminated.\n",
        "",
    ),
    "lua": (
        "yard.lua",
        'local box = require "qzkwj"\n',
        "lua5.4: yard.lua:1: module 'qzkwj' not found:\n\tno field package.preload['qzkwj']\nstack traceback:\n"
        "\t[C]: in function 'require'\n\tyard.lua:1: in main chunk\n\t[C]: in ?\n",
        "luarocks",
    ),
    "java": (
        "Yard.java",
        "import qzkwj.Box;\n",
        "Yard.java:1: error: package qzkwj does not exist\nimport qzkwj.Box;\n            ^\n1 error\n",
        "",
    ),
}


@pytest.mark.parametrize("runtime", UNKNOWN)
def test_nothing_is_installed_as_in_another_language(runtime: str, project: Project) -> None:
    file, text, printed, by = UNKNOWN[runtime]
    jam = read_and_diagnose(printed, root=project({file: text}), runtime=runtime)[-1]
    assert jam.kind == "no-such-module"
    installs = [key.title for key in jam.keys if key.id == "install-it"]
    assert len(installs) == bool(by)
    assert all(by in title and "qzkwj" in title for title in installs)
    others = {traits_of(other).installs.split(" ")[0].split("(")[0] for other in UNKNOWN if other != runtime} - {""}
    assert not [word for word in others for title in installs if word in title]
    assert [cause for cause in jam.causes if "import" in cause] == [] or not traits_of(runtime).modules_by_file


@pytest.mark.parametrize("library", ["data.tree", "yaml", "serial"])
def test_a_library_is_called_as_its_own_language_calls_it(library: str, project: Project) -> None:
    printed = f"Error in library({library}) : there is no package called ‘{library}’\nExecution halted\n"
    jam = read_and_diagnose(printed, root=project({"yard.R": f"library({library})\n"}), runtime="r")[-1]
    assert [key.title for key in jam.keys if key.id == "install-it"] == [f'Install it: `install.packages("{library}")`']


@pytest.mark.parametrize("language, name, module", [("c", "printf", "stdio.h"), ("java", "ArrayList", "java.util.ArrayList")])
def test_what_gives_a_name_is_a_module_that_is_there(language: str, name: str, module: str) -> None:
    assert module in " ".join(homes(language, name))
    assert module in modules_of(language)
    assert module in SHELF.get(language).known_modules()


def test_headers_of_c_and_of_cpp_are_told_apart() -> None:
    assert "iostream" in modules_of("c", ".cpp") - modules_of("c", ".c")
    assert "stdio.h" in modules_of("c", ".c")
    assert not modules_of("lua") and not modules_of("a language that nobody knows")
