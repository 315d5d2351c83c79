"""The tour, and the scripts it uses."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from jamkey.doors.demo import LAST, QUIET, RIGHT, STOPS, lay_out
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import main_jam, run_captured, tried
from jamkey.settings import Settings
from tests.conftest import SOURCE, jamkey

#: Script -> (kind, snag line, root file, root line, what the first key makes it print last)
EXPECTED = {
    "1_weekly_gain.py": ("unknown-name", 9, "1_weekly_gain.py", 9, "brook  +1.10 kg a week"),
    "2_best_hive.py": ("missing-value", 6, "apiary.py", 22, "2 north"),
    "3_honey_yield.py": ("unreadable-value", 6, "honey_yields.csv", 4, "willow  1.54 kg a frame"),
    "4_feeding.py": ("broken-syntax", 6, "4_feeding.py", 5, "28.9 1.6500000000000021"),
    "5_frost_nights.py": ("index-out-of-range", 8, "5_frost_nights.py", 7, "changes: [-3, -3, 2, 3]"),
    "6_hive_alarm.js": ("fixed-value", 8, "6_hive_alarm.js", 5, "1 hive(s) need feeding"),
}


SHORT = Settings(patience=2.0)


@pytest.mark.spread(3)
@pytest.mark.parametrize("name", STOPS)
def test_each_stop(name: str, tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "apiary")
    kind, line, root_file, root_line, printed = EXPECTED[name]
    target = script_target(str(folder / name), [])
    outcome = run_captured(target, folder)
    jam = main_jam(outcome)
    assert jam is not None
    assert jam.snag_frame is not None
    assert (jam.kind, jam.snag_frame.line) == (kind, line)
    assert (jam.roots[0].file, jam.roots[0].line) == (root_file, root_line)
    first = tried(outcome, target, jam, settings=SHORT).keys[0]
    assert first.trial.outcome == "runs"
    assert first.trial.printed.splitlines()[-1] == printed


def test_the_root_two_calls_away_is_shown_with_its_steps(tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "apiary")
    outcome = run_captured(script_target(str(folder / "2_best_hive.py"), []), folder)
    jam = main_jam(outcome)
    assert jam is not None
    assert [(step.file, step.what) for step in jam.roots[0].steps] == [
        ("2_best_hive.py", "passed"),
        ("2_best_hive.py", "assigned"),
        ("apiary.py", "returned"),
    ]


@pytest.mark.long  # `make demo` takes the same tour; its stops are tests of their own
def test_the_command(tmp_path: Path) -> None:
    done = jamkey("demo", cwd=tmp_path)
    assert done.status == 0, done.err
    for name in (*STOPS, LAST):
        assert name in done.out
    assert "left out" not in done.out
    assert "NORTH: 24 jars" in done.out, "the four jams of the last stop are mended"
    assert re.search(r"run [45]: it runs\.", done.out)
    for told in ("early-return", "jamkey check .", "names-never-defined", "jamkey cells", "the unit `kg` stands in the cell"):
        assert told in " ".join(done.out.split())
    assert list(tmp_path.glob("*.py")) == []


def test_the_wrong_result_is_mended(tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "apiary")
    target = script_target(str(folder / QUIET), [])
    outcome = run_captured(target, folder, expected=RIGHT)
    jam = main_jam(outcome)
    assert jam is not None
    assert (jam.phase, jam.kind, jam.roots[0].line) == ("quiet", "early-return", 10)
    assert tried(outcome, target, jam, settings=SHORT).keys[0].trial.outcome == "runs"


@pytest.mark.long  # `make demo` runs it too
def test_keeping_the_apiary(tmp_path: Path) -> None:
    done = jamkey("demo", "--short", "--folder", "mine", cwd=tmp_path)
    assert done.status == 0, done.err
    assert "NORTH: 24 jars" in done.out, "the four jams of the last stop are mended"
    assert "1_weekly_gain.py" not in done.out
    assert (tmp_path / "mine" / "hive_weights.csv").exists()
    packaged = SOURCE / "jamkey" / "demo" / "apiary" / LAST
    assert (tmp_path / "mine" / LAST).read_text() != packaged.read_text(), "the copy is mended, the original is not"
