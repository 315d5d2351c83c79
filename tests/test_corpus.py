"""The copied cases: real traces of many versions, with their truth."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import msgspec
import pytest

from jamkey.errors import NoFailureFound
from jamkey.follow.sources import Sources
from jamkey.kinds.judge import sound
from jamkey.languages.python import LANGUAGE as PYTHON
from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose
from jamkey.text import splice
from tests.claims import judged
from tests.conftest import CORPUS, printed, truth_of
from tests.expected import FILE, cases, first_edits, last_jam, rank_of_root, written

EXPECTED: dict[str, dict[str, Any]] = json.loads(FILE.read_text(encoding="utf-8"))
REFRESH = "look at what changed; if it is better, python -m tests.expected and commit tests/corpus_expected.json"


def named(case: Path) -> str:
    return f"{case.parent.name}/{case.name}"


@pytest.mark.parametrize("case", cases(), ids=named)
def test_case(case: Path) -> None:
    truth = truth_of(case)
    jam = last_jam(case)
    assert jam.exception_type == truth["exception_type"]
    whole = truth["runtime"] in ("python", "pypy", "skulpt", "javascript")
    found, wanted = (jam.message or "").strip(), (truth["message"] or "").strip()
    assert found == wanted or (not whole and wanted and wanted in found)
    assert (jam.phase, jam.kind) == (truth["phase"], truth["kind"])
    assert jam.snag_frame is not None
    places = [truth["snag"], *truth.get("snag_also_acceptable", ())]
    snag = (jam.snag_frame.file, jam.snag_frame.cell, jam.snag_frame.line)
    assert snag in [(place["file"], place.get("cell"), place["line"]) for place in places]
    assert jam.meaning
    expected = EXPECTED[named(case)]
    assert rank_of_root(case, jam) == expected["root"], ([(root.file, root.line) for root in jam.roots], REFRESH)
    if "key" in expected:
        assert written(first_edits(jam)) == expected["key"], REFRESH


@pytest.mark.spread(2)
@pytest.mark.parametrize("case", cases(), ids=named)
def test_what_is_shown_of_a_case(case: Path) -> None:
    """One reading, looked at from all sides: its keys, its sentences, its order."""
    jam = last_jam(case)
    no_key_breaks_what_parsed_or_edits_what_only_talks(case, jam)
    found = judged(msgspec.to_builtins(jam))
    wrong = found["contradictions"] + found["empty"]
    assert not wrong
    confidence_falls_and_nothing_is_said_twice(jam)


def no_key_breaks_what_parsed_or_edits_what_only_talks(case: Path, jam: Jam) -> None:
    sources = Sources(case / "src")
    for key in jam.keys:
        cells = any(edit.cell is not None for edit in key.edits)
        assert cells or sound(key.edits, sources, jam.runtime), key.title
        for file in {edit.file for edit in key.edits if edit.file.endswith(".py")}:
            before = sources.text(file) or ""
            after = splice(before, [edit for edit in key.edits if edit.file == file])
            assert after != before, key.title
            assert PYTHON.first_error(before) is not None or PYTHON.first_error(after) is None, key.title


def confidence_falls_and_nothing_is_said_twice(jam: Jam) -> None:
    assert [root.confidence for root in jam.roots] == sorted((root.confidence for root in jam.roots), reverse=True)
    places = [(root.file, root.cell, root.line) for root in jam.roots]
    assert len(places) == len(set(places))
    edits = [key.edits for key in jam.keys if key.edits]
    assert len(edits) == len(set(edits))
    for value in (*jam.roots, *jam.keys):
        assert 0 <= value.confidence <= 1


def test_every_case_is_expected_and_no_other() -> None:
    assert set(EXPECTED) == {named(case) for case in cases()}, REFRESH


def test_the_set_is_small_and_wide() -> None:
    size = sum(path.stat().st_size for path in CORPUS.rglob("*") if path.is_file())
    assert size < 3_000_000
    assert len(cases()) > 80
    versions = {truth_of(case)["runtime_version"].split(" ")[-1].rpartition(".")[0] for case in cases()}
    assert versions >= {"2.7", "3.6", "3.7", "3.8", "3.9", "3.10", "3.11", "3.12", "3.13"}


@pytest.mark.parametrize("case", cases()[::3], ids=named)
def test_without_sources_it_is_honest(case: Path, tmp_path: Path) -> None:
    """The text alone: type, kind and place still hold; no key claims to know code it has not seen."""
    truth = truth_of(case)
    try:
        jam = read_and_diagnose(printed(case)[-1], root=tmp_path)[-1]
    except NoFailureFound:
        pytest.fail("not read")
    assert jam.exception_type == truth["exception_type"]
    # that the user's own code raised it stands in the code, not in the text
    assert jam.kind == truth["kind"] or truth["kind"] == "raised-on-purpose"
    assert not [key for key in jam.keys if key.edits]
