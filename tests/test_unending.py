"""Programs that do not end: what is said of them, what would end them, and how long it takes to find out."""

from __future__ import annotations

import json
import re
import shutil
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import edits_of, proposals
from jamkey.search.titles import title_of
from jamkey.text import splice
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: Name -> healthy program, the line that is changed, what it is then, and what the program prints.
PROGRAMS: dict[str, tuple[str, str, str, str]] = {
    "outside": (
        "class Frame:\n    def __init__(self, kilos, below=None):\n        self.kilos = kilos\n        self.below = below\n\n\n"
        "def total(frame):\n    kilos = 0\n    while frame is not None:\n        kilos += frame.kilos\n"
        "        frame = frame.below\n    return kilos\n\n\nprint(total(Frame(2, Frame(3))))\n",
        "        frame = frame.below\n",
        "    frame = frame.below\n",
        "5\n",
    ),
    "missing": (
        "levels = [2, 3, 5, 8]\nplace = 0\nhigh = []\nwhile place < len(levels):\n    if levels[place] > 2:\n"
        "        high.append(levels[place])\n    place += 1\nprint(high)\n",
        "    place += 1\n",
        "",
        "[3, 5, 8]\n",
    ),
    "sign": (
        "days = 4\nrows = []\nwhile days > 0:\n    rows.append(days)\n    days -= 1\nprint(rows)\n",
        "    days -= 1\n",
        "    days += 1\n",
        "[4, 3, 2, 1]\n",
    ),
    "added": (
        "weeks = 0\nkilos = 2\nwhile kilos < 20:\n    kilos += 5\n    weeks += 1\nprint(weeks, kilos)\n",
        "    kilos += 5\n",
        "    kilos = 5\n",
        "4 22\n",
    ),
    "member": (
        "class Visit:\n    def __init__(self, day, later=None):\n        self.day = day\n        self.later = later\n\n\n"
        "visit = Visit(3, Visit(9))\ndays = []\nwhile visit is not None:\n    days.append(visit.day)\n    visit = visit.later\nprint(days)\n",
        "    visit = visit.later\n",
        "",
        "[3, 9]\n",
    ),
    "flag": (
        "moved = True\nrows = [3, 1, 2]\nwhile moved:\n    moved = False\n    for i in range(2):\n"
        "        if rows[i] > rows[i + 1]:\n            rows[i], rows[i + 1] = rows[i + 1], rows[i]\n            moved = True\nprint(rows)\n",
        "    moved = False\n",
        "",
        "[1, 2, 3]\n",
    ),
}


def broken(name: str) -> str:
    healthy, was, now, _ = PROGRAMS[name]
    assert healthy.count(was) == 1
    return healthy.replace(was, now)


def interrupted(text: str, line: int) -> Jam:
    """Return the reading of a program that was stopped on a line."""
    row = text.split("\n")[line - 1].strip()
    trace = f'Traceback (most recent call last):\n  File "loop.py", line {line}, in <module>\n    {row}\nKeyboardInterrupt\n'
    return diagnose(read(trace)[-1], Sources(texts={"loop.py": text}))


def with_names_changed(text: str) -> str:
    """Return a program with its own names changed, those of the language as they are."""
    own = sorted(set(re.findall(r"(?m)\b([a-z_]+)\b(?= [-+/]*= )", text)))
    for name in own:
        text = re.sub(rf"\b{name}\b", f"{name}_of_oak", text)
    return text


@pytest.mark.spread(5)
@pytest.mark.parametrize("name", [name for name in PROGRAMS if name != "flag"])
def test_what_ends_it_is_the_first_key(name: str, project: Project) -> None:
    folder = project({"loop.py": broken(name), "right.txt": PROGRAMS[name][3]})
    done = jamkey("fix", "--yes", "--no-keep", "--limit", "2s", "--expect", "right.txt", "loop.py", cwd=folder)
    assert done.status == 0, done.err
    assert jamkey("run", "loop.py", cwd=folder).out == PROGRAMS[name][3]


