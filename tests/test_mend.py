"""Applying, undoing, and what a trial may and may not do."""

from __future__ import annotations

import os
import sqlite3
import stat
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jamkey.errors import ChangedSinceRead, NothingToUndo, UnreadableInput
from jamkey.model import Edit, Key, Trial
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import best_key, main_jam, run_captured, tried
from jamkey.text import decode, lines_of
from jamkey.trials import apply as apply_module
from jamkey.trials import bench as trial_module
from jamkey.trials.apply import apply, digest, records, undo
from jamkey.trials.bench import rank, score
from jamkey.trials.scratch import scratch

Project = Callable[..., Path]


def edit(file: str, line: int, start: int, end: int, new: str) -> Edit:
    return Edit(file=file, line=line, column=start, end_line=line, end_column=end, new_text=new)


@pytest.mark.parametrize(
    "data",
    [
        b"a = 1\nb = 2\n",
        b"a = 1\r\nb = 2\r\n",
        "\ufeffa = 1\nb = 'ü'".encode(),
        "a = 1\nb = 'ü'\n".encode("latin-1"),
        "a = 1\nb = 'ü'\n".encode("utf-16"),
    ],
    ids=["lf", "crlf", "mark", "latin-1", "utf-16"],
)
def test_bytes_outside_the_edit_stay(data: bytes, project: Project) -> None:
    folder = project({"a.py": data})
    diff, _ = apply([edit("a.py", 1, 5, 6, "7")], folder, {"a.py": digest(folder / "a.py")})
    after = (folder / "a.py").read_bytes()
    encoded = {b"1": b"7"} if not data.startswith(b"\xff\xfe") else {"1".encode("utf-16-le"): "7".encode("utf-16-le")}
    ((old, new),) = encoded.items()
    assert after == data.replace(old, new, 1)
    assert "-a = 1" in diff
    assert "+a = 7" in diff


def test_mode_is_kept_and_a_link_stays_a_link(project: Project) -> None:
    folder = project({"real.py": "a = 1\n"})
    (folder / "real.py").chmod(0o750)
    (folder / "link.py").symlink_to("real.py")
    apply([edit("link.py", 1, 5, 6, "2")], folder, {"link.py": digest(folder / "link.py")})
    assert (folder / "link.py").is_symlink()
    assert (folder / "real.py").read_text() == "a = 2\n"
    assert stat.S_IMODE((folder / "real.py").stat().st_mode) == 0o750


def test_a_file_that_changed_is_left_alone(project: Project) -> None:
    folder = project({"a.py": "a = 1\n", "b.py": "b = 1\n"})
    hashes = {name: digest(folder / name) for name in ("a.py", "b.py")}
    (folder / "b.py").write_text("b = 1  # edited meanwhile\n")
    with pytest.raises(ChangedSinceRead, match=r"b\.py has changed since it was read: run again; nothing was written"):
        apply([edit("a.py", 1, 5, 6, "2"), edit("b.py", 1, 5, 6, "2")], folder, hashes)
    assert (folder / "a.py").read_text() == "a = 1\n"


def test_all_or_nothing(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"a.py": "a = 1\n", "b.py": "b = 1\n"})
    hashes = {name: digest(folder / name) for name in ("a.py", "b.py")}
    real = apply_module._write

    def failing(path: Path, data: bytes) -> None:
        if path.name == "b.py":
            raise OSError(28, "No space left on device", str(path))
        real(path, data)

    monkeypatch.setattr(apply_module, "_write", failing)
    with pytest.raises(UnreadableInput, match="nothing was changed"):
        apply([edit("a.py", 1, 5, 6, "2"), edit("b.py", 1, 5, 6, "2")], folder, hashes)
    assert (folder / "a.py").read_text() == "a = 1\n"


def test_nothing_outside_the_project(project: Project, tmp_path: Path) -> None:
    folder = project({"a.py": "a = 1\n"})
    (tmp_path / "out.py").write_text("a = 1\n")
    with pytest.raises(UnreadableInput, match="not in the project folder"):
        apply([edit("../out.py", 1, 5, 6, "2")], folder, {"../out.py": digest(tmp_path / "out.py")})


def test_undo_refuses_a_file_changed_after_the_fix(project: Project) -> None:
    folder = project({"a.py": "a = 1\n"})
    apply([edit("a.py", 1, 5, 6, "2")], folder, {"a.py": digest(folder / "a.py")})
    (folder / "a.py").write_text("a = 3\n")
    with pytest.raises(ChangedSinceRead, match="put it back by hand"):
        undo(folder)
    assert (folder / "a.py").read_text() == "a = 3\n"
    assert len(records(folder)) == 1


