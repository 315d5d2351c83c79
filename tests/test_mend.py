"""Applying, undoing, and what a trial may and may not do."""

from __future__ import annotations

import os
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
from jamkey.trials.apply import apply, digest, records, undo
from jamkey.trials.bench import rank, score

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
    real = os.replace

    def failing(source: Path, path: Path, **options: int) -> None:
        if Path(path).name == "b.py":
            raise OSError(28, "No space left on device", str(path))
        real(source, path, **options)

    monkeypatch.setattr(os, "replace", failing)
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
    assert done.keys[0].trial.outcome == "runs", "what the program deletes is not emptied"
    assert (folder / "log.txt").read_text() == "ran\n"
    assert (folder / "old.txt").read_text() == "again"


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
@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
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
    assert stopped == (left[0] < 0)
    assert sorted(path.name for path in folder.iterdir()) == ["a.py", "b.py"]