@pytest.mark.spread(3)
@pytest.mark.parametrize("changed", [False, True], ids=["as-it-is", "renamed"])
@pytest.mark.parametrize("name", ["sign", "added", "missing"])
def test_the_edit_is_proposed_whatever_the_names_are(name: str, changed: bool) -> None:
    healthy, text = PROGRAMS[name][0], broken(name)
    if changed:
        healthy, text = with_names_changed(healthy), with_names_changed(text)
    loop = next(number for number, row in enumerate(text.split("\n"), 1) if row.startswith("while"))
    jam = interrupted(text, loop + 1)
    assert jam.kind == "endless"
    sources = Sources(texts={"loop.py": text})
    scene = Scene(jam, sources)
    made = {
        splice(text, list(edits_of("loop.py", item.made)))
        for item in proposals(scene, Budget(20))
        if item.made is not None and item.made.turn.startswith("step:")
    }
    assert healthy in made


def test_a_healthy_failure_has_no_such_edits(project: Project) -> None:
    """What fails of itself goes round nothing."""
    text = "kilos = 3\nwhile kilos > 0:\n    kilos -= weight\n"
    trace = "Traceback (most recent call last):\n  File \"loop.py\", line 3, in <module>\n    kilos -= weight\nNameError: name 'weight' is not defined\n"
    sources = Sources(texts={"loop.py": text})
    scene = Scene(diagnose(read(trace)[-1], sources), sources)
    assert scene.unending == []
    assert not [item for item in proposals(scene, Budget(20)) if item.made is not None and item.made.turn.startswith("step:")]


def saved(folder: Path, *words: str) -> dict[str, Any]:
    jamkey("run", "--no-keep", "--limit", "2s", "--save", "out.json", *words, cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    return dict(jam)


WORKS = "from slow import beside\n\nrows = [1, 2]\nrow = rows[0]\nwhile row != 5:\n    beside(row)\nprint(rows)\n"
SITS = "import threading\n\ndone = threading.Event()\nprint('weighing', flush=True)\ndone.wait()\nprint('weighed')\n"


def test_a_loop_is_found_around_a_library_that_is_busy(project: Project, tmp_path: Path) -> None:
    """The moment of stopping lies in the library nearly always; the loop is the program's."""
    library = tmp_path / "site" / "site-packages"
    library.mkdir(parents=True)
    (library / "slow.py").write_text("def beside(value):\n    return sorted(range(20000), key=lambda n: (n * value) % 7)\n")
    folder = project({"loop.py": WORKS})
    jamkey("run", "--no-keep", "--limit", "2s", "--save", "out.json", "loop.py", cwd=folder, env={"PYTHONPATH": str(library)})
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert jam["kind"] == "endless"
    assert jam["frames"][jam["snag"]]["line"] in (5, 6)
    assert float(jam["facts"]["busy"]) > 0.1  # what others leave of two processors; what waits has next to none
    assert "Nothing in the loop assigns `row`." in jam["meaning"]


def test_what_waits_is_told_to_have_used_no_processor(project: Project) -> None:
    jam = saved(project({"loop.py": SITS}), "loop.py")
    assert jam["kind"] == "interrupted"
    share = float(jam["facts"]["busy"])
    assert share < 0.2
    assert jam["meaning"] == (
        f"The program was stopped at `done.wait()`. Until then it used a processor for {share:.0%} of its time."
    )


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ("    weeks += 1\n", "Then `kilos` was 3, `weeks` was "),
        ("    kilos = 2 + len(str(weeks)[:1])\n", "Then `kilos` was 3, `weeks` was 0."),
    ],
)
def test_what_is_said_of_a_loop_is_true(body: str, told: str, project: Project) -> None:
    """Values are those of the moment; a name is only said not to be set where nothing in the loop sets it."""
    jam = saved(project({"loop.py": f"kilos, weeks = 3, 0\nwhile kilos < 9 or weeks < 0:\n{body}print(weeks)\n"}), "loop.py")
    assert jam["meaning"].startswith(
        "The program was stopped in the loop on line 2, which goes on while `kilos < 9 or weeks < 0` holds. "
    )
    assert told in jam["meaning"]
    unset = "weeks" if "kilos =" in body else "kilos"
    assert jam["meaning"].endswith(f"Nothing in the loop assigns `{unset}`.")


def test_what_is_asked_of_a_thing_is_told_and_not_that_nothing_sets_it() -> None:
    """A list that the loop takes from and adds to is not assigned, and changes all the same."""
    text = (
        "combs = ['oak']\nfull = 3\nwhile len(combs) < full:\n    comb = combs.pop()\n"
        "    if comb:\n        combs.append(comb)\n"
    )
    jam = interrupted(text, 4)
    assert jam.meaning == (
        "The program was stopped in the loop on line 3, which goes on while `len(combs) < full` holds. "
        "In the loop stands `combs.pop()`, `combs.append(comb)`. Nothing in the loop assigns `full`."
    )


