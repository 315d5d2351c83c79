"""What is seen at a place: types made there, siblings, what is done for nothing, whether it has run, what a compiler warns of."""

from __future__ import annotations

import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.follow.evidence import Told, evidence
from jamkey.follow.made_types import made_types, returned_types
from jamkey.follow.places import places
from jamkey.follow.run_yet import not_yet
from jamkey.follow.scene import Scene
from jamkey.follow.siblings import unlike
from jamkey.follow.sources import Sources
from jamkey.languages import ENDINGS, language_of
from jamkey.languages.base import Code
from jamkey.languages.pages import scripts_of
from jamkey.languages.traits import traits_of
from jamkey.model import Jam
from jamkey.pipeline import diagnose, read_and_diagnose
from jamkey.pipeline import read as read_text
from tests.conftest import corpus_cases, printed, truth_of

Project = Callable[..., Path]


def code_of(text: str, name: str = "a.py", runtime: str = "python") -> Code:
    language = language_of(name, runtime)
    assert language is not None
    return language.code(text)


def failed(folder: Path, script: str = "a.py", *, program: str = sys.executable) -> Jam:
    done = subprocess.run([program, script], cwd=folder, capture_output=True, text=True, check=False)
    assert done.returncode
    return read_and_diagnose(done.stdout + done.stderr, root=folder)[-1]


def scene_of(folder: Path) -> Scene:
    return Scene(failed(folder), Sources(folder))


TYPES = {
    "'a'": {"str"},
    "f'{1}'": {"str"},
    "[1]": {"list"},
    "None": {"NoneType"},
    "2.5": {"float"},
    "1 < 2": {"bool"},
    "'a b'.split()": {"list"},
    "kilos.sort()": {"NoneType"},
    "sorted(kilos)": {"list"},
    "when.date()": {"date"},
    "3 if kilos else 'none'": {"int", "str"},
    "Hive": {"type"},
    "Hive()": {"Hive"},
    "weigh": {"function"},
    "weigh(kilos)": {"float", "NoneType"},
    "ask()": {"coroutine"},
    "each()": {"generator"},
    "rows[0]": set(),
    "known.get('oak')": set(),
}
OWN = """\
class Hive:
    pass


def weigh(kilos):
    if kilos:
        return 2.5


async def ask():
    return 1


def each():
    yield 1


"""


@pytest.mark.parametrize("expression", TYPES)
def test_types_are_made_as_the_language_makes_them(expression: str, project: Project) -> None:
    folder = project({"a.py": OWN + f"made = {expression}\nmissing\n"})
    scene = scene_of(folder)
    code = scene.code
    assert code is not None
    statement = code.statement(OWN.count("\n") + 1)
    assert statement is not None
    assert made_types(scene, code, statement.parts[-1]) == TYPES[expression]


def test_what_a_function_may_return_is_told_path_by_path(project: Project) -> None:
    scene = scene_of(project({"a.py": OWN + "missing\n"}))
    assert scene.code is not None
    (function,) = scene.code.functions("weigh")
    assert set(returned_types(scene, "a.py", scene.code, function)) == {"float", "NoneType"}


SIBLINGS = {
    "a = int(row['a'])\nb = row['b']\n": {1: {"more"}, 2: {"less"}},
    "a = int(row['a'])\nb = int(row['b'])\n": {1: {"like"}, 2: {"like"}},
    "a = row['a']\nb = 3\n": {1: set(), 2: set()},
    "add('a', type=int)\nadd('b', type=int)\nadd('c')\n": {1: {"like"}, 3: {"fewer"}},
    "a = f(1)\n\n\ndef g():\n    b = 2\n": {1: set()},
}


@pytest.mark.parametrize("text", SIBLINGS)
def test_statements_are_held_against_those_beside_them(text: str) -> None:
    code = code_of(text)
    for line, wanted in SIBLINGS[text].items():
        statement = code.statement(line)
        assert statement is not None
        assert wanted <= set(unlike(code, statement)) if wanted else not set(unlike(code, statement)) & {"less", "more"}


def test_the_same_is_seen_in_other_languages() -> None:
    code = code_of("const a = Number(row.a);\nconst b = row.b;\n", "a.js", "javascript")
    statement = code.statement(2)
    assert statement is not None
    assert set(unlike(code, statement)) == {"less"}