def test_undo_is_by_folder(project: Project, tmp_path: Path) -> None:
    folder = project({"a.py": "a = 1\n"})
    apply([edit("a.py", 1, 5, 6, "2")], folder, {"a.py": digest(folder / "a.py")})
    other = tmp_path / "other"
    other.mkdir()
    with pytest.raises(NothingToUndo):
        undo(other)
    assert undo(folder) == [str(folder / "a.py")]


def test_records_are_bounded_and_private(project: Project, state: Path) -> None:
    folder = project({"a.py": "a = 1\n"})
    for number in range(apply_module.MOST_RECORDS + 5):
        apply([edit("a.py", 1, 5, 5 + len(str(number or 1)), str(number + 1))], folder, {"a.py": digest(folder / "a.py")})
    kept = list((state / "undo").iterdir())
    assert len(kept) == apply_module.MOST_RECORDS
    assert stat.S_IMODE(kept[0].stat().st_mode) == 0o700


def test_a_damaged_record_is_passed_over(project: Project, state: Path) -> None:
    folder = project({"a.py": "a = 1\n"})
    bad = state / "undo" / "00000000000000000001-1"
    bad.mkdir(parents=True)
    (bad / "record.json").write_text("{")
    with pytest.raises(NothingToUndo):
        undo(folder)


def test_trials_never_touch_the_folder(project: Project) -> None:
    """The script writes, deletes and appends: all of it happens in the copies."""
    text = "import os\nopen('log.txt', 'a').write('ran\\n')\nif os.path.exists('old.txt'):\n    os.remove('old.txt')\nprint(totl)\ntotal = 3\n"
    folder = project(
        {"main.py": text.replace("print(totl)\ntotal = 3\n", "total = 3\nprint(totl)\n"), "old.txt": "x", "log.txt": ""}
    )
    target = script_target(str(folder / "main.py"), [])
    outcome = run_captured(target, folder)
    assert (folder / "log.txt").read_text() == "ran\n"
    (folder / "old.txt").write_text("again")
    jam = main_jam(outcome)
    assert jam is not None
    done = tried(outcome, target, jam)
    assert done.keys[0].trial.outcome == "runs"
    assert (folder / "log.txt").read_text() == "ran\n"
    assert (folder / "old.txt").read_text() == "again"


def test_outcomes(project: Project) -> None:
    folder = project({"main.py": "print('start')\nfor w in ['1', 'x']:\n    print(int(w))\nprint(1 / 0)\n"})
    target = script_target(str(folder / "main.py"), [])
    outcome = run_captured(target, folder)
    jam = main_jam(outcome)
    assert jam is not None

    from jamkey.follow.frames import locate
    from jamkey.follow.sources import Sources
    from jamkey.runs.read_run import jams_of
    from jamkey.settings import Settings
    from jamkey.trials.bench import Bench

    def read(ended, root):
        found = jams_of(ended.stderr, ended.wire, target=target, status=ended.status)
        return [locate(one, Sources(root), Settings()) for one in found]

    bench = Bench(folder, target, outcome.ended, jam, read)
    bench.limit = 2.0

    def outcome_of(*edits: Edit) -> Trial:
        return bench.try_one(Key(id="k", title="t", reason="r", confidence=0.5, edits=edits))

    moved = outcome_of(edit("main.py", 2, 16, 19, "'2'"))
    assert (moved.outcome, moved.printed) == ("moved", "2")
    assert moved.next is not None
    assert "ZeroDivisionError" in moved.next
    assert outcome_of(edit("main.py", 2, 16, 19, "'2'"), edit("main.py", 4, 11, 12, "2")).outcome == "runs"
    assert outcome_of(edit("main.py", 1, 7, 14, "'begin'")).outcome in ("same", "worse")
    assert outcome_of(edit("main.py", 2, 1, 4, "fro")).outcome == "worse"
    assert outcome_of(edit("main.py", 1, 1, 15, "while True: pass")).outcome == "timeout"
    assert outcome_of(edit("none.py", 1, 1, 1, "x")).outcome == "untried"


def test_a_folder_too_large_is_not_copied(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"main.py": "print(totl)\ntotal = 1\n", "a.bin": b"x" * 1000})
    monkeypatch.setattr("jamkey.trials.copy.MOST_BYTES", 100)
    target = script_target(str(folder / "main.py"), [])
    outcome = run_captured(target, folder)
    jam = main_jam(outcome)
    assert jam is not None
    assert {key.trial.outcome for key in tried(outcome, target, jam).keys} == {"untried"}


