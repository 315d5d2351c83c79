"""Damaged traces, sources, notebooks and journals: nothing raises, and no view passes on what a terminal or page obeys."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))
import fuzz


@pytest.mark.parametrize("first", range(0, 1500, 250))
def test_hostile_copies_of_real_failures(first: int) -> None:
    failed = [(seed, why) for seed in range(first, first + 250) if (why := fuzz.one(seed)[2])]
    assert not failed


@pytest.mark.parametrize("sort", [fuzz._source, fuzz._notebook, fuzz._saved], ids=lambda sort: sort.__name__[1:])
def test_every_sort_is_tried(sort: object, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(fuzz, "SORTS", [(sort, 1.0)])
    assert not [(seed, why) for seed in range(40) if (why := fuzz.one(seed)[2])]
