"""What can be seen before a run: each rule on a slip and on healthy code beside it; files, notebooks, settings, forms."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.checks.engine import check_text
from jamkey.checks.rules import SHELF
from jamkey.text import splice
from tests.conftest import jamkey

Project = Callable[..., Path]

#: Rule -> (source with the slip, its line, healthy source of the same look).
SLIPS: dict[str, tuple[str, int, str]] = {
    "names-never-defined": ("kilos = 3\nprint(kilso)\n", 2, "try:\n    print(kilso)\nexcept NameError:\n    pass\n"),
    "names-before-value": ("print(kilos)\nkilos = 3\n", 1, "def show():\n    print(kilos)\n\n\nkilos = 3\nshow()\n"),
    "library-members": ("import math\nprint(math.squrt(4))\n", 2, "import math\nprint(math.sqrt(4))\n"),
    "argument-counts": (
        "def weigh(hive):\n    return hive\n\n\nweigh(1, 2)\n",
        5,
        "def weigh(hive, *more):\n    return hive\n\n\nweigh(1, 2)\n",
    ),
    "missing-self": (
        "class Hive:\n    def weigh():\n        return self.kilos\n",
        2,
        "class Hive:\n    @staticmethod\n    def weigh():\n        return 1\n",
    ),
    "loop-returns-early": (
        "def total(w):\n    s = 0\n    for x in w:\n        s += x\n        return s\n",
        5,
        "def first(w):\n    for x in w:\n        return x\n",
    ),
    "remembering-default": (
        "def note(h, seen=[]):\n    seen.append(h)\n    return seen\n",
        1,
        "def note(h, seen=()):\n    return [*seen, h]\n",
    ),
    "shared-attribute": (
        "class Hive:\n    frames = []\n\n    def add(self, f):\n        self.frames.append(f)\n",
        2,
        "class Hive:\n    frames = []\n\n    def __init__(self):\n        self.frames = []\n\n    def add(self, f):\n        self.frames.append(f)\n",
    ),
    "compared-not-set": ("kilos = 1\nkilos == 3\nprint(kilos)\n", 2, "kilos = 1\nassert kilos == 1\n"),
    "is-with-literal": ("def heavy(k):\n    return k is 60\n", 2, "def nothing(k):\n    return k is None\n"),
    "call-without-brackets": ("def weigh():\n    return 3\n\n\nweigh\n", 5, "def weigh():\n    return 3\n\n\nweigh()\n"),
    "kept-in-place-result": ("w = [3, 1]\nw = w.sort()\nprint(w)\n", 2, "w = [3, 1]\nw.sort()\nprint(w)\n"),
    "dropped-result": (
        "name = ' linden'\nname.strip()\nprint(name)\n",
        2,
        "name = ' linden'\nname = name.strip()\nprint(name)\n",
    ),
    "condition-never-changes": ("i = 0\nwhile i < 3:\n    print(i)\n", 2, "i = 0\nwhile i < 3:\n    i += 1\n"),
    "range-off-by-one": (
        "w = [1]\nfor i in range(len(w) + 1):\n    print(w[i])\n",
        2,
        "w = [1]\nfor i in range(len(w) - 1):\n    print(w[i + 1])\n",
    ),
    "whole-number-ratio": ("def mean(w):\n    return sum(w) // len(w)\n", 2, "def pages(n, size):\n    return n // size\n"),
    "joined-not-added": (
        "a = input()\nb = input()\nprint(a + b)\n",
        3,
        "a = float(input())\nb = float(input())\nprint(a + b)\n",
    ),
    "hidden-builtin": ("list = [1, 2]\nprint(list((3, 4)))\n", 1, "hives = [1, 2]\nprint(list((3, 4)))\n"),
    "hidden-global": (
        "total = 0\n\n\ndef add(k):\n    total = k\n\n\nadd(3)\nprint(total)\n",
        5,
        "total = 0\n\n\ndef add(k):\n    global total\n    total = k\n\n\nadd(3)\nprint(total)\n",
    ),
    "unreachable": ("def f():\n    return 1\n    print('never')\n", 3, "def f():\n    raise NotImplementedError\n    yield\n"),
    "text-against-number": (
        "n = input()\nif n == 3:\n    print('three')\n",
        2,
        "n = int(input())\nif n == 3:\n    print('three')\n",
    ),
    "hidden-error": (
        "def total(rows):\n    t = 0\n    try:\n        for r in rows:\n            t += int(r)\n    except ValueError:\n        pass\n    return t\n",
        3,
        "def total(rows):\n    t = 0\n    for r in rows:\n        try:\n            t += int(r)\n        except ValueError:\n            continue\n    return t\n",
    ),
    "text-sorted": ("w = ['10', '9']\nprint(sorted(w))\n", 2, "w = ['linden', 'acacia']\nprint(sorted(w))\n"),
    "fraction-equality": ("x = 0.0\nwhile x != 1.0:\n    x += 0.1\n", 2, "x = 0\nwhile x != 10:\n    x += 1\n"),
    "grows-while-looping": ("w = [1]\nfor x in w:\n    w.append(x)\n", 2, "w = [1]\nfor x in list(w):\n    w.append(x)\n"),
    "rows-matched-by-label": (
        "import pandas as pd\na = pd.Series([1, 2])\nlate = a[a > 1]\nb = pd.Series([1])\nprint((late + b).sum())\n",
        3,
        "import pandas as pd\na = pd.Series([1, 2])\nlate = a[a > 1]\nprint(late.sum())\n",
    ),
    "members-nearly": (
        "w = []\nw.apepnd(3)\n",
        2,
        "class Log:\n    def apepnd(self, x):\n        return x\n\n\nLog().apepnd(3)\n",
    ),
    "arguments-nearly": ("print(sorted([2, 1], revrse=True))\n", 1, "print(sorted([2, 1], reverse=True))\n"),
    "modules-nearly": ("import statstics\n", 1, "try:\n    import statstics\nexcept ImportError:\n    pass\n"),
    "keys-nearly": (
        "hive = {'kilos': 3, 'name': 'a'}\nprint(hive['kilos'], hive['kiols'])\n",
        2,
        "hive = {'kilos': 3}\nprint(hive['kilos'])\n",
    ),
}
#: Rules about files beside the source, which have tests of their own.
BESIDE = {"file-named-like-library", "missing-files", "missing-columns"}


def test_every_rule_has_a_slip() -> None:
    assert set(SHELF.names()) == set(SLIPS) | BESIDE


@pytest.mark.parametrize("rule", list(SLIPS))
def test_a_slip_is_seen_and_healthy_code_is_not(rule: str) -> None:
    text, line, healthy = SLIPS[rule]
    findings = check_text(text, "a.py")
    assert [(f.rule, f.line) for f in findings if f.rule == rule] == [(rule, line)]
    assert not check_text(healthy, "a.py")


@pytest.mark.parametrize("rule", list(SLIPS))
def test_a_key_takes_its_finding_away(rule: str) -> None:
    text, _, _ = SLIPS[rule]
    finding = next(f for f in check_text(text, "a.py") if f.rule == rule)
    if finding.edits:
        mended = splice(text, finding.edits)
        compile(mended, "a.py", "exec")
        assert rule not in [f.rule for f in check_text(mended, "a.py")], mended


def test_several_mistakes_of_grammar_in_one_file() -> None:
    found = check_text("def weigh(hive)\n    return hive\n\nfor h in [1]\n    print(h)\n", "a.py")
    assert [(f.rule, f.line) for f in found] == [("grammar", 1), ("grammar", 4)]


def test_what_lies_beside(project: Project) -> None:
    folder = project(
        {
            "weights.csv": "hive,kilos\nlinden,31.2\n",
            "random.py": "x = 1\n",
            "a.py": 'import csv\nimport random\nwith open("weihgts.csv") as f:\n    print(f.read(), random.random())\n'
            'with open("weights.csv") as g:\n    for row in csv.DictReader(g):\n        print(row["weight"])\n',
        }
    )
    done = jamkey("check", "--json", "a.py", cwd=folder)
    found = {f["rule"]: f["line"] for f in json.loads(done.out)["findings"]}
    assert done.status == 1
    assert found == {"file-named-like-library": 2, "missing-files": 3, "missing-columns": 7}


def test_a_line_or_a_project_can_mean_it(project: Project) -> None:
    text = "kilos = 1\nkilos == 3  # jamkey: meant\nprint(kilso)  # jamkey: meant unreachable\n"
    assert [f.rule for f in check_text(text, "a.py")] == ["names-never-defined"]
    folder = project({"a.py": "kilos = 1\nkilos == 3\n", "jamkey.toml": 'meant = ["compared-not-set"]\n'})
    assert jamkey("check", ".", cwd=folder).status == 0


def test_cells_of_a_notebook_see_each_other(project: Project) -> None:
    def cell(source: str) -> dict[str, object]:
        return {"cell_type": "code", "source": source, "metadata": {}, "outputs": [], "execution_count": None}

    cells = [cell("kilos = 3\n%matplotlib inline"), cell("print(kilos)\nprint(kilso)\nkilos")]
    folder = project({"n.ipynb": json.dumps({"cells": cells, "metadata": {}, "nbformat": 4, "nbformat_minor": 5})})
    found = json.loads(jamkey("check", "--json", "n.ipynb", cwd=folder).out)["findings"]
    assert [(f["cell"], f["line"], f["rule"]) for f in found] == [(1, 2, "names-never-defined")]


@pytest.mark.parametrize(
    ("name", "text", "line"),
    [
        ("a.js", "const kilos = [1, 2;\nconsole.log(kilos);\n", 1),
        ("a.R", "weights <- c(1, 2)\nprint(weights)\nprint(mean(wieghts))\n", 3),
        ("a.lua", "local weights = {1}\nprint(weights[1])\nprint(wieghts[1])\n", 3),
    ],
)
def test_other_languages(name: str, text: str, line: int) -> None:
    assert [f.line for f in check_text(text, name)] == [line]


def test_sarif_holds_places_and_fixes(project: Project) -> None:
    folder = project({"ä b.py": "kilos = 1\nkilos == 3\n"})
    done = jamkey("check", "--save", "out.sarif", "ä b.py", cwd=folder)
    assert done.status == 1
    run = json.loads((folder / "out.sarif").read_text())["runs"][0]
    result = run["results"][0]
    assert result["ruleId"] == run["tool"]["driver"]["rules"][result["ruleIndex"]]["id"] == "compared-not-set"
    assert result["locations"][0]["physicalLocation"] == {
        "artifactLocation": {"uri": "%C3%A4%20b.py"},
        "region": {"startLine": 2, "startColumn": 1, "endLine": 2, "endColumn": 11},
    }
    assert result["fixes"][0]["artifactChanges"][0]["replacements"][0]["insertedContent"] == {"text": "kilos = 3"}


def test_bad_calls(project: Project) -> None:
    folder = project({"a.py": "x = 1\n"})
    for words, said in (
        (("check",), "a path is missing"),
        (("check", "b.py"), "does not exist"),
        (("check", "--save", "x.html", "a.py"), ".json or .sarif"),
    ):
        done = jamkey(*words, cwd=folder)
        assert done.status not in (0, 1)
        assert said in done.err


@pytest.mark.parametrize(
    "text", ["", "\0\0", "x = " + "(" * 500, "\ufeffx = 1\n", "é = 1\nprint(é)\n", "def f(:\n" * 50, "x" * 100_000]
)
def test_odd_text_is_no_crash(text: str) -> None:
    check_text(text, "a.py")
    check_text(text, "a.js")


def test_of_a_long_line_the_place_is_shown(project: Project) -> None:
    numbers = ", ".join(map(str, range(200)))
    folder = project({"wide.py": f"print([{numbers}, kilo, {numbers}])\n", "one.py": "x" * 50_000})
    said = jamkey("check", "wide.py", "one.py", cwd=folder).out
    assert "kilo, 0, 1" in said.replace("\n", "")
    assert len(said) < 2_000
