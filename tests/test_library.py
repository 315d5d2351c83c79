"""The library: its public names, its calls, the examples."""

from __future__ import annotations

import doctest
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

import jamkey
import jamkey.pipeline
from tests.conftest import corpus_cases

ROOT = Path(__file__).parent.parent
Project = Callable[..., Path]


def test_public_names() -> None:
    assert jamkey.__all__ == sorted(jamkey.__all__)
    assert set(jamkey.__all__) == set(jamkey._PUBLIC)
    for name in jamkey.__all__:
        assert getattr(jamkey, name).__doc__, name
    assert dir(jamkey) == jamkey.__all__
    with pytest.raises(AttributeError, match="no attribute 'swarm'"):
        _ = jamkey.swarm  # type: ignore[attr-defined]


def test_importing_is_nearly_free() -> None:
    code = "import sys; before = set(sys.modules); import jamkey; print(len(set(sys.modules) - before))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert int(done.stdout) <= 2


@pytest.mark.parametrize("module", [jamkey, jamkey.pipeline])
def test_doctests(module: object) -> None:
    result = doctest.testmod(module)  # type: ignore[arg-type]
    assert result.attempted > 0
    assert result.failed == 0


def test_read_exception_sees_values() -> None:
    def gain(weights: list[float]) -> float:
        return weights[5] - weights[0]

    try:
        gain([31.2, 32.0])
    except IndexError as error:
        jam = jamkey.read_exception(error, root=ROOT)
    assert jam.kind == "index-out-of-range"
    assert jam.snag_frame is not None
    assert jam.snag_frame.file == "tests/test_library.py"
    assert "`weights` has 2 items" in jam.meaning


def test_read_exception_with_a_chain_and_a_group() -> None:
    try:
        try:
            {}["oak"]
        except KeyError as error:
            raise ExceptionGroup("scales", [ValueError("no power")]) from error
    except ExceptionGroup as group:
        jam = jamkey.read_exception(group, root=ROOT)
    assert [link.relation for link in jam.chain] == ["caused-by", "member-of"]


def test_run_and_keys(project: Project) -> None:
    folder = project({"main.py": "import sys\ntotal = sys.argv[1]\nprint(totl)\n"})
    outcome = jamkey.run(folder / "main.py", ["oak"], cwd=folder)
    assert (outcome.status, outcome.jams[0].kind) == (1, "unknown-name")
    tried = jamkey.keys(outcome.jams[0], outcome=outcome, path=folder / "main.py", args=["oak"])
    assert (tried[0].trial.outcome, tried[0].trial.printed) == ("runs", "oak")
    assert jamkey.keys(outcome.jams[0]) == outcome.jams[0].keys


def test_run_reports_bad_calls(tmp_path: Path) -> None:
    with pytest.raises(jamkey.JamkeyError, match=r"none\.py does not exist"):
        jamkey.run(tmp_path / "none.py")


def test_run_with_a_limit(project: Project) -> None:
    folder = project({"main.py": "n = 1\nwhile n:\n    n = 1\n"})
    outcome = jamkey.run(folder / "main.py", cwd=folder, limit=0.5)
    assert (outcome.jams[0].phase, outcome.jams[0].kind) == ("hang", "endless")


def test_unsaved_buffers() -> None:
    """An editor hands in what is on the screen; the disk is not asked."""
    jam = jamkey.read(
        "Traceback (most recent call last):\n  File \"/x/y/gain.py\", line 2, in <module>\n    print(totl)\nNameError: name 'totl' is not defined\n"
    )[0]
    done = jamkey.diagnose(jam, jamkey.Sources(texts={"y/gain.py": "total = 1\nprint(totl)\n"}))
    assert done.keys[0].edits[0].file == "y/gain.py"


def example(name: str, *args: str, cwd: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, str(ROOT / "examples" / name), *args], cwd=cwd, capture_output=True, text=True, check=False
    )


def test_example_weigh_hives(tmp_path: Path) -> None:
    done = example("weigh_hives.py", cwd=ROOT)
    assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines()[0] == "north   31.2 kg"
    assert "oak    cannot be read: `28,9` was to be turned into a number" in done.stdout
    assert "Read the comma as a decimal point" in done.stdout
    assert done.stdout.splitlines()[-1] == "brook   35.0 kg"


def test_example_read_a_log() -> None:
    case = next(case for case in corpus_cases("python") if case.name == "hive-name-typo-py313")
    done = example("read_a_log.py", str(case / "stderr.txt"), str(case / "src"), cwd=ROOT)
    assert done.returncode == 0, done.stderr
    assert "look at hive_gain.py:9" in done.stdout
    assert "Write `total_gain` instead of `total_gian`" in done.stdout


def test_example_try_the_keys(project: Project) -> None:
    folder = project({"main.py": "total = 1\nprint(totl)\n"})
    done = example("try_the_keys.py", "main.py", cwd=folder)
    assert done.returncode == 1
    assert "runs     Write `total` instead of `totl`" in done.stdout
