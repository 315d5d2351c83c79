"""Nothing is raised: wrong results, hangs, and the history of a value."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

#: Name -> (file, text, what should be printed, kind, root's line).
WRONG: dict[str, tuple[str, str, str, str, int]] = {
    "a return too early": (
        "a.py",
        "def total(w):\n    s = 0\n    for k in w:\n        s += k\n        return s\n\n\nprint(total([1, 2, 3]))\n",
        "6",
        "early-return",
        5,
    ),
    "a default that remembers": (
        "a.py",
        "def note(h, seen=[]):\n    seen.append(h)\n    return seen\n\n\nnote(1)\nprint(note(2))\n",
        "[2]",
        "shared-default",
        1,
    ),
    "a loop from one": (
        "a.py",
        "w = [5, 2, 3]\ns = 0\nfor i in range(1, len(w)):\n    s += w[i]\nprint('sum', s)\n",
        "sum 10",
        "lost-last-item",
        3,
    ),
    "a share without fraction": (
        "a.c",
        "#include <stdio.h>\nstatic double share(int part, int whole)\n{\n    return part / whole;\n}\nint main(void)\n{\n"
        '    printf("%.2f\\n", share(1, 4));\n    return 0;\n}\n',
        "0.25",
        "truncated-division",
        4,
    ),
    "a unit in a number": (
        "a.js",
        "const rows = ['linden;41.2 kg'];\nconst kilos = rows.map((row) => {\n  const weight = row.split(';')[1];\n  return Number(weight);\n});\n"
        "console.log(kilos[0].toFixed(1));\n",
        "41.2",
        "spreading-missing-value",
        4,
    ),
}


def preview(folder: Path, *words: str) -> Jam:
    jamkey("fix", "--preview", "--save", "out.json", *words, cwd=folder)
    return parse((folder / "out.json").read_bytes()).jams[-1]


def mended(folder: Path, *words: str) -> tuple[Jam, str]:
    """Turn the first key of one round; return the reading with it, and what the program prints then."""
    done = jamkey("fix", "--yes", "--save", "out.json", *words, cwd=folder)
    jams = parse((folder / "out.json").read_bytes()).jams
    assert (done.status, len(jams)) == (0, 1), done.err
    return jams[0], done.out.strip()


@pytest.mark.spread(4)
@pytest.mark.parametrize("name", list(WRONG))
def test_a_wrong_result_is_followed_and_mended(name: str, project: Project) -> None:
    file, text, expected, kind, line = WRONG[name]
    folder = project({file: text})
    jam, printed = mended(folder, "--expect", expected, file)
    assert (jam.phase, jam.kind, jam.exception_type) == ("quiet", kind, None)
    assert (jam.roots[0].file, jam.roots[0].line) == (file, line)
    assert jam.keys[0].trial.outcome == "runs", [(key.title, key.trial.outcome) for key in jam.keys]
    assert printed == expected


def test_the_expected_output_may_be_a_file(project: Project) -> None:
    folder = project({"a.py": "print(7 // 2)\n", "right.txt": "3.5\n"})
    done = jamkey("fix", "--yes", "--expect", "right.txt", "a.py", cwd=folder)
    assert (done.status, done.out) == (0, "3.5\n")
    assert (folder / "a.py").read_text() == "print(7 / 2)\n"


def test_a_key_that_runs_and_prints_something_else_is_not_enough(project: Project) -> None:
    folder = project({"a.py": "print(1 + 1)\n"})
    done = jamkey("fix", "--yes", "--expect", "seventeen", "a.py", cwd=folder)
    assert done.status == 1
    assert (folder / "a.py").read_text() == "print(1 + 1)\n"


def test_doubts_are_shown_and_the_program_stays_itself(project: Project) -> None:
    text = "def note(h, seen=[]):\n    seen.append(h)\n    return seen\n\n\nprint(note(1))\nprint(note(2))\n"
    done = jamkey("run", "--doubts", "a.py", cwd=project({"a.py": text}))
    assert (done.status, done.out) == (0, "[1]\n[1, 2]\n")
    assert "shared-default" in done.err
    healthy = jamkey("run", "--doubts", "b.py", cwd=project({"b.py": "print('calm')\n"}))
    assert (healthy.status, healthy.out) == (0, "calm\n")
    assert "nothing that looks wrong" in healthy.err


def test_a_warning_is_read(project: Project) -> None:
    text = 'rain <- c("1.5", "2,5")\nprint(sum(as.numeric(rain), na.rm = TRUE))\n'
    folder = project({"rain.R": text})
    jam = preview(folder, "--expect", "[1] 4", "rain.R")
    assert (jam.phase, jam.kind) == ("quiet", "unreadable-value")
    assert jam.snag_frame is not None
    assert jam.snag_frame.line == 2


#: Name -> (text, root's line, how the mended program ends).
HANGS: dict[str, tuple[str, int, str]] = {
    "a counter that stands still": (
        "i = 0\nw = [1, 2]\nwhile i < len(w):\n    if w[i] > 5:\n        print(i)\nprint('end')\n",
        3,
        "end",
    ),
    "a fraction never hit": ("x = 0.0\nwhile x != 1.0:\n    x += 0.1\nprint('end')\n", 2, "end"),
    "a list that grows": ("import time\nw = [1]\nfor x in w:\n    time.sleep(0.001)\n    w.append(x)\nprint(len(w))\n", 3, "2"),
    "an event nobody sets": (
        "import threading\n\nready = threading.Event()\nworker = threading.Thread(target=ready.wait, daemon=True)\nworker.start()\nworker.join()\nprint('end')\n",
        6,
        "end",
    ),
}


@pytest.mark.spread(5)
@pytest.mark.parametrize("name", list(HANGS))
def test_a_hang_is_read_and_mended(name: str, project: Project) -> None:
    text, line, end = HANGS[name]
    folder = project({"a.py": text, "right.txt": f"{end}\n"})
    jam, printed = mended(folder, "--limit", "1s", "--expect", "right.txt", "a.py")
    assert jam.phase == "hang"
    assert ("a.py", line) in [(root.file, root.line) for root in jam.roots[:2]]
    assert jam.keys[0].trial.outcome == "runs"
    assert printed == end


def test_a_hang_tells_the_values_of_its_condition(project: Project) -> None:
    folder = project({"a.py": "i, top = 0, 3\nwhile i < top:\n    pass\n"})
    done = jamkey("run", "--limit", "1s", "a.py", cwd=folder)
    assert done.status == 124
    told = " ".join(done.err.split())
    assert "`i` was 0" in told
    assert "Nothing in the loop assigns `i`, `top`." in told


TRAIL = "def mean(kilos):\n    total = 0.0\n    for weight in kilos:\n        total += weight\n    return total / len(kilos)\n\n\nprint(mean([31.5, float('nan'), 33.0]))\n"


def test_the_trail_of_a_name(project: Project) -> None:
    folder = project({"a.py": TRAIL})
    done = jamkey("trail", "--json", "--save", "t.png", "a.py", "total", cwd=folder)
    changes = json.loads(done.out)["changes"]
    assert [(c["line"], c["old"], c["new"], c["function"]) for c in changes] == [
        (2, None, "0.0", "mean"),
        (4, "0.0", "31.5", "mean"),
        (4, "31.5", "nan", "mean"),
    ]
    assert (folder / "t.png").read_bytes().startswith(b"\x89PNG")


@pytest.mark.parametrize(("until", "count", "last"), [("nan", 3, "nan"), ("total > 20", 2, "31.5"), ("type", 4, None)])
def test_the_trail_ends_where_it_turns_bad(until: str, count: int, last: str | None, project: Project) -> None:
    text = TRAIL.replace("    return", "    total = None\n    return 0 and") if until == "type" else TRAIL
    done = jamkey("trail", "--json", "--until-bad", until, "a.py", "total", cwd=project({"a.py": text}))
    changes = json.loads(done.out)["changes"]
    assert len(changes) == count
    assert changes[-1]["new"] == (last or "None")


def test_the_trail_of_a_function_and_of_an_attribute(project: Project) -> None:
    folder = project(
        {
            "a.py": TRAIL,
            "b.py": "class Hive:\n    def __init__(self):\n        self.kilos = 1\n\n    def feed(self):\n        self.kilos += 2\n\n\nHive().feed()\n",
        }
    )
    names = {c["name"] for c in json.loads(jamkey("trail", "--json", "a.py", "mean()", cwd=folder).out)["changes"]}
    assert names == {"kilos", "total", "weight"}
    changes = json.loads(jamkey("trail", "--json", "b.py", "self.kilos", cwd=folder).out)["changes"]
    assert [c["new"] for c in changes] == ["1", "1", "3"]
    shown = jamkey("trail", "a.py", "totl", cwd=folder)
    assert shown.status == 1
    assert "check their spelling" in shown.err


#: Other runtimes: file, text, root's line, what the mended program prints, the program that runs it.
OTHER_HANGS = {
    "r": (
        "a.R",
        "count <- function(w) {\n  i <- 1\n  while (i <= length(w)) {\n    x <- w[i]\n  }\n  i\n}\ncat(count(c(1, 2)))\n",
        3,
        "3",
    ),
    "lua": ("a.lua", "local w = {3, 4}\nlocal i = 1\nwhile i <= #w do\n  local x = w[i]\nend\nprint(i)\n", 3, "3"),
    "java": (
        "A.java",
        'public class A {\n    public static void main(String[] a) {\n        int i = 0;\n        while (i < 3) {\n            System.out.print("");\n        }\n'
        "        System.out.println(i);\n    }\n}\n",
        4,
        "3",
    ),
    "javascript": (
        "a.js",
        "let low = 0;\nlet high = 8;\nwhile (low < high) {\n  const mid = Math.floor((low + high) / 2);\n  if (mid * mid > 20) high = mid;\n  else {\n    low = mid;\n  }\n}\n"
        "console.log(low);\n",
        7,
        "5",
    ),
}


@pytest.mark.spread(7)
@pytest.mark.parametrize("runtime", list(OTHER_HANGS))
def test_other_runtimes_are_asked_where_they_hang(runtime: str, project: Project) -> None:
    file, text, line, printed = OTHER_HANGS[runtime]
    folder = project({file: text})
    jam = preview(folder, "--limit", "4s" if runtime == "java" else "1s", file)
    assert (jam.runtime, jam.phase, jam.kind) == (runtime, "hang", "endless")
    assert (file, line) in [(root.file, root.line) for root in jam.roots[:3]]
    ran = [key for key in jam.keys if key.trial.outcome == "runs"]
    # what it should print nobody told: several ends are ends
    assert any(key.trial.printed.strip().endswith(printed) for key in ran), [(key.title, key.trial) for key in jam.keys]


def test_a_second_look_tells_how_often_a_loop_went_round(project: Project) -> None:
    folder = project(
        {"a.py": "def fill(top):\n    kilos = 0.0\n    while kilos != top:\n        kilos += 0.1\n\n\nfill(1.0)\n"}
    )
    done = jamkey("run", "--again", "--limit", "1s", "a.py", cwd=folder)
    told = " ".join(done.err.split())
    assert "`kilos` changed about" in told
    assert "`top` never" in told
