"""Code that was copied from a console, prompts and printed values and all: only what was typed is left."""

from __future__ import annotations

import ast
import contextlib
import io
import subprocess
from code import InteractiveConsole
from pathlib import Path

import pytest

from jamkey.repair.of_prompts import beside_the_typed, typed
from jamkey.text import splice
from jamkey.views.json import parse
from tests.conftest import jamkey

#: Programs as they were typed, without a value that only a console prints.
TYPED = {
    "loop": "kilos = [12.5, 9.1, 14.0]\nfor k in kilos:\n    print(k)\n\nprint(sum(kilos))\n",
    "function": (
        "def share(part, whole):\n    if not whole:\n        return 0.0\n    return part / whole\n\nprint(share(3, 4))\n"
    ),
    "text": "names = ['oak', 'brook']\nprint('> '.join(names))\n'-'.join(names)\nnames\nprint(len(names))\n",
    "failure": "hives = {'oak': 3}\nhives['brook']\nhives['brook'] = 2\nprint(hives)\n",
    "imports": "import math\nmath.sqrt(2)\nroot = math.sqrt(9)\nprint(root)\n",
}
#: The same, of which every line with a number before it is Python too.
READ_AS_CODE = {
    "values": "kilos = [12.5, 9.1]\nkilos\nprint(sum(kilos))\n",
    "sums": "hives = {'oak': 31.5, 'elm': 28.0}\nhives['oak'] - hives['elm']\ntotal = sum(hives.values())\nprint(round(total, 1))\n",
    "words": "line = 'oak,12'\nname = line.split(',')[0]\nname.upper()\nprint(len(name + line))\n",
}
NUMBERED = ["In [{}]: ", "   ...: ", "Out[{}]: "]
PLAIN = [">>> ", "... ", ""]


def session(program: str, signs: list[str]) -> str:
    """Return what a console shows while a program is typed into it: Python's own does the work."""
    shown: list[str] = []
    begins, goes_on, gives = signs
    console = InteractiveConsole()
    more, number = False, 1
    for row in program.split("\n")[:-1]:
        shown.append((goes_on if more else begins.format(number)) + row)
        printed = io.StringIO()
        with contextlib.redirect_stdout(printed), contextlib.redirect_stderr(printed):
            more = console.push(row)
        if printed.getvalue() and not row.lstrip().startswith("print") and gives and "Error" not in printed.getvalue():
            shown.append(gives.format(number) + printed.getvalue().rstrip("\n"))
        elif printed.getvalue():
            shown.append(printed.getvalue().rstrip("\n"))
        number += not more
    return "\n".join(shown) + "\n"


def fixed(folder: Path, name: str, text: str) -> str:
    """Return a file's text after `fix --yes`."""
    (folder / name).write_text(text, encoding="utf-8")
    jamkey("fix", "--yes", "--no-keep", name, cwd=folder)
    return (folder / name).read_text(encoding="utf-8")


@pytest.mark.parametrize("signs", [PLAIN, NUMBERED], ids=["plain", "numbered"])
@pytest.mark.parametrize("program", TYPED)
def test_only_what_was_typed_is_left(program: str, signs: list[str]) -> None:
    shown = session(TYPED[program], signs)
    assert shown != TYPED[program]
    assert typed(shown, "python") == TYPED[program]


@pytest.mark.parametrize("program", TYPED)
def test_a_program_that_was_not_copied_stays_as_it_is(program: str) -> None:
    assert typed(TYPED[program], "python") == TYPED[program]
    assert not beside_the_typed(TYPED[program], "python")


def test_code_around_what_was_copied_stays() -> None:
    above = "import math\n# from my notes\n"
    below = "total = side * 2\nprint(total)\n"
    text = above + ">>> side = 3\n>>> print(math.sqrt(side))\n1.7320508075688772\n" + below
    assert typed(text, "python") == above + "side = 3\nprint(math.sqrt(side))\n1.7320508075688772\n" + below


@pytest.mark.parametrize("sign", ["$ ", "+ "])
def test_signs_that_may_be_code_take_nothing_with_them(sign: str) -> None:
    text = f"{sign}(document).ready(weigh);\nfunction weigh() {{\n  return 3;\n}}\n"
    assert typed(text, "javascript") == text.removeprefix(sign)


def test_an_answered_mail_is_no_console(tmp_path: Path) -> None:
    text = "> kilos = 3\n> for day in range(2):\n>     kilos += 1\nprint(kilos)\n"
    assert typed(text, "python") == text.replace("> ", "")
    (tmp_path / "mail.py").write_text(text, encoding="utf-8")
    said = jamkey("fix", "--preview", "--no-keep", "mail.py", cwd=tmp_path).out
    assert "line 1 begins with `>`" in said and "console" not in said


