"""A program run once by its own runtime, ready for keys to be tried on copies of it."""

from __future__ import annotations

from pathlib import Path

from jamkey.follow.frames import locate
from jamkey.model import Edit, Jam, Key, Trial
from jamkey.observe.capture import Captured
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.runs.read_run import jams_of
from jamkey.settings import Settings
from jamkey.trials.bench import Bench
from jamkey.trials.scratch import Scratch


def bench_of(folder: Path, script: str = "a.py") -> Bench:
    """Run a script that fails; return what tries keys for its failure."""
    target = script_target(str(folder / script), [])
    outcome = run_captured(target, folder)
    jam = main_jam(outcome)
    assert jam is not None

    def read(ended: Captured, there: Scratch) -> list[Jam]:
        sources = there.sources()
        found = jams_of(ended.stderr, ended.wire, target=target, status=ended.status, stdout=ended.stdout, sources=sources)
        return [locate(one, sources, Settings()) for one in found]

    return Bench(folder, target, outcome.ended, jam, read)


def outcome_of(bench: Bench, *edits: Edit) -> Trial:
    """Return how the trial of a key with these edits ends."""
    return bench.try_one(Key(id="k", title="t", reason="r", confidence=0.5, edits=edits))
