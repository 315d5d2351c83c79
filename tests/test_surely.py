"""What one is sure of: asked line by line in a second run, and the line shown after which it no longer holds."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.errors import UsageError
from jamkey.observe.target import command_target, script_target
from jamkey.runs.surely import Claim, check_claims, findings, surely
from jamkey.views.json import parse
from tests.conftest import interpreters, jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

SHARES = """def share(part, whole):
    return round(part / whole, 2)


def add(kilos, total):
    kilos = [weight for weight in kilos if weight > 12]
    return total + sum(kilos)


weights = {"north": [14.5, 11.0, 16.5], "brook": [12.5, 13.0]}
total = 0.0
for hive in weights:
    total = add(weights[hive], total)
parts = [share(sum(kilos), total) for kilos in weights.values()]
weights["brook"].clear()
print(parts)
"""
#: Claim -> (whether it holds, line, whether it held before, function).
ASKED: dict[str, tuple[bool | None, int, bool, str]] = {
    "len(parts) == 2": (True, 0, False, ""),
    "sum(parts) == 1": (False, 14, False, ""),
    "total == 67.5": (False, 13, False, ""),
    "len(weights['brook']) == 2": (False, 15, True, ""),
    "all(kilos for kilos in weights.values())": (False, 15, True, ""),
    "add() > 31": (False, 7, False, "add"),
    "add() > 30 and share() > 0": (None, 0, False, ""),
    "len(kilos) == 3": (False, 6, True, "add"),
    "share() <= 0.6": (False, 2, False, "share"),
    "whole > 50": (True, 0, False, "share"),
    "totl == 2": (None, 0, False, ""),
    "parts + total": (None, 0, False, ""),
}


def asked(folder: Path, monkeypatch: pytest.MonkeyPatch, *claims: str, python: str = "") -> list[Claim]:
    monkeypatch.chdir(folder)
    return surely(claims, script_target("shares.py", [], python=python), folder)


@pytest.mark.spread(2)
@pytest.mark.parametrize("version", sorted(interpreters()))
def test_the_line_after_which_it_no_longer_holds(version: str, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"shares.py": SHARES})
    found = asked(folder, monkeypatch, *ASKED, python=interpreters()[version])
    told = {
        one.claim: (one.holds, 0 if one.holds is not False else one.line, one.ceased and bool(one.before), one.function)
        for one in found
    }
    assert told == ASKED
    assert {one.file for one in found if one.holds is False} == {"shares.py"}
    assert (folder / "shares.py").read_text() == SHARES
    assert sorted(path.name for path in folder.iterdir()) == ["shares.py"]


def test_what_is_said_is_true_of_the_values(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"shares.py": SHARES})
    said = [one.reason() for one in asked(folder, monkeypatch, "total == 67.5", "len(weights['brook']) == 2", "add() > 31")]
    assert said == [
        "`total == 67.5` never held; this line was the last to change it: total was 31.0 and is 56.5",
        "`len(weights['brook']) == 2` held until here; then weights was {'north': [14.5, 11.0, 16.5], 'brook': [12.5, 13.0]} "
        "and is {'north': [14.5, 11.0, 16.5], 'brook': []}",
        "`add() > 31` does not hold here: add() is 31.0",
    ]
    (unknown, wrong) = asked(folder, monkeypatch, "totl == 2", "parts + total")
    assert unknown.told() == "`totl == 2` could not be asked: its names are not there, neither at the end nor in one function"
    assert wrong.told().startswith("`parts + total` could not be asked: TypeError: ")


def test_values_of_secrets_are_not_told(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"shares.py": "password = 'h0ney-77'\nprint(1)\n"})
    ((one,)) = asked(folder, monkeypatch, "len(password) == 3")
    (finding,) = findings([one])
    assert "h0ney" not in finding.reason + one.told()


def test_it_is_asked_in_other_files_too(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    hives = "def weigh(hives):\n    for hive in hives:\n        hive['kilos'] *= 2\n    return hives\n"
    folder = project(
        {"shares.py": "from hives import weigh\n\nhives = [{'kilos': 12}]\nweigh(hives)\nprint(hives)\n", "hives.py": hives}
    )
    (one,) = asked(folder, monkeypatch, "hives[0]['kilos'] == 12")
    assert (one.file, one.line, one.holds) == ("hives.py", 3, False)


@pytest.mark.parametrize("claim", ["total ==", "a = 1", "import os", "", "x\ny"])
def test_what_is_no_expression_is_said_before_anything_runs(claim: str, project: Project) -> None:
    with pytest.raises(UsageError, match="is no expression"):
        check_claims([claim])
    folder = project({"shares.py": "open('ran', 'w')\n"})
    done = jamkey("run", "--sure", claim, "shares.py", cwd=folder)
    assert (done.status, done.out) == (2, "")
    assert done.err.startswith("jamkey: --sure ") and done.err.count("\n") == 1
    assert not (folder / "ran").exists()


def test_only_python_scripts_are_asked(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(project({"a.lua": "print(1)\n"}))
    with pytest.raises(UsageError, match="Python scripts only"):
        surely(["x"], command_target(["lua5.4", "a.lua"]), Path.cwd())


def test_the_command_says_what_holds_and_shows_what_does_not(project: Project) -> None:
    folder = project({"shares.py": SHARES})
    done = jamkey("run", "--sure", "total == 67.5", "--sure=len(parts) == 2", "--save", "out.json", "shares.py", cwd=folder)
    assert (done.status, done.out) == (0, "[0.74, 0.45]\n")
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert (jam.phase, jam.kind, jam.snag_frame.line if jam.snag_frame else 0) == ("quiet", None, 13)
    assert (jam.roots[0].file, jam.roots[0].line) == ("shares.py", 13)
    assert "`len(parts) == 2` holds at the end" in done.err
    calm = jamkey("run", "--sure", "len(parts) == 2", "shares.py", cwd=folder)
    assert (calm.status, calm.out, calm.err) == (0, "[0.74, 0.45]\n", "jamkey: `len(parts) == 2` holds at the end\n")


def test_a_program_that_fails_is_read_and_nothing_is_asked(project: Project) -> None:
    folder = project({"shares.py": "total = 1\nprint(totl)\n"})
    done = jamkey("run", "--sure", "total == 2", "shares.py", cwd=folder)
    assert done.status == 1
    assert "NameError" in done.err and "total == 2" not in done.err


def test_a_long_loop_is_asked_for_a_while_and_at_its_end(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("jamkey.runs.surely.WATCHED", 0.2)
    folder = project({"shares.py": "total = 0\nfor step in range(300_000):\n    total += 1\nprint(total)\n"})
    (one,) = asked(folder, monkeypatch, "total == 300_000")
    assert (one.holds, one.times < 300_000) == (True, True)


def test_where_nothing_holds_it_is_said_and_unguarded_asks_on_a_copy(project: Project) -> None:
    folder = project({"shares.py": SHARES + "open('seen', 'a').write('x')\n"})
    plain = {"JAMKEY_SYSTEM": "plain"}
    done = jamkey("run", "--sure", "total == 67.5", "shares.py", cwd=folder, env=plain)
    assert (done.status, done.out) == (0, "[0.74, 0.45]\n")
    assert "could not be asked: nothing here keeps a second run in a copy: --unguarded" in " ".join(done.err.split())
    assert (folder / "seen").read_text() == "x"
    script = str(folder / "shares.py")
    done = jamkey("run", "--unguarded", "--sure", "total == 67.5", script, cwd=folder, env=plain)
    assert "total was 31.0 and is 56.5" in " ".join(done.err.split())
    assert (folder / "seen").read_text() == "xx", "the plain runs' only"
