"""A run that ended well, watched: what was odd in it, on every interpreter; and healthy programs left alone."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

import jamkey
from jamkey.observe.target import script_target
from jamkey.runs.doubts import SORTS, watched
from jamkey.runs.first_difference import first_difference
from jamkey.views.json import parse
from tests.conftest import interpreters
from tests.conftest import jamkey as run_jamkey

Project = Callable[..., Path]
AGENT = Path(jamkey.__file__).parent / "observe" / "agents" / "watcher.py"

#: Code -> (program, line, what the reason has to say).
ODD: dict[str, tuple[str, int, str]] = {
    "joined": ("low, high = '12', '30'\nprint(low + high)\n", 2, "'1230'"),
    "text-order": ("kilos = ['9', '31', '120']\nprint(max(kilos))\n", 2, "as text"),
    "never-equal": ("wanted = '7'\nfor frames in [5, 7]:\n    if frames == wanted:\n        print(frames)\n", 3, "'7'"),
    "fraction-lost": ("kilos, frames = 31, 4\nprint('each', kilos // frames)\n", 2, "31 // 4 is 7"),
    "one-object": ("shelf = [[]] * 3\nshelf[0].append(1)\nprint(shelf)\n", 1, "3 places"),
    "default-changed": (
        "def note(hive, seen=[]):\n    seen.append(hive)\n    return seen\n\n\nprint(note('oak'))\nprint(note('elm'))\n",
        1,
        "`seen`",
    ),
    "class-member": (
        "class Hive:\n    frames = []\n\n\none, two = Hive(), Hive()\none.frames.append(1)\nprint(two.frames)\n",
        2,
        "`frames`",
    ),
    "dropped": ("name = ' oak '\nname.strip()\nprint(name + '!')\n", 2, "str"),
    "not-called": ("kilos = [3, 1]\nkilos.sort\nprint(kilos)\n", 2, "not called"),
    "gaps-spread": ("import math\nkilos = [31.0, float('nan')]\nprint(math.fsum(kilos))\n", 3, ""),
    "last-left-out": (
        "kilos = [3, 1, 4, 1, 5]\ntotal = 0\nfor place in range(len(kilos) - 1):\n    total += kilos[place]\nprint(total)\n",
        3,
        "of 5",
    ),
    "first-left-out": (
        "kilos = [3, 1, 4, 1, 5]\ntotal = 0\nfor place in range(1, len(kilos)):\n    total += kilos[place]\nprint(total)\n",
        3,
        "of 5",
    ),
    "left-first": (
        "def heavy(kilos):\n    count = 0\n    for kilo in kilos:\n        count += kilo > 2\n        return count\n\n\nprint(heavy([3, 1, 4]))\n",
        5,
        "of 3",
    ),
    "changed-meanwhile": (
        "kilos = [1, 1, 5]\nfor kilo in kilos:\n    if kilo < 3:\n        kilos.remove(kilo)\nprint(kilos)\n",
        2,
        "taken out",
    ),
    "nothing-left": (
        "kilos = map(float, ['31', '28'])\nprint(sum(1 for _ in kilos))\nfor kilo in kilos:\n    print(kilo)\n"
        "for kilo in kilos:\n    print(kilo)\n",
        5,
        "taken before",
    ),
    "error-hidden": (
        "total = 0\nfor cell in ['31', 'x', '28']:\n    try:\n        total += int(cell)\n    except ValueError:\n        pass\nprint(total)\n",
        5,
        "ValueError",
    ),
    "taken-over": (
        "fee = 2\nfor name, fee in [('oak', 5), ('elm', 7)]:\n    print(name, fee)\nprint('the fee is', fee)\n",
        2,
        "`fee`",
    ),
    "binds-tighter": ("old, state = True, 'ill'\nprint(old & bool(state) == True)\n", 2, "`&`"),
    "nearly-special": (
        "class Hive:\n    def _eq_(self, other):\n        return True\n\n\nprint(Hive() == Hive())\n",
        2,
        "`__eq__`",
    ),
}
HEALTHY = {
    "a mean": "kilos = [31.2, 28.4]\nprint(sum(kilos) / len(kilos))\n",
    "pairs": "kilos = [1, 4, 9]\nfor place in range(1, len(kilos)):\n    print(kilos[place] - kilos[place - 1])\n",
    "text in order": "for name in sorted(['oak', 'elm']):\n    print(name)\n",
    "a search": "def first(kilos):\n    for kilo in kilos:\n        if kilo > 2:\n            return kilo\n    return None\n\n\nprint(first([1, 3]))\n",
    "popped": "shelf = [1, 2]\nshelf.pop()\nprint(shelf)\n",
    "own list in each": "shelf = [[] for _ in range(3)]\nshelf[0].append(1)\nprint(shelf)\n",
    "an error that is told": "try:\n    int('x')\nexcept ValueError as error:\n    print('no number:', error)\n",
    "generators": "def rows():\n    yield from [1, 2]\n\n\nfor row in rows():\n    print(row)\n",
    "classes": "class Hive:\n    limit = 3\n\n    def __init__(self):\n        self.frames = []\n\n    def add(self):\n        super().__init__()\n"
    "        self.frames.append(1)\n        return self\n\n\nprint(len(Hive().add().frames))\n",
    "names of its own": "def outer():\n    count = 0\n\n    def inner():\n        nonlocal count\n        count += 1\n        return locals()\n\n"
    "    inner()\n    return count\n\n\nprint(outer(), __name__, __file__[-3:])\n",
    "async": "import asyncio\n\n\nasync def weigh():\n    await asyncio.sleep(0)\n    return 3\n\n\nprint(asyncio.run(weigh()))\n",
}


def found(folder: Path, file: str = "hives.py") -> list[tuple[str, str, int, str]]:
    target = script_target(file, [], python=sys.executable)
    return [(item.rule, item.file, item.line, item.reason) for item in watched(target, folder, limit=60.0).findings]


@pytest.mark.parametrize("code", list(ODD))
def test_what_is_odd_is_told_with_its_line(code: str, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    text, line, said = ODD[code]
    folder = project({"hives.py": text})
    monkeypatch.chdir(folder)
    seen = [(rule, row, reason) for rule, _, row, reason in found(folder)]
    assert (code, line) in [(rule, row) for rule, row, _ in seen], seen
    assert said in next(reason for rule, _, reason in seen if rule == code)


@pytest.mark.parametrize("code", [code for code in ODD if code not in ("taken-over", "first-left-out")])
def test_names_and_files_do_not_matter(code: str, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    """Renamed, and moved into a module that the script imports: the same doubt, at the same statement."""
    text, line, _ = ODD[code]
    for old, new in (("kilos", "weights_of_all"), ("hive", "colony"), ("shelf", "rack")):
        text = re.sub(rf"\b{old}\b", new, text)
    folder = project({"inner.py": "# moved here\n\n" + text, "hives.py": "import inner\n"})
    monkeypatch.chdir(folder)
    assert (code, "inner.py", line + 2) in [item[:3] for item in found(folder)]


@pytest.mark.parametrize("name", list(HEALTHY))
def test_healthy_programs_are_left_alone(name: str, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"hives.py": HEALTHY[name]})
    monkeypatch.chdir(folder)
    assert found(folder) == []


def order(version: str) -> int:
    return int(version[2:])


@pytest.mark.spread(2)
@pytest.mark.parametrize("version", sorted(interpreters()))
def test_a_watched_program_prints_what_it_prints(version: str, tmp_path: Path) -> None:
    """On every interpreter: same output, same status."""
    programs = [*HEALTHY.values(), *(text for text, _, _ in ODD.values())]
    # all of them on the oldest and the newest, and between these every third
    whole = version in (min(interpreters(), key=order), max(interpreters(), key=order))
    for number, text in enumerate(programs if whole else programs[order(version) % 3 :: 3]):
        script = tmp_path / f"hives{number}.py"
        script.write_text(text)
        asked = json.dumps({"files": [str(script)], "out": str(tmp_path / "out.json"), "seconds": 20.0})
        python = interpreters()[version]
        runs = [
            subprocess.run([python, *words], capture_output=True, text=True, timeout=60, cwd=tmp_path)
            for words in ([script.name], [str(AGENT), asked, script.name])
        ]
        assert runs[0].stdout == runs[1].stdout, text
        assert runs[0].returncode == runs[1].returncode == 0
        assert isinstance(json.loads((tmp_path / "out.json").read_text()), list)


def test_every_doubt_has_its_words() -> None:
    text = AGENT.read_text() + AGENT.with_name("woven.py").read_text()
    told = re.findall(r"\.(?:note|keep|say)\(\s*[\w.]+, \"([a-z-]+)\"", text)
    elsewhere = "".join(path.read_text() for path in AGENT.parent.glob("watch.*"))
    told += re.findall(r"""odd(?:__)? ?\((?:site, )?[^'"\n]*['"]([a-z-]+)['"]""", elsewhere)
    told += re.findall(r"""['"](text-compared|text-order|gives-nothing|gives|nothing-used)['"]""", elsewhere)
    told = [code for code in told if code != "is"]
    said = {"equal", "at-first", "at-last", "went", "gives", "failed"}  # no doubts, but what speaks against one
    assert set(told) | {"left-first", "nearly-there"} == set(SORTS) | said, (
        "each observation has its words, and the other way round"
    )
    for sort in SORTS.values():
        assert 0 < sort.sure < 1
        assert sort.reason.count("{}") == 1


def test_values_of_a_secret_name_are_not_told(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"hives.py": "password = 'Brood77'\nif password == 'brood77':\n    print('open')\n"})
    monkeypatch.chdir(folder)
    ((rule, _, line, reason),) = found(folder)
    assert (rule, line) == ("never-equal", 2)
    assert "rood77" not in reason