def test_an_environment_and_history_are_left_out(project: Project) -> None:
    folder = project({"venv/lib/x.txt": "", ".git/config": ""})
    (folder / "main.py").write_text("import os\ntotal = 1\nprint(os.path.exists('venv'), os.path.exists('.git'), totl)\n")
    target = script_target(str(folder / "main.py"), [])
    outcome = run_captured(target, folder)
    jam = main_jam(outcome)
    assert jam is not None
    assert tried(outcome, target, jam).keys[0].trial.printed == "False False 1"


def key(name: str, confidence: float, outcome: str = "untried", *, skips: bool = False, printed: str = "") -> Key:
    trial = Trial(outcome=outcome, printed=printed)  # type: ignore[arg-type]
    edits = (edit("a.py", 1, 1, 1, name),)
    return Key(id=name, title=name, reason="", confidence=confidence, edits=edits, trial=trial, skips_work=skips)


def test_ranking() -> None:
    keys = [
        key("sure-same", 0.95, "same"),
        key("skips", 0.9, "runs", skips=True),
        key("runs", 0.5, "runs"),
        key("moved", 0.6, "moved"),
        key("worse", 0.9, "worse"),
        key("untried", 0.9),
    ]
    assert [k.id for k in rank(keys)][:3] == ["runs", "moved", "skips"]
    assert score(key("a", 0.8, "runs", printed="kilos: nan")) < score(key("a", 0.8, "runs", printed="kilos: 3"))


def test_best_key_prefers_work_done() -> None:
    from jamkey.model import Jam

    jam = Jam(runtime="python", keys=(key("skips", 0.9, "runs", skips=True), key("low", 0.5, "moved")))
    chosen = best_key(jam)
    assert chosen is not None
    assert chosen.id == "low"
    assert best_key(Jam(runtime="python", keys=(key("a", 0.9, "same"),))) is None


def test_the_program_of_the_fix_is_found_from_elsewhere(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = project({"main.py": "total = 1\nprint(totl)\n"})
    monkeypatch.chdir(tmp_path)
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    target = script_target(str(folder / "main.py"), [])
    outcome = run_captured(target, elsewhere)
    assert outcome.root == folder
    assert outcome.jams[0].snag_frame is not None
    assert outcome.jams[0].snag_frame.file == "main.py"
    assert os.listdir(elsewhere) == []


TEXTS = st.text(st.sampled_from('ab=1 ü€\t#"\n\r'), max_size=60).map(lambda text: text.replace("\r\n", "\r"))
ENCODINGS = st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "latin-1"])


@given(data=st.data(), text=TEXTS, encoding=ENCODINGS, end=st.sampled_from(["\n", "\r\n"]))
@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_no_byte_outside_of_the_edits_is_lost(data: st.DataObject, text: str, encoding: str, end: str, tmp_path: Path) -> None:
    """Whatever the encoding, the line ends and the edits: what lies between the edits stays byte for byte."""
    text = "ä" + (text.replace("€", "ä") if encoding == "latin-1" else text).replace("\r", end)
    (tmp_path / "a.py").write_bytes(text.encode(encoding))
    before = decode((tmp_path / "a.py").read_bytes())
    rows = lines_of(before)
    places = sorted(data.draw(st.sets(st.integers(0, len(before)), min_size=1, max_size=4)))
    spans = [(a, b) for a, b in zip(places[::2], places[1::2], strict=False)] or [(places[0], places[0])]
    starts = [sum(map(len, rows[:number])) for number in range(len(rows) + 1)]

    def at(place: int) -> tuple[int, int]:
        line = max(number for number, start in enumerate(starts) if start <= place)
        return line + 1, place - starts[line] + 1

    edits = [
        Edit(file="a.py", line=at(a)[0], column=at(a)[1], end_line=at(b)[0], end_column=at(b)[1], new_text="<>")
        for a, b in spans
    ]
    apply(edits, tmp_path, {"a.py": digest(tmp_path / "a.py")})
    after = (tmp_path / "a.py").read_bytes()
    wanted, position = "", 0
    for a, b in spans:
        wanted, position = wanted + before[position:a] + "<>", b
    wanted += before[position:]
    assert decode(after) == wanted
    assert after[:3] == text.encode(encoding)[:3] or spans[0][0] < 3
    undo(tmp_path)
    assert (tmp_path / "a.py").read_bytes() == text.encode(encoding)


