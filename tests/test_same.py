"""A program that is only written differently gets the same root and the same first key."""

from __future__ import annotations

import json
import sys
from functools import cache
from pathlib import Path

import pytest

from jamkey.api import run
from jamkey.model import Jam
from tests.conftest import corpus_cases, interpreters, truth_of
from tests.transforms import TRANSFORMS, Changed

#: Transformation -> the least share, in percent, of roots and of first keys that follow. A rise is good news: raise it.
LEAST = {
    "identifiers-renamed": (90, 85),
    "comments-and-blank-lines-added": (95, 90),
    "subexpression-named": (75, 60),
    "function-moved-to-another-file": (85, 70),
    "class-around-a-function": (95, 85),
}


def cases() -> list[Path]:
    """Return every third case that fails while running under an interpreter of this machine."""
    here = {f"python{version}" for version in interpreters()}
    found = []
    for case in corpus_cases("python"):
        argv = json.loads((case / "cmd.json").read_text(encoding="utf-8"))["argv"]
        if truth_of(case)["phase"] == "run" and argv[0] in here and argv[1:2] and argv[1].endswith(".py"):
            found.append(case)
    return found[::3]


def failed(folder: Path, argv: list[str], stdin: str) -> Jam | None:
    outcome = run(
        folder / argv[1],
        argv[2:],
        cwd=folder,
        stdin=stdin.encode(),
        limit=20,
        python=interpreters()[argv[0].removeprefix("python")],
    )
    return outcome.jams[-1] if outcome.jams else None


def lay(folder: Path, beside: Path, project: dict[str, str]) -> Path:
    for path in beside.rglob("*"):
        if path.is_file():
            target = folder / path.relative_to(beside)
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(path.read_bytes())
    for name, text in project.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text, encoding="utf-8")
    return folder


def first_edit(jam: Jam) -> tuple[tuple[str, int], str] | None:
    key = next((key for key in jam.keys if key.edits), None)
    return ((key.edits[0].file, key.edits[0].line), key.edits[0].new_text) if key is not None else None


def plain(text: str, changed: Changed) -> str:
    for new, old in changed.names.items():
        text = text.replace(new, old)
    return " ".join(text.split())


@cache
def original(case: Path, folder: Path) -> tuple[dict[str, str], list[str], str, Jam | None]:
    """Run a case as it is; once, whatever is done to it afterwards."""
    lay(folder, case / "src", {})
    command = json.loads((case / "cmd.json").read_text(encoding="utf-8"))
    project = {p.relative_to(case / "src").as_posix(): p.read_text(encoding="utf-8") for p in (case / "src").rglob("*.py")}
    return project, command["argv"], command.get("stdin", ""), failed(folder, command["argv"], command.get("stdin", ""))


@pytest.fixture(scope="module")
def originals(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("originals")


@pytest.mark.spread(2)
@pytest.mark.parametrize("name", TRANSFORMS)
def test_what_is_written_differently_is_read_the_same(name: str, tmp_path: Path, originals: Path) -> None:
    roots: list[bool] = []
    keys: list[bool] = []
    odd: list[str] = []
    for case in cases():
        project, argv, stdin, before = original(case, originals / case.name)
        if before is None or before.snag_frame is None or before.snag_frame.line is None or not before.roots:
            continue
        if before.snag_frame.file not in project:
            continue
        for number, changed in enumerate(TRANSFORMS[name](project, before.snag_frame.file, before.snag_frame.line)):
            after = failed(lay(tmp_path / case.name / str(number), case / "src", changed.project), argv, stdin)
            if after is None or after.exception_type != before.exception_type:
                continue
            led = changed.leads((before.roots[0].file, before.roots[0].line))
            roots.append(bool(after.roots) and (after.roots[0].file, after.roots[0].line) in led)
            wanted, found = first_edit(before), first_edit(after)
            if wanted is not None:
                same_place = found is not None and found[0] in changed.leads(wanted[0])
                keys.append(same_place and found is not None and plain(found[1], changed) == plain(wanted[1], changed))
            if not roots[-1] or (wanted is not None and not keys[-1]):
                odd.append(case.name)
    least_root, least_key = LEAST[name]
    print(name, len(roots), 100 * sum(roots) / len(roots), len(keys), 100 * sum(keys) / len(keys), odd)
    assert len(roots) >= 4
    assert 100 * sum(roots) / len(roots) >= least_root, odd
    assert 100 * sum(keys) / len(keys) >= least_key, odd


def test_transformations_leave_healthy_programs_as_they_are(tmp_path: Path) -> None:
    """A change of words only prints the same: else the yardstick itself would be crooked."""
    import subprocess

    text = (
        "import math\n\n\ndef area(radius):\n    return math.pi * radius ** 2\n\n\n"
        "radii = [1, 2]\nfor radius in radii:\n    print(round(area(radius), 1))\n"
    )
    for name, make in TRANSFORMS.items():
        for changed in make({"a.py": text}, "a.py", 10):
            folder = tmp_path / name
            folder.mkdir()
            for file, content in changed.project.items():
                (folder / file).write_text(content, encoding="utf-8")
            done = subprocess.run([sys.executable, "a.py"], cwd=folder, capture_output=True, text=True, check=True)
            assert done.stdout == "3.1\n12.6\n", name


def test_every_transformation_has_a_bar() -> None:
    assert set(LEAST) == set(TRANSFORMS)
    assert all(isinstance(share, int) for pair in LEAST.values() for share in pair)