LATER = """\
def weigh(rows):
    first = rows[0]
    total = first['kilos'] + 1
    rows.append(total)
    return total


hives = [{'kilo': 3}]
print(weigh(hives))
hives.append({'kilos': 4})
"""


def test_what_has_not_run_yet_is_known(project: Project) -> None:
    scene = scene_of(project({"a.py": LATER}))
    code = scene.code
    assert code is not None
    found = {line: not_yet(scene, "a.py", code, line) for line in (2, 3, 4, 5, 8, 9, 10)}
    assert found == {2: "", 3: "", 4: "now", 5: "now", 8: "", 9: "", 10: "never"}


def test_a_loop_runs_what_stands_below(project: Project) -> None:
    scene = scene_of(project({"a.py": "for kilos in ['3', 4]:\n    print(kilos.strip())\n    last = kilos\nprint(last)\n"}))
    code = scene.code
    assert code is not None
    assert [not_yet(scene, "a.py", code, line) for line in (3, 4)] == ["", "never"]


def test_nothing_that_cannot_have_run_is_the_first_root(project: Project) -> None:
    jam = failed(project({"a.py": LATER}))
    assert jam.roots[0].line not in (4, 5, 10)


def features(folder: Path, line: int) -> set[str]:
    scene = scene_of(folder)
    code = scene.code
    assert code is not None
    place = next(place for place in places(scene, scene.jam.roots) if place.line == line)
    statement = code.statement(line)
    assert statement is not None
    return set(evidence(scene, place, code, statement, Told(scene)))


def test_a_name_that_is_set_and_never_read(project: Project) -> None:
    text = "class Probe:\n    def __init__(self):\n        kilos = []\n\n    def note(self):\n        self.kilos.append(1)\n\n\nProbe().note()\n"
    assert "idle set" in features(project({"a.py": text}), 3)


def test_a_call_that_is_not_awaited(project: Project) -> None:
    text = "import asyncio\n\n\nasync def fetch():\n    return [1]\n\n\nasync def main():\n    rows = fetch()\n    print(rows[0])\n\n\nasyncio.run(main())\n"
    found = features(project({"a.py": text}), 9)
    assert {"not awaited", "makes told type"} <= found


def test_a_word_that_is_nearly_the_one_told(project: Project) -> None:
    text = "import enum\n\n\nclass Bee(enum.Enum):\n    QUEEN = 'queen'\n    DRONE = 'dorne'\n\n\nprint(Bee('drone'))\n"
    assert "nearly told" in features(project({"a.py": text}), 6)


def test_another_return_makes_another_sort(project: Project) -> None:
    text = "def split(text):\n    if 'h' in text:\n        return 1, 2\n    return (3,)\n\n\nh, m = split('4')\n"
    folder = project({"a.py": text})
    assert {"returns another sort", "makes told count of wrong-count"} <= features(folder, 4)
    assert 4 in [root.line for root in failed(folder).roots[:3]]


def test_fields_of_a_class_whose_decorator_failed(project: Project) -> None:
    text = "from dataclasses import dataclass\n\n\n@dataclass\nclass Hive:\n    name: str = 'oak'\n    kilos: float\n\n\nprint(Hive('elm', 3))\n"
    assert 7 in [root.line for root in failed(project({"a.py": text})).roots[:3]]


WARNED = {
    "assignment in a condition": (
        "#include <stdio.h>\n\nstatic int share(int kilos, int frames)\n{\n    if (frames = 0)\n        return 0;\n    return kilos / frames;\n}\n\n"
        'int main(void)\n{\n    printf("%d\\n", share(3, 1));\n    return 0;\n}\n',
        5,
    ),
    "no address": (
        '#include <stdio.h>\n\nint main(void)\n{\n    int kilos = 0;\n    scanf("%d", kilos);\n    printf("%d\\n", kilos);\n    return 0;\n}\n',
        6,
    ),
}


@pytest.mark.parametrize("name", WARNED)
def test_the_compiler_s_warning_is_shown_where_it_stands(name: str, project: Project) -> None:
    text, line = WARNED[name]
    folder = project({"main.c": text})
    assert shutil.which("gcc"), ".ci/run installs it"
    (jam,) = read_and_diagnose("Floating point exception\n" if "share" in text else "Segmentation fault\n", root=folder)
    assert jam.snag is not None
    lines = [root.line for root in jam.roots[:1]] or [jam.frames[jam.snag].line]
    assert line in lines
    assert "the compiler warns" in jam.meaning + "".join(root.reason for root in jam.roots)
    assert sorted(path.name for path in folder.iterdir()) == ["main.c"]


