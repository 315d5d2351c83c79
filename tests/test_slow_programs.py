"""Of a program that takes its time no run is wasted: what is likely is run before anything is asked, and waited for."""

from __future__ import annotations

import dataclasses
import time
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Edit, Jam, Key, Trial
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import Outcome, best_key, fix, main_jam, run_captured, tried
from jamkey.search import by_trial
from jamkey.search import runners as quick
from jamkey.search.runners import SLOW, Runners, Tried
from jamkey.settings import Settings
from jamkey.trials.bench import Bench
from tests.conftest import jamkey, runs_noted

Project = Callable[[Mapping[str, str | bytes]], Path]

#: Takes as long as its first line says.
PAUSE = "import time\n\ntime.sleep({})\n"
MISSPELT = "weights = [31.2, 32.0]\nprint(sum(weigths))\n"
TWO = "weights = [31.2, 32.0]\ntotal = sum(weigths)\nprint('mean: ' + total)\n"
UNLIKELY = "kilos = {'oak': 31.2}\nfor hive in ('oak', 'brook'):\n    print(hive, kilos[hive] / 2)\n"


def failed(folder: Path, text: str, seconds: float) -> tuple[Outcome, Jam]:
    (folder / "hives.py").write_text(PAUSE.format(seconds) + text, encoding="utf-8")
    outcome = run_captured(script_target("hives.py", []), folder)
    jam = main_jam(outcome)
    assert jam is not None
    return outcome, jam