@pytest.mark.spread(1)
@pytest.mark.parametrize(
    ("condition", "body"),
    [("hive.kilos > 0", "hive.kilos -= 0"), ("kilos['oak'] > 0", "kilos['oak'] -= 0"), ("left > 0", "left, done = left, 1")],
)
def test_what_is_set_as_a_member_an_item_or_one_of_several_is_set(condition: str, body: str) -> None:
    jam = interrupted(f"import hives\nwhile {condition}:\n    {body}\n", 3)
    assert jam.meaning == f"The program was stopped in the loop on line 2, which goes on while `{condition}` holds."


def test_what_is_only_read_is_not_said_to_wait() -> None:
    """Of a trace alone nobody knows whether the program worked or waited."""
    trace = (
        'Traceback (most recent call last):\n  File "loop.py", line 1, in <module>\n    run()\n'
        '  File "/usr/lib/python3.11/site-packages/slow.py", line 2, in run\n    work()\nKeyboardInterrupt\n'
    )
    jam = diagnose(read(trace)[-1], Sources(texts={"loop.py": "run()\n"}))
    assert jam.meaning == "The program was stopped at `run()`."


def test_marks_of_nothing_end_no_trace() -> None:
    """Stopped as it entered a function the interpreter prints an empty line of marks."""
    trace = (
        'Traceback (most recent call last):\n  File "loop.py", line 3, in <module>\n    weigh(hive)\n    ~~~~~^^^^^^\n'
        '  File "loop.py", line 1, in weigh\n    def weigh(hive):\n\nKeyboardInterrupt\n'
    )
    (jam,) = read(trace)
    assert jam.exception_type == "KeyboardInterrupt"
    assert [frame.line for frame in jam.frames] == [3, 1]


def test_what_a_line_moved_into_a_block_is_called() -> None:
    assert title_of("    a = 1\n", "        a = 1\n", "loop.py", 3) == "Move `a = 1` into the block above it, line 3 of loop.py"
    assert title_of("        a = 1\n", "    a = 1\n", "loop.py", 3) == "Move `a = 1` out of its block, line 3 of loop.py"
    assert title_of("a = 1", "a  = 1", "loop.py", 3).startswith("Write ")


ELSEWHERE = {
    "lua5.4": ("loop.lua", "local i, total = 1, 0\nwhile i <= 3 do\n  total = total + i\nend\nprint(total)\n", "6\n"),
    "node": (
        "loop.js",
        'let text = "a,,b,,,c";\nwhile (text.includes(",,")) {\n  text.replace(",,", ",");\n}\nconsole.log(text);\n',
        "a,b,c\n",
    ),
    "Rscript": ("loop.R", "i <- 1\ntotal <- 0\nwhile (i <= 3) {\n  total <- total + i\n}\ncat(total, '\\n')\n", "6 \n"),
}


@pytest.mark.parametrize("program", ELSEWHERE)
def test_other_languages(program: str, project: Project) -> None:
    assert shutil.which(program), "CI installs it"
    name, text, printed = ELSEWHERE[program]
    folder = project({name: text, "right.txt": printed})
    done = jamkey(
        "fix", "--yes", "--no-keep", "--limit", "2s", "--expect", "right.txt", "--", program, name, cwd=folder, timeout=200
    )
    assert done.status == 0, done.err
    assert jamkey("run", "--", program, name, cwd=folder).out == printed


def test_a_line_that_the_interpreter_does_not_know() -> None:
    """Where a loop jumps back 3.11 tells a line -1."""
    (jam,) = read('Traceback (most recent call last):\n  File "loop.py", line -1, in <module>\nKeyboardInterrupt\n')
    assert jam.exception_type == "KeyboardInterrupt"
    assert [(frame.file, frame.line) for frame in jam.frames] == [("loop.py", None)]


@pytest.mark.spread(3)
@pytest.mark.parametrize("limit", ["1s", "1.3s", "1.7s"])
def test_wherever_it_is_stopped_there_is_a_line(limit: str, project: Project) -> None:
    folder = project({"loop.py": broken("flag")})
    jamkey("run", "--no-keep", "--limit", limit, "--save", "out.json", "loop.py", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    assert jam["kind"] == "endless"
    assert jam["frames"][jam["snag"]]["line"] in range(3, 8)