def test_a_warning_of_python_s_compiler(project: Project) -> None:
    folder = project({"a.py": "rows = [\n    (1, 2)\n    (3, 4),\n]\nprint(rows)\n"})
    jam = failed(folder)
    assert jam.roots[0].line in (2, 3)
    assert "perhaps you missed a comma" in "".join(root.reason for root in jam.roots)


PAGE = """\
<!doctype html>
<title>Größe & kilos</title>
<body onload="fill()">
<script type="application/json">{"kilos": 3}</script>
<script>
const hives = ['elm'];
</script>
"""


def test_a_page_is_its_scripts_where_they_stand() -> None:
    rows = scripts_of(PAGE).split("\n")
    assert rows[2].strip() == "fill();" and rows[2].index("fill") == PAGE.split("\n")[2].index("fill")
    assert rows[5] == "const hives = ['elm'];"
    assert not "".join(rows[:2] + rows[3:5] + rows[6:]).strip()


@given(st.text(alphabet="<>/ \"'=\n\tabonéscript\U0001f41d", max_size=200))
def test_no_line_or_column_of_a_page_moves(text: str) -> None:
    made = scripts_of(text)
    assert [len(row) for row in made.split("\n")] == [len(row) for row in text.split("\n")]


def test_blanks_around_a_key_are_taken_off_where_it_is_read(project: Project) -> None:
    text = "KILOS = {'oak': 31}\nwith open('hives.txt') as file:\n    names = file.readlines()\nprint(KILOS[names[0]])\n"
    jam = failed(project({"a.py": text, "hives.txt": "oak\n"}))
    assert not any("put in here" in root.reason for root in jam.roots)
    assert not any(edit.line == 1 for key in jam.keys for edit in key.edits)


#: Cases whose files name each other: those that a linker brings together may be one program.
BESIDE = [
    case
    for case in corpus_cases()
    if truth_of(case)["phase"] == "run" and (case / "src").is_dir() and not traits_of(case.parent.name).linked
]


@pytest.mark.spread(4)
@pytest.mark.parametrize("place", range(len(BESIDE)), ids=[f"{case.parent.name}/{case.name}" for case in BESIDE])
def test_a_program_that_lies_beside_changes_nothing(place: int, tmp_path: Path) -> None:
    case = BESIDE[place]
    others = [other for other in BESIDE if other.parent == case.parent and other != case]
    jams = read_text(printed(case)[1])
    if not jams or not any(frame.file.rpartition("/")[2] in files_of(case) for frame in jams[-1].frames) or not others:
        return  # no file is named
    folder = tmp_path / "both"
    shutil.copytree(case / "src", folder)
    for number, source in enumerate(sorted((others[place % len(others)] / "src").rglob("*"))):
        if source.suffix in ENDINGS and source.suffix != ".html":
            shutil.copy(source, folder / f"zz{number}_{source.name}")
    alone, beside = diagnose(jams[-1], Sources(case / "src")), diagnose(jams[-1], Sources(folder))
    assert alone.snag_frame is None or (beside.snag_frame or alone.snag_frame).file == alone.snag_frame.file
    assert [(root.file, root.line) for root in beside.roots] == [(root.file, root.line) for root in alone.roots]
    assert [key.title for key in beside.keys] == [key.title for key in alone.keys]


def files_of(case: Path) -> set[str]:
    return {path.name for path in (case / "src").rglob("*")}


def test_a_compiler_that_does_not_end_is_ended_with_all_it_started(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = project({"main.c": WARNED["no address"][0]})
    slow = tmp_path / "bin" / "gcc"
    slow.parent.mkdir()
    slow.write_text("#!/bin/sh\nsleep 61.25 &\nwait\n", encoding="utf-8")
    slow.chmod(0o755)
    monkeypatch.setenv("PATH", f"{slow.parent}:/usr/bin:/bin")
    (jam,) = read_and_diagnose("Segmentation fault\n", root=folder)
    assert jam.snag is None
    assert subprocess.run(["pgrep", "-f", "^sleep 61.25"], capture_output=True, check=False).returncode == 1
