"""The copied cases: real traces of many versions, with their truth."""

from __future__ import annotations

from pathlib import Path

import pytest

from jamkey.errors import NoFailureFound
from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose
from tests.conftest import CORPUS, corpus_cases, printed, truth_of

#: Cases whose root is not among the first three yet. A case that leaves this list is good news: take it out.
ROOT_NOT_FOUND = {
    "bus-keyerror", "bus-nested-call-traceback", "ferry-divide-by-zero", "ferry-module-name-as-variable",
    "ferry-singular-solve", "hive-find-returns-nothing", "hive-tab-console-syntax", "key-int-vs-text",
    "kiln-error-cause", "nightbus-package-frame", "page-firefox-style-stack", "segfault-null-read",
    "weather-primitive-failed",
}  # fmt: skip


def cases() -> list[Path]:
    return [case for case in corpus_cases() if truth_of(case)["phase"] in ("run", "compile")]


def last_jam(case: Path) -> Jam:
    for text in printed(case):
        try:
            jam = read_and_diagnose(text, root=case / "src")[-1]
        except NoFailureFound:
            continue
        if jam.snag_frame is not None:
            return jam
    raise AssertionError(f"{case.name} is not read")


@pytest.mark.parametrize("case", cases(), ids=lambda case: f"{case.parent.name}/{case.name}")
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
    place = (truth["root"]["file"], truth["root"].get("cell"), truth["root"]["line"])
    in_three = place in [(root.file, root.cell, root.line) for root in jam.roots[:3]]
    assert in_three == (case.name not in ROOT_NOT_FOUND), [(root.file, root.line) for root in jam.roots]


def test_the_list_names_real_cases() -> None:
    assert {case.name for case in cases()} >= ROOT_NOT_FOUND


def test_the_set_is_small_and_wide() -> None:
    size = sum(path.stat().st_size for path in CORPUS.rglob("*") if path.is_file())
    assert size < 3_000_000
    assert len(cases()) > 80
    versions = {truth_of(case)["runtime_version"].split(" ")[-1].rpartition(".")[0] for case in cases()}
    assert versions >= {"2.7", "3.6", "3.7", "3.8", "3.9", "3.10", "3.11", "3.12", "3.13"}


@pytest.mark.parametrize("case", cases()[::6], ids=lambda case: case.name)
def test_without_sources_it_is_honest(case: Path, tmp_path: Path) -> None:
    """The text alone: type, kind and place still hold; no key claims to know code it has not seen."""
    truth = truth_of(case)
    try:
        jam = read_and_diagnose(printed(case)[-1], root=tmp_path)[-1]
    except NoFailureFound:
        pytest.fail("not read")
    assert (jam.exception_type, jam.kind) == (truth["exception_type"], truth["kind"])
    assert not [key for key in jam.keys if key.edits]
