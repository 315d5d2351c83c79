"""Trials: what a run in a place of its own may do, what it may not, and how its end is judged; as a view and as a copy."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.model import Edit
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import main_jam, run_captured, tried
from jamkey.trials import scratch as scratch_module
from jamkey.trials.apply import digest
from jamkey.trials.scratch import scratch
from tests.benches import bench_of, outcome_of

Project = Callable[[Mapping[str, str | bytes]], Path]


@pytest.fixture(params=["view", "copy"])
def place(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> str:
    """Let second runs happen in a view of the project, then in a copy of it."""
    monkeypatch.setattr(scratch_module, "_views", [request.param == "view"])
    return str(request.param)


def edit(file: str, line: int, start: int, end: int, new: str) -> Edit:
    return Edit(file=file, line=line, column=start, end_line=line, end_column=end, new_text=new)


def test_a_view_can_be_had_here() -> None:
    """Where this fails, all trials below ran in copies only: the system must give views to test them."""
    scratch_module._views.clear()
    assert scratch_module.views_work()


def test_outcomes(project: Project, place: str) -> None:
    folder = project({"a.py": "print('start')\nfor w in ['1', 'x']:\n    print(int(w))\nprint(1 / 0)\n"})
    bench = bench_of(folder)
    bench.limit = 30.0  # a busy machine takes its time
    moved = outcome_of(bench, edit("a.py", 2, 16, 19, "'2'"))
    assert (moved.outcome, moved.printed) == ("moved", "2")
    assert moved.next is not None and "ZeroDivisionError" in moved.next and moved.next.startswith("a.py:4 ")
    assert outcome_of(bench, edit("a.py", 2, 16, 19, "'2'"), edit("a.py", 4, 11, 12, "2")).outcome == "runs"
    assert outcome_of(bench, edit("a.py", 1, 7, 14, "'begin'")).outcome in ("same", "worse")
    assert outcome_of(bench, edit("a.py", 2, 1, 4, "fro")).outcome == "worse"
    bench.limit = 2.0
    assert outcome_of(bench, edit("a.py", 1, 1, 15, "while True: pass")).outcome == "timeout"
    assert outcome_of(bench, edit("none.py", 1, 1, 1, "x")).outcome == "untried"
    assert outcome_of(bench, edit("../a.py", 1, 1, 1, "x")).outcome == "untried"


def test_nothing_that_a_trial_does_reaches_the_originals(project: Project, tmp_path: Path, place: str) -> None:
    """Whatever writes (a database, another program, a link that leads outside): the originals stay as they are."""
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "far.txt").write_text("far\n")
    folder = project({"a.py": "total = 1\nprint(totl)\n", "big.csv": b"oak,1\n" * 3_000_000})
    base = sqlite3.connect(folder / "hives.sqlite")
    base.execute("CREATE TABLE hive (name)")
    base.executemany("INSERT INTO hive VALUES (?)", [("oak" * 40,)] * 3000)
    base.commit()
    base.close()
    (folder / "linked").symlink_to(outside, target_is_directory=True)
    (folder / "near.txt").symlink_to(folder / "big.csv")
    bench = bench_of(folder)
    script = (
        "import sqlite3, subprocess\n"
        "base = sqlite3.connect('hives.sqlite')\n"
        "base.execute('DELETE FROM hive')\n"
        "base.commit()\n"
        "print(base.execute('SELECT count(*) FROM hive').fetchone()[0])\n"
        "subprocess.run(['sh', '-c', 'echo more >> big.csv; echo more >> near.txt'])\n"
        f"subprocess.run(['sh', '-c', 'echo more >> {folder}/big.csv'], stderr=subprocess.DEVNULL)\n"
        "total = 1\n"
        "print(totl)\n"
    )
    (folder / "a.py").write_text(script)
    before = {path: digest(path) for path in (folder / "big.csv", folder / "hives.sqlite", outside / "far.txt")}
    trial = outcome_of(bench, edit("a.py", 9, 7, 11, "total"))
    assert trial.printed == "0\n1"
    assert {"big.csv", "hives.sqlite"} <= set(trial.writes)
    if place == "view":
        assert (trial.outcome, trial.refused) == ("runs", ())  # at its own path it is all the view's
    else:
        assert trial.outcome == "untried" and f"write {folder}/big.csv" in trial.refused
    assert {path: digest(path) for path in before} == before
    (folder / "a.py").write_text("open('linked/far.txt', 'a').write('more')\ntotal = 1\nprint(totl)\n")
    trial = outcome_of(bench, edit("a.py", 3, 7, 11, "total"))
    assert (outside / "far.txt").read_text() == "far\n"
    assert trial.outcome == ("untried" if place == "view" else "runs")  # a copy has one of its own


def test_a_database_elsewhere_can_be_read(project: Project, tmp_path: Path, place: str) -> None:
    """It asks to write and gets reading: no reason to call the key untried while the program runs."""
    base = sqlite3.connect(tmp_path / "far.sqlite")
    base.execute("CREATE TABLE hive (name)")
    base.commit()
    base.close()
    folder = project(
        {
            "a.py": f"import sqlite3\nprint(sqlite3.connect({str(tmp_path / 'far.sqlite')!r}).execute('SELECT * FROM hive').fetchall())\nprint(totl)\n"
        }
    )
    trial = outcome_of(bench_of(folder), edit("a.py", 3, 7, 11, "1"))
    assert (trial.outcome, trial.printed) == ("runs", "1")


def test_large_projects(project: Project, monkeypatch: pytest.MonkeyPatch, place: str) -> None:
    """A view does not mind; a copy is not made, and the key says why it is untried."""
    folder = project({"a.py": "print(totl)\ntotal = 1\n", "a.bin": b"x" * 1000})
    monkeypatch.setattr("jamkey.trials.copy.MOST_BYTES", 100)
    trial = outcome_of(bench_of(folder), edit("a.py", 1, 7, 11, "1"))
    assert trial.outcome == ("runs" if place == "view" else "untried")
    assert place == "view" or "too large" in (trial.next or "")


def test_a_copy_leaves_environments_and_history_out(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(scratch_module, "_views", [False])
    folder = project({"a.py": "", "venv/lib/x.txt": "", ".git/config": ""})
    with scratch(folder) as copied:
        assert sorted(path.name for path in copied.project.iterdir()) == ["a.py"]


def test_links_within_the_project_stay_links_within_the_copy(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(scratch_module, "_views", [False])
    folder = project({"data/a.csv": "1\n", "data/sub/b.csv": "2\n"})
    (folder / "short").symlink_to("data/a.csv")
    (folder / "full").symlink_to(folder / "data", target_is_directory=True)
    (folder / "data/sub/round").symlink_to(folder, target_is_directory=True)
    (folder / "nowhere").symlink_to("/no/such/place")
    with scratch(folder) as made:
        copied = made.project
        assert (copied / "short").read_text() == "1\n"
        assert (copied / "full" / "sub" / "b.csv").read_text() == "2\n"
        assert not (copied / "nowhere").exists()
        for path in copied.rglob("*"):
            assert path.resolve().is_relative_to(copied.resolve())


HEALTHY = {
    "temporary files": "import tempfile\nwith tempfile.NamedTemporaryFile('w') as f:\n    f.write('x')\nprint('ok')\n",
    "null device": "open('/dev/null', 'w').write('x')\nprint('ok')\n",
    "worker processes": "import multiprocessing as m\nif __name__ == '__main__':\n    with m.Pool(2) as p:\n        print('ok' if p.map(abs, [-1, 2]) == [1, 2] else 'no')\n",
    "shared memory": "from multiprocessing import shared_memory as s\nm = s.SharedMemory(create=True, size=10)\nm.close()\nm.unlink()\nprint('ok')\n",
    "loopback": "import socket\ns = socket.socket()\ns.bind(('127.0.0.1', 0))\ns.listen()\nc = socket.create_connection(s.getsockname())\nprint('ok')\n",
    "a pipe and a child": "import subprocess\nprint(subprocess.run(['cat'], input='ok', capture_output=True, text=True).stdout)\n",
    "own processes": "import subprocess, signal\np = subprocess.Popen(['sleep', '60'])\np.send_signal(signal.SIGTERM)\nprint('ok' if p.wait() == -15 else 'no')\n",
    "times and modes of its own files": "import os\nopen('x', 'w').close()\nos.chmod('x', 0o600)\nos.utime('x', (1, 1))\nos.rename('x', 'y')\nos.mkdir('d')\nos.rmdir('d')\nprint('ok')\n",
    "numbers of processes": "import os\nprint('ok' if os.path.exists(f'/proc/{os.getpid()}/stat') else 'no')\n",
    "its own folder's full path": "import os\nopen(os.path.join(os.getcwd(), 'out.txt'), 'w').write('x')\nprint('ok')\n",
}


@pytest.mark.parametrize("name", HEALTHY)
def test_what_healthy_programs_need_stays_possible(name: str, project: Project, place: str) -> None:
    folder = project({"a.py": HEALTHY[name]})
    target = script_target(str(folder / "a.py"), [])
    with scratch(folder) as there:
        ended = there.run(target, limit=20)
    assert (ended.status, ended.stdout.strip(), ended.refused) == (0, b"ok", ()), ended.stderr.decode()
    assert sorted(path.name for path in folder.iterdir()) == ["a.py"]


def test_plots_find_their_fonts_and_say_nothing(project: Project, place: str) -> None:
    program = "import matplotlib\nmatplotlib.use('Agg')\nimport matplotlib.pyplot as plt\nplt.plot([1])\nplt.savefig('a.png')\nprint('ok')\n"
    folder = project({"a.py": program})
    with scratch(folder) as there:
        ended = there.run(script_target(str(folder / "a.py"), []), limit=60)
    assert (ended.stdout, ended.refused) == (b"ok\n", ())
    assert b"temporary cache directory" not in ended.stderr


def test_keys_are_tried_and_name_what_is_written(project: Project, place: str) -> None:
    folder = project({"a.py": "total = 1\nopen('out.txt', 'w').write('x')\nprint(totl)\n"})
    target = script_target(str(folder / "a.py"), [])
    outcome = run_captured(target, folder)
    (folder / "out.txt").unlink()
    jam = main_jam(outcome)
    assert jam is not None
    key = tried(outcome, target, jam).keys[0]
    assert (key.trial.outcome, key.trial.writes) == ("runs", ("out.txt",))
    assert not (folder / "out.txt").exists()