@pytest.mark.parametrize("seconds", [0.0, 2 * SLOW], ids=["quick", "slow"])
def test_a_likely_edit_of_a_slow_program_is_run_at_once(
    seconds: float, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    outcome, jam = failed(tmp_path, MISSPELT, seconds)
    asked = runs_noted(monkeypatch)
    first = tried(outcome, script_target("hives.py", []), jam).keys[0]
    assert (first.edits[0].new_text, first.trial.outcome, first.trial.printed) == ("weights", "runs", "63.2")
    assert bool(asked) is (seconds == 0.0), "a slow program is not run to be asked; a quick one is, as that costs nothing"


@pytest.mark.long
def test_where_nothing_is_likely_a_slow_program_is_asked(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    outcome, jam = failed(tmp_path, UNLIKELY, 1.5 * SLOW)
    asked = runs_noted(monkeypatch)
    found = tried(outcome, script_target("hives.py", []), jam)
    assert asked
    assert any(key.trial.outcome == "runs" for key in found.keys)


@pytest.mark.parametrize("seconds", [0.0, 1.2 * SLOW], ids=["quick", "slow"])
def test_two_failures_are_mended_in_their_turn(seconds: float, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The first edit only gets past its failure: the next one is mended in the next round, each with one edit."""
    monkeypatch.chdir(tmp_path)
    (tmp_path / "hives.py").write_text(PAUSE.format(seconds) + TWO, encoding="utf-8")
    rounds = list(fix(script_target("hives.py", []), tmp_path, choose=best_key))
    assert rounds[-1].jam is None, "it runs"
    keys = [one.applied for one in rounds if one.applied is not None]
    assert [len(key.edits) for key in keys] == [1] * len(keys)
    mended = (tmp_path / "hives.py").read_text(encoding="utf-8")
    assert "sum(weights)" in mended
    assert "weigths" not in mended


def test_a_preview_goes_on_behind_the_first_edit(project: Project) -> None:
    folder = project({"hives.py": TWO})
    done = jamkey("fix", "--preview", "--no-keep", "hives.py", cwd=folder)
    assert "tried: runs" in done.out
    assert (folder / "hives.py").read_text(encoding="utf-8") == TWO


class Slow(Bench):
    """Trials that take a while and run, or fail at once; what was tried is noted."""

    def __init__(self, folder: Path, seconds: float) -> None:
        outcome, jam = failed(folder, MISSPELT, 0.0)
        super().__init__(folder, script_target("hives.py", []), outcome.ended, jam, lambda ended, place: [])
        self.first = dataclasses.replace(self.first, seconds=seconds)
        self.began: list[str] = []

    def try_one(self, key: Key) -> Trial:
        self.began.append(key.id)
        time.sleep(0.4 if key.id == "likely" else 0.05)
        return Trial(outcome="runs" if key.id == "likely" else "worse", printed="63.2")


@pytest.fixture
def cold(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """No warm interpreters: every trial is a plain run."""
    monkeypatch.setattr(quick, "can_be_warm", lambda target: False)
    yield


@pytest.mark.usefixtures("cold")
@pytest.mark.parametrize("seconds", [0.0, 2 * SLOW], ids=["quick", "slow"])
def test_what_is_being_tried_is_waited_for(seconds: float, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    bench = Slow(tmp_path, seconds)
    edit = Edit(file="hives.py", line=5, column=11, end_line=5, end_column=18, new_text="weights")
    names = ["likely", *(f"other {number}" for number in range(12))]
    items = [
        Tried(
            Key(id=name, title=name, reason="", confidence=0.0, edits=(edit,)), {}, 0.0 if name == "likely" else -6.0, "", False
        )
        for name in names
    ]
    with Runners(bench, Sources(tmp_path), Settings(), least=0) as runners:
        done = runners.all(items, time.monotonic() + 5)
    assert any(item.runs for item in done)
    assert (len(bench.began) <= 2) is (seconds > SLOW), "beside what is likely only what began with it"


def test_nothing_is_run_at_once_where_nothing_is_likely(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    outcome, jam = failed(tmp_path, UNLIKELY, 0.0)
    bench = Bench(tmp_path, script_target("hives.py", []), outcome.ended, jam, lambda ended, place: [])
    sources = Sources(tmp_path)
    monkeypatch.setattr(bench, "try_one", lambda key: pytest.fail("nothing is to be run"))
    with Runners(bench, sources, Settings(), least=0) as runners:
        assert runners.at_once(Scene(jam, sources), 2.0) == []


@pytest.mark.usefixtures("cold")
def test_a_trial_that_cannot_be_made_keeps_nobody_waiting(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    bench = Slow(tmp_path, 2 * SLOW)

    def broken(key: Key) -> Trial:
        time.sleep(0.1)
        raise RuntimeError("no trial")

    monkeypatch.setattr(bench, "try_one", broken)
    edit = Edit(file="hives.py", line=5, column=11, end_line=5, end_column=18, new_text="weights")
    items = [
        Tried(Key(id=name, title=name, reason="", confidence=0.0, edits=(edit,)), {}, score, "", False)
        for name, score in (("likely", 0.0), ("other", -6.0), ("third", -6.0))
    ]
    begin = time.monotonic()
    with Runners(bench, Sources(tmp_path), Settings(), least=0) as runners, pytest.raises(RuntimeError, match="no trial"):
        runners.all(items, time.monotonic() + 5)
    assert time.monotonic() - begin < 5


def test_an_edit_that_fails_otherwise_on_the_same_line_is_no_way_on(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    bench = Slow(tmp_path, 2 * SLOW)
    outcomes = {"here": "hives.py:5 TypeError: x", "there": "hives.py:9 TypeError: x"}
    for name, words in outcomes.items():
        key = Key(id=name, title=name, reason="", confidence=0.0, trial=Trial(outcome="moved", next=words))
        item = Tried(key, {}, -0.1, "", False)
        found = by_trial._at_once(bench, [item], in_turn=True)
        assert (found is not None) is (name == "there")


def test_an_edit_of_the_search_that_gets_past_is_run_plainly_first(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What a quick trial said is not shown: the key has the trial of a plain run, and a reason."""
    monkeypatch.chdir(tmp_path)
    bench = Slow(tmp_path, 0.0)
    item = Tried(Key(id="turned", title="turned", reason="", confidence=0.0), {}, -0.5, "", False)
    assert by_trial._past(bench, item) is None, "it ends worse"
    monkeypatch.setattr(bench, "try_one", lambda key: Trial(outcome="moved", next="hives.py:9 TypeError: x"))
    found = by_trial._past(bench, item)
    assert found is not None
    (key,) = found.keys
    assert (key.trial.outcome, key.confidence) == ("moved", 0.607)
    assert key.reason == "With this the program gets past this failure."
