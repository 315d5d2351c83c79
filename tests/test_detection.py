"""Which runtime a text comes from, and that plain output is no failure."""

from __future__ import annotations

import importlib.metadata
from pathlib import Path

import pytest

from jamkey.pipeline import read
from tests.conftest import CORPUS, corpus_cases, printed, truth_of

#: Runtimes whose texts are one runtime's to a reader.
SAME = {"skulpt": "python", "pypy": "python", "objective-c": "swift"}
SENTENCES = [
    "Error handling is explained in chapter 3.",
    "0 errors, 0 warnings",
    "error rate: 0.02",
    "INFO no error found",
    "Errors: none",
    "The error in the estimate is small.",
    "warning: the hive is heavy",
    "Finished with 2 warnings",
    "Exception lists are read from file",
    "exception: none",
    "Traceability matrix updated",
    "stack of frames: 10",
    "at the gate (main.js:1 is a file)",
    "Aborted takeoff at 10:30",
    "Killed bees: 12",
    "line 4: all well",
    "parse errors are counted below",
    "Fatal accidents: 0",
    "segmentation of the market",
    "Calls: 12 answered",
    "In addition: two more frames",
    "undefined references are listed in the annex",
    "called from the office",
    "r(12) is a radius",
    "panic is not an option",
    "core dumped into the bucket",
    "syntax of the form is fixed",
    "error: codes are listed in the manual below\n12 ok",
    "java.util is a package",
    "lua is a moon",
    "ERROR 0 OK 12",
    "2026-11-02 06:00:01 ERROR rate below limit",
    "Error bars show one deviation.",
    "   ^ here the path goes up",
    'File "hives.csv", line items: 12',
    "x = 3 # error",
    "RuntimeError is a class",
    "throw the ball",
]


def prose() -> list[str]:
    """Real prose: what installed packages say of themselves, and the notes in this repository."""
    texts = []
    for distribution in importlib.metadata.distributions():
        text = distribution.metadata.get_payload()
        if isinstance(text, str) and len(text) > 200:
            texts += [text[start : start + 3000] for start in range(0, min(len(text), 15000), 3000)]
    folder = Path(__file__).parent.parent
    texts += [
        path.read_text(encoding="utf-8")
        for path in [folder / "README.md", folder / "CONTRIBUTING.md", *folder.glob("docs/*.md")]
    ]
    return texts


def healthy_output() -> list[str]:
    """What the broken programs of the corpus printed before they broke, where it is a runtime that prints failures elsewhere."""
    texts = []
    for case in corpus_cases():
        if truth_of(case)["runtime"] in ("python", "pypy", "javascript", "java", "r", "octave"):
            text = (case / "stdout.txt").read_text(encoding="utf-8", errors="replace")
            if text.strip() and "#" not in text:
                texts.append(text)
    return texts


def test_plain_text_is_no_failure() -> None:
    texts = [*SENTENCES, "\n".join(SENTENCES), *prose(), *healthy_output()]
    assert len(texts) >= 200
    taken = [
        (text[:80], jams[0].runtime, jams[0].headline) for text in texts if "Traceback (" not in text and (jams := read(text))
    ]
    assert not taken


@pytest.mark.parametrize("case", corpus_cases(), ids=lambda case: f"{case.parent.relative_to(CORPUS)}/{case.name}")
def test_a_text_is_taken_for_its_own_runtime(case: Path) -> None:
    truth = truth_of(case)
    if truth["phase"] not in ("run", "compile"):
        return
    wanted = SAME.get(truth["runtime"], truth["runtime"])
    found = {SAME.get(jam.runtime, jam.runtime) for text in printed(case) for jam in read(text)}
    assert wanted in found
    assert found - {wanted} <= ({"javascript"} if "child" in case.name else set())
