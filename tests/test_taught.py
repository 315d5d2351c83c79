"""The programs that teach the tables are what they say: they fail, they run when mended; and what is read of them holds."""

from __future__ import annotations

import importlib.util
import json
import re
import sys
from collections import Counter
from pathlib import Path
from types import ModuleType

import pytest

from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read

BENCHMARKS = Path(__file__).parent.parent / "benchmarks"
_LIBRARIES = re.compile(r"^\s*(?:import|from) (?:numpy|pandas|matplotlib|scipy|sklearn)", re.MULTILINE)


def _taught() -> ModuleType:
    spec = importlib.util.spec_from_file_location("taught", BENCHMARKS / "taught.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules["taught"] = module
    spec.loader.exec_module(module)
    return module


TAUGHT = _taught()
PROGRAMS = [
    program for path in sorted(TAUGHT.TAUGHT.glob("*.txt")) for program in TAUGHT.programs(path.read_text(encoding="utf-8"))
]
#: Those that need nothing but Python.
PLAIN = [
    program
    for program in PROGRAMS
    if program.runtime == "python" and not any(_LIBRARIES.search(text) for text in program.files.values())
]


def test_every_program_is_mended_by_what_it_says() -> None:
    assert len(PROGRAMS) > 450
    assert max(Counter((program.runtime, program.name) for program in PROGRAMS).values()) == 1
    for program in PROGRAMS:
        mended = program.mended()
        assert mended, program.name
        assert any(program.files[file] != text for file, text in mended.items()), program.name


@pytest.mark.parametrize(
    "text",
    [
        "=== python/a python3 a.py\n--- a.py\nx\nx\n+++ a.py\n- x\n+ y\n",
        "=== python/a python3 a.py\n--- a.py\nx\n+++ a.py\n- z\n",
    ],
)
def test_a_line_that_is_not_there_once_is_told(text: str) -> None:
    with pytest.raises(ValueError, match=r"python/a: '- .' stands on"):
        TAUGHT.programs(text)


def test_a_line_can_be_told_by_its_number() -> None:
    (program,) = TAUGHT.programs("=== lua/a lua a.lua\n--- a.lua\n  x\nx\n+++ a.lua\n-@1 x\n+ y\n+ z\n-@2 x\n")
    assert program.mended() == {"a.lua": "  y\n  z\n"}


@pytest.mark.spread(30)
@pytest.mark.parametrize("program", PLAIN, ids=lambda program: program.name)
def test_a_program_becomes_a_case_and_is_read(program: object, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(TAUGHT, "_LIMIT", 4.0)
    assert TAUGHT.make(program, tmp_path, sys.executable) == ""
    (case,) = (truth.parent for truth in tmp_path.glob("python/*/truth.json"))
    truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
    if truth["phase"] in ("hang", "quiet"):
        # it was never stopped from outside, or it ended well: there is nothing to read
        assert (case / "stderr.txt").read_bytes() == b""
        assert truth["phase"] == "hang" or truth["fixed_stdout"] != (case / "stdout.txt").read_text(encoding="utf-8")
        return
    jam = diagnose(read((case / "stderr.txt").read_text(encoding="utf-8"))[-1], Sources(case / "src"))
    assert (jam.runtime, jam.phase) == ("python", truth["phase"])
    assert jam.kind
    assert jam.exception_type
    assert jam.snag_frame is not None
    assert (case / "src" / jam.snag_frame.file).is_file()
    for root in jam.roots:
        assert (case / "src" / root.file).is_file()
        assert root.line <= len((case / "src" / root.file).read_text(encoding="utf-8").split("\n"))
    # what is quoted of the values stands in the program, in its data or in what it printed
    said = re.findall(r"`([^`]+)`", jam.meaning or "")
    known = "\n".join(path.read_text(encoding="utf-8") for path in case.rglob("*") if path.is_file())
    assert all(any(word in known for word in re.findall(r"\w+", quoted) or [quoted]) for quoted in said), said


def test_a_program_that_does_not_fail_is_no_case(tmp_path: Path) -> None:
    (program,) = TAUGHT.programs("=== python/a python3 a.py\n--- a.py\nprint(3)\n+++ a.py\n- print(3)\n+ print(1 + 2)\n")
    assert TAUGHT.make(program, tmp_path, sys.executable) == "does not fail"
    assert not list(tmp_path.rglob("truth.json"))


def test_a_program_that_fails_when_mended_is_no_case(tmp_path: Path) -> None:
    text = "=== lua/a lua5.4 a.lua\n--- a.lua\nprint(x.y)\n+++ a.lua\n- print(x.y)\n+ print(x.z)\n"
    (program,) = TAUGHT.programs(text)
    assert TAUGHT.make(program, tmp_path, sys.executable).startswith("fails when mended: ")