def test_tables_are_looked_into(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    import pandas  # noqa: F401

    files = {
        "hives.csv": "hive,kilos\noak,31\nelm,28\nelm,27\n",
        "places.csv": "hive,place\noak,hill\nelm,brook\nelm,wood\n",
        "both.py": "import pandas as pd\n\nhives = pd.read_csv('hives.csv')\nplaces = pd.read_csv('places.csv')\n"
        "both = hives.merge(places, on='hive')\nprint(both.kilos.sum())\n",
        "once.py": "import pandas as pd\n\nhives = pd.read_csv('hives.csv')\nhives.drop_duplicates('hive')\nprint(len(hives))\n",
        "mask.py": "import pandas as pd\n\nhives = pd.read_csv('hives.csv')\nhives[hives.kilos > 30]['kilos'] = 0\nprint(hives.kilos.sum())\n",
        "gaps.py": "import pandas as pd\n\nhives = pd.read_csv('hives.csv', index_col='hive').iloc[:2]\nother = pd.Series({'oak': 1, 'ash': 2})\n"
        "change = hives.kilos - other\nprint(change.sum())\n",
        "light.py": "import numpy as np\n\nlight = np.array([3, 200], dtype=np.uint8)\nprint(light - np.uint8(9))\n",
    }
    folder = project(files)
    monkeypatch.chdir(folder)
    wanted = {
        "both.py": ("rows-more", 5),
        "once.py": ("dropped", 4),
        "mask.py": ("set-on-copy", 4),
        "gaps.py": ("gaps-made", 5),
        "light.py": ("wrapped-round", 4),
    }
    for file, place in wanted.items():
        assert place in [(rule, line) for rule, _, line, _ in found(folder, file)], file


def test_doubts_stand_in_the_reading_and_nothing_is_changed(project: Project) -> None:
    text, line, said = ODD["one-object"]
    folder = project({"hives.py": text, "log.txt": "before\n"})
    done = run_jamkey("run", "--doubts", "--save", "out.json", "hives.py", cwd=folder)
    assert (done.status, done.out) == (0, "[[1], [1], [1]]\n")
    jam = parse((folder / "out.json").read_bytes()).jams[0]
    assert (jam.phase, jam.kind, jam.roots[0].line) == ("quiet", "shared-default", line)
    assert said in (jam.message or "")
    assert said in " ".join(done.err.split())


def test_the_watched_run_writes_nothing_outside_its_copy(project: Project) -> None:
    text = "with open('count.txt', 'a') as out:\n    out.write('x')\nkilos = ['9', '31']\nprint(max(kilos))\n"
    folder = project({"hives.py": text})
    run_jamkey("run", "--doubts", "hives.py", cwd=folder)
    assert (folder / "count.txt").read_text() == "x", "the plain run wrote once, the watched one only on its copy"


def test_the_first_difference_is_told(project: Project) -> None:
    folder = project(
        {"hives.py": "kilos = [31, 28, 30]\nprint('hives', len(kilos))\nprint('mean', sum(kilos) // len(kilos))\n"}
    )
    done = run_jamkey("fix", "--preview", "--expect", "hives 3\\nmean 29.666666666666668", "hives.py", cwd=folder)
    told = " ".join(done.err.split()) + " ".join(done.out.split())
    assert "line 2 of what it printed is `mean 29` and should be `mean 29.666666666666668`" in told
    assert "/ len(kilos)" in told


@pytest.mark.parametrize(
    ("printed", "wanted", "line", "said"),
    [
        ("a\nb\n", "a\nc\n", 2, "is `b` and should be `c`"),
        ("a\n", "a\nc\n", 2, "line 2 should be `c`"),
        ("a\nb\n", "a\n", 2, "is one too many"),
        ("", "a", 1, "should be `a`"),
    ],
)
def test_differences(printed: str, wanted: str, line: int, said: str) -> None:
    difference = first_difference(printed, wanted)
    assert difference is not None
    assert difference.line == line
    assert said in difference.told()
    assert first_difference(wanted, wanted + " \n\n") is None


def test_a_key_of_the_search_is_applied_in_a_file_that_no_other_key_names(project: Project) -> None:
    """Found by the search alone: the file's state was known before, so that it may be written."""
    folder = project(
        {
            "share.py": "def share(part, whole):\n    return part // whole\n",
            "hives.py": "from share import share\n\nprint('share', share(1, 4))\n",
        }
    )
    done = run_jamkey("fix", "--yes", "--expect", "share 0.25", "hives.py", cwd=folder)
    assert done.status == 0, done.err
    assert done.out == "share 0.25\n"
    assert "part / whole" in (folder / "share.py").read_text()


@pytest.mark.parametrize(("kept", "lost"), [("", True), ("all_of = list(rows())\n", False)])
def test_an_object_that_nobody_holds_is_changed_for_nothing(
    kept: str, lost: bool, project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    text = (
        "class Row:\n    def __init__(self):\n        self.cells = {}\n\n    def __setitem__(self, name, value):\n        self.cells[name] = value\n\n\n"
        "def rows():\n    for number in range(3):\n        yield Row()\n\n\n"
        + kept
        + f"for row in {'all_of' if kept else 'rows()'}:\n    row['kilos'] = 3\n"
    )
    folder = project({"hives.py": text})
    monkeypatch.chdir(folder)
    assert any(rule == "set-on-copy" for rule, *_ in found(folder)) == lost


TABLES = """\
import pandas as pd

honey = pd.DataFrame({"hive": ["oak", "elm", "ash"], "kilos": [31.2, 28.4, 19.0]})
places = pd.DataFrame({"hive": ["oak", "oak", "elm"], "place": ["meadow", "wood", "meadow"]})


def joined(left, right):
    both = left.merge(right, on="hive", how="left")
    return both


for _ in range(2):
    both = joined(honey, places)
full = both.dropna()
print(len(full), "rows,", round(full["kilos"].sum(), 1), "kg")
"""


def test_what_became_of_the_tables(project: Project) -> None:
    folder = project({"rows.py": TABLES})
    done = run_jamkey("run", "--doubts", "--save", "out.json", "--save", "out.html", "rows.py", cwd=folder)
    assert done.status == 0 and done.out == "3 rows, 90.8 kg\n"
    (jam,) = json.loads((folder / "out.json").read_text())["jams"]
    told = [
        (s["line"], s["name"], s["rows_before"], s["rows_after"], s["gaps_before"], s["gaps_after"]) for s in jam["watched"]
    ]
    assert told == [
        (3, "honey", None, 3, None, 0),
        (4, "places", None, 3, None, 0),
        (8, "both", 3, 4, 0, 1),
        (13, "both", 3, 4, 0, 1),
        (14, "full", 4, 3, 1, 0),
    ]
    assert [step["times"] for step in jam["watched"]] == [1, 1, 2, 2, 1]
    page = (folder / "out.html").read_text(encoding="utf-8")
    assert "What became of the tables" in page and "0 → 1" in page and 'style="width: 75%"' in page


def test_a_run_without_tables_has_no_list_of_them(project: Project) -> None:
    folder = project({"sum.py": "total = '31' + '28'\nprint(total)\n"})
    run_jamkey("run", "--doubts", "--save", "out.json", "--save", "out.html", "sum.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text())["jams"]
    assert jam.get("watched", []) == []
    assert "What became of the tables" not in (folder / "out.html").read_text(encoding="utf-8")


def test_every_kind_of_a_doubt_is_a_kind() -> None:
    from jamkey.kinds import SHELF

    assert all(sort.kind in SHELF for sort in SORTS.values())