@pytest.mark.parametrize("signs", [PLAIN, NUMBERED], ids=["plain", "numbered"])
@pytest.mark.parametrize("program", ["loop", "function"])
def test_fix_takes_the_prompts_out(tmp_path: Path, program: str, signs: list[str]) -> None:
    assert fixed(tmp_path, "notes.py", session(TYPED[program], signs)) == TYPED[program]


@pytest.mark.parametrize("program", ["values", "sums", "words"])
def test_a_prompt_that_reads_as_code_is_named(tmp_path: Path, program: str) -> None:
    shown = session(READ_AS_CODE[program], NUMBERED)
    ast.parse(shown)
    (tmp_path / "notes.py").write_text(shown, encoding="utf-8")
    jamkey("fix", "--preview", "--no-keep", "--save", "out.json", "notes.py", cwd=tmp_path)
    (jam,) = parse((tmp_path / "out.json").read_bytes()).jams
    assert jam.kind == "unknown-name"
    assert "prompt of a console, `In [1]:`" in jam.meaning
    assert (jam.roots[0].line, jam.keys[0].id, jam.keys[0].trial.outcome, jam.keys[0].skips_work) == (
        1,
        "copied",
        "runs",
        False,
    )
    assert splice(shown, jam.keys[0].edits) == READ_AS_CODE[program]


def test_what_is_called_like_a_prompt_is_none(tmp_path: Path) -> None:
    (tmp_path / "plain.py").write_text("rows = [1, 2]\nprint(rows)\nIn [0]\n", encoding="utf-8")
    jamkey("run", "--no-keep", "--save", "out.json", "plain.py", cwd=tmp_path)
    (jam,) = parse((tmp_path / "out.json").read_bytes()).jams
    assert jam.kind == "unknown-name"
    assert "console" not in jam.meaning and not any(key.id == "copied" for key in jam.keys)


def test_r_prints_its_own_session(tmp_path: Path) -> None:
    program = "kilos <- c(12.5, 9.1, 14)\nmean(kilos)\nfor (k in kilos) {\n  print(k)\n}\nprint(sum(kilos))\n"
    shown = subprocess.run(
        ["R", "--no-save", "--quiet"], input=program, capture_output=True, text=True, cwd=tmp_path, check=True
    ).stdout
    shown = shown.rstrip("> \n") + "\n"
    assert shown.startswith("> kilos") and "\n+   print(k)" in shown and "[1] 35.6" in shown
    assert fixed(tmp_path, "notes.R", shown) == program


@pytest.mark.parametrize(
    ("name", "shown", "left"),
    [
        (
            "notes.m",
            "octave:1> kilos = [12.5, 9.1];\noctave:2> for k = kilos\n>   disp (k);\n> end\n12.500\n9.1000\n"
            "octave:3> mean (kilos)\nans = 10.800\n",
            "kilos = [12.5, 9.1];\nfor k = kilos\n  disp (k);\nend\nmean (kilos)\n",
        ),
        (
            "notes.lua",
            "> kilos = {12.5, 9.1}\n> for _, k in ipairs(kilos) do\n>>   print(k)\n>> end\n12.5\n9.1\n> print(#kilos)\n2\n",
            "kilos = {12.5, 9.1}\nfor _, k in ipairs(kilos) do\n  print(k)\nend\nprint(#kilos)\n",
        ),
        (
            "notes.js",
            "> const kilos = [12.5, 9.1];\nundefined\n> for (const k of kilos) {\n... console.log(k);\n... }\n12.5\n9.1\nundefined\n",
            "const kilos = [12.5, 9.1];\nfor (const k of kilos) {\nconsole.log(k);\n}\n",
        ),
    ],
)
def test_consoles_of_others(tmp_path: Path, name: str, shown: str, left: str) -> None:
    assert fixed(tmp_path, name, shown) == left


@pytest.mark.parametrize(
    ("language", "shown", "left"),
    [
        (
            "julia",
            "julia> kilos = [12.5, 9.1]\n2-element Vector{Float64}:\n 12.5\n  9.1\n\njulia> for k in kilos\n           println(k)\n"
            "       end\n12.5\n9.1\n",
            "kilos = [12.5, 9.1]\n\nfor k in kilos\n    println(k)\nend\n",
        ),
        (
            "java",
            "jshell> int kilos = 31\nkilos ==> 31\n\njshell> for (int day = 0; day < 2; day++) {\n   ...>   kilos++;\n   ...> }\n",
            "int kilos = 31\n\nfor (int day = 0; day < 2; day++) {\n  kilos++;\n}\n",
        ),
    ],
)
def test_consoles_that_are_not_here(language: str, shown: str, left: str) -> None:
    assert typed(shown, language) == left