@pytest.mark.parametrize("moment", range(6))
def test_an_interrupt_leaves_all_old_or_all_new(moment: int, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"a.py": "a = 1\n", "b.py": "b = 1\n"})
    hashes = {name: digest(folder / name) for name in ("a.py", "b.py")}
    left = [moment]

    def interrupted(real: Callable[..., object]) -> Callable[..., object]:
        def call(*args: object, **kwargs: object) -> object:
            left[0] -= 1
            if left[0] == -1:
                raise KeyboardInterrupt
            return real(*args, **kwargs)

        return call

    monkeypatch.setattr(apply_module.os, "fsync", interrupted(os.fsync))
    monkeypatch.setattr(Path, "replace", interrupted(Path.replace))
    stopped = False
    try:
        apply([edit("a.py", 1, 5, 6, "2"), edit("b.py", 1, 5, 6, "2")], folder, hashes)
    except KeyboardInterrupt:
        stopped = True
    now = [(folder / name).read_text() for name in ("a.py", "b.py")]
    assert now == (["a = 1\n", "b = 1\n"] if stopped else ["a = 2\n", "b = 2\n"])
    assert stopped == (moment < 4)
    assert sorted(path.name for path in folder.iterdir()) == ["a.py", "b.py"]


def test_a_trial_holds_no_link_to_an_original(project: Project, tmp_path: Path) -> None:
    """Whatever writes (a database, another program, a link that leads outside): the originals stay as they are."""
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "far.txt").write_text("far\n")
    script = (
        "import sqlite3, subprocess\n"
        "base = sqlite3.connect('hives.sqlite')\n"
        "base.execute('DELETE FROM hive')\n"
        "base.commit()\n"
        "subprocess.run(['sh', '-c', 'echo more >> big.csv; echo more >> linked/far.txt; echo more >> near.txt'])\n"
        "total = 1\n"
        "print(totl)\n"
    )
    folder = project({"a.py": "", "big.csv": b"oak,1\n" * 3_000_000})
    base = sqlite3.connect(folder / "hives.sqlite")
    base.execute("CREATE TABLE hive (name)")
    base.executemany("INSERT INTO hive VALUES (?)", [("oak" * 40,)] * 3000)
    base.commit()
    base.close()
    (folder / "linked").symlink_to(outside, target_is_directory=True)
    (folder / "near.txt").symlink_to(folder / "big.csv")
    target = script_target(str(folder / "a.py"), [])
    before = {path: digest(path) for path in (folder / "big.csv", folder / "hives.sqlite", outside / "far.txt")}
    (folder / "a.py").write_text("total = 1\nprint(totl)\n")
    outcome = run_captured(target, folder)
    (folder / "a.py").write_text(script)
    jam = main_jam(outcome)
    assert jam is not None
    bench = trial_module.Bench(folder, target, outcome.ended, jam, lambda ended, project: [])
    trial = bench.try_one(Key(id="k", title="t", reason="r", confidence=0.5, edits=(edit("a.py", 7, 7, 11, "total"),)))
    assert trial.outcome == "runs"
    assert {"big.csv", "hives.sqlite"} <= set(trial.writes)
    assert {path: digest(path) for path in before} == before


def test_links_within_the_project_stay_links_within_the_copy(project: Project) -> None:
    folder = project({"data/a.csv": "1\n", "data/sub/b.csv": "2\n"})
    (folder / "short").symlink_to("data/a.csv")
    (folder / "full").symlink_to(folder / "data", target_is_directory=True)
    (folder / "data/sub/round").symlink_to(folder, target_is_directory=True)
    (folder / "nowhere").symlink_to("/no/such/place")
    with scratch(folder) as copied:
        assert (copied / "short").read_text() == "1\n"
        assert (copied / "full" / "sub" / "b.csv").read_text() == "2\n"
        assert not (copied / "nowhere").exists()
        for path in copied.rglob("*"):
            assert path.resolve().is_relative_to(copied.resolve())


def test_a_trial_may_not_write_to_the_original_by_its_full_path(project: Project) -> None:
    folder = project({"a.py": ""})
    (folder / "a.py").write_text(f"total = 1\nopen({str(folder / 'out.txt')!r}, 'a').write('x')\nprint(totl)\n")
    target = script_target(str(folder / "a.py"), [])
    outcome = run_captured(target, folder)
    jam = main_jam(outcome)
    assert jam is not None
    key = tried(outcome, target, jam).keys[0]
    assert (key.trial.outcome, "writes to the original" in (key.trial.next or "")) == ("untried", True)
    assert (folder / "out.txt").read_text() == "x"
