"""A trace and the files it speaks of: changed since, moved, of another folder, none of its business."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner

from jamkey.doors.main import cli
from jamkey.pipeline import read_and_diagnose

PROGRAM = """\
weights = {"oak": 31.2, "elm": 28.4}


def gain(hive, before):
    now = weights[hive]
    return now - before


for hive in ("oak", "ash"):
    print(hive, gain(hive, 25.0))
"""


@pytest.fixture
def trace(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    (tmp_path / "gains.py").write_text(PROGRAM)
    monkeypatch.chdir(tmp_path)
    done = subprocess.run([sys.executable, "gains.py"], capture_output=True, text=True, check=False)
    assert "KeyError: 'ash'" in done.stderr
    return done.stderr


def shown(text: str, *options: str) -> str:
    result = CliRunner().invoke(cli, ["read", "--no-keep", *options], input=text)
    assert result.exit_code == 0, result.output
    return result.output


@pytest.mark.parametrize("above", [1, 3, 40, 200])
def test_lines_put_in_above(trace: str, tmp_path: Path, above: int) -> None:
    (tmp_path / "gains.py").write_text("# a note\n" * above + PROGRAM)
    jam = read_and_diagnose(trace, root=tmp_path)[-1]
    assert jam.snag_frame is not None
    assert (jam.snag_frame.line, jam.snag_frame.was_line) == (5 + above, 5)
    assert jam.snag_frame.source == "now = weights[hive]"
    for edit in (edit for key in jam.keys for edit in key.edits):
        assert edit.line <= PROGRAM.count("\n") + above
    words = shown(trace)
    assert f"line {5 + above}" in words
    assert "line 5 in the trace, the file has changed since" in " ".join(words.split())


@pytest.mark.parametrize(
    "now",
    [
        PROGRAM.replace("now = weights[hive]", "now = weights.get(hive)"),
        "print('another program altogether')\n",
        "x = 1\n" * 20,
        "",
    ],
)
def test_the_line_is_gone(trace: str, tmp_path: Path, now: str) -> None:
    (tmp_path / "gains.py").write_text(now)
    jam = read_and_diagnose(trace, root=tmp_path)[-1]
    assert jam.snag_frame is not None
    assert jam.snag_frame.changed or not now
    assert not [key for key in jam.keys if key.edits]
    assert not [root for root in jam.roots if root.line > now.count("\n") and jam.snag_frame.line != root.line]
    words = shown(trace)
    assert "now = weights[hive]" in words
    assert not now or "the file has changed since" in " ".join(words.split())


def test_another_file_of_that_name(trace: str, tmp_path: Path) -> None:
    elsewhere = trace.replace(str(tmp_path), "/srv/apiary").replace('"gains.py"', '"/srv/apiary/gains.py"')
    (tmp_path / "gains.py").write_text("x = 1\n" * 20)
    jam = read_and_diagnose(elsewhere, root=tmp_path)[-1]
    assert jam.snag_frame is not None
    assert jam.snag_frame.source == "now = weights[hive]"
    assert not [key for key in jam.keys if key.edits]
    assert "x = 1" not in shown(elsewhere)


def test_a_file_of_that_name_whose_line_fits(trace: str, tmp_path: Path) -> None:
    elsewhere = trace.replace('"gains.py"', '"/srv/apiary/gains.py"')
    (tmp_path / "code").mkdir()
    (tmp_path / "gains.py").rename(tmp_path / "code" / "gains.py")
    jam = read_and_diagnose(elsewhere, root=tmp_path)[-1]
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("code/gains.py", 5)


def test_a_trace_reads_no_file_outside_of_the_project(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    private = tmp_path / "private.txt"
    private.write_text("first\nthe queen's diary\nthird\n")
    project = tmp_path / "project"
    project.mkdir()
    (project / "link.py").symlink_to(private)
    monkeypatch.chdir(project)
    for name in (str(private), "../private.txt", "link.py"):
        text = f'Traceback (most recent call last):\n  File "{name}", line 2, in <module>\nValueError: no\n'
        for output in (shown(text), shown(text, "--json"), shown(text, "--save", "out.html", "--save", "out.json")):
            assert "diary" not in output
        for saved in ("out.html", "out.json"):
            assert "diary" not in (project / saved).read_text()


def test_what_run_reads_may_lie_elsewhere(tmp_path: Path) -> None:
    code, work = tmp_path / "code", tmp_path / "work"
    code.mkdir()
    work.mkdir()
    (code / "gains.py").write_text(PROGRAM)
    done = subprocess.run(
        [sys.executable, "-m", "jamkey", "run", str(code / "gains.py")], cwd=work, capture_output=True, text=True, check=False
    )
    assert done.returncode == 1
    assert "now = weights[hive]" in done.stderr
