"""Programs of a few lines: what mends one is proposed, and as well where the program is only written differently."""

from __future__ import annotations

import ast
import sys
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import candidates
from tests.test_taught import TAUGHT
from tests.transforms import TRANSFORMS

PROGRAMS = [
    program
    for program in TAUGHT.programs((TAUGHT.TAUGHT / "brief.txt").read_text(encoding="utf-8"))
    if list(program.files) == ["main.py"]
]
#: What mends the others is another text than turns write: names and forms that their author chose, or edits far apart.
PROPOSED = 0.6


def tree(text: str) -> str:
    try:
        return ast.dump(ast.parse(text))
    except SyntaxError:
        return ""


def proposed(folder: Path, text: str) -> tuple[set[str], str]:
    """Return the trees of all texts that are proposed, and the kind of the failure."""
    folder.mkdir()
    (folder / "main.py").write_text(text, encoding="utf-8")
    jam = main_jam(run_captured(script_target(str(folder / "main.py"), [], python=sys.executable), folder))
    assert jam is not None
    found = candidates(Scene(jam, Sources(folder)), seconds=20)
    return {tree(item.texts["main.py"]) for item in found if "main.py" in item.texts}, jam.kind or ""


@pytest.mark.parametrize("name", [program.name for program in PROGRAMS])
@pytest.mark.parametrize("change", ["identifiers-renamed", "comments-and-blank-lines-added"])
def test_what_mends_it_is_proposed_however_it_is_written(name: str, change: str, tmp_path: Path) -> None:
    program = next(program for program in PROGRAMS if program.name == name)
    text, mended = program.files["main.py"], program.mended()["main.py"]
    found, kind = proposed(tmp_path / "plain", text)
    changed = next(iter(TRANSFORMS[change]({"main.py": text}, "main.py", 1)), None)
    after = next(iter(TRANSFORMS[change]({"main.py": mended}, "main.py", 1)), None)
    if changed is None or after is None or {*changed.names.values()} != {*after.names.values()}:
        pytest.skip("nothing in it can be written so, or its author gave it another name")
    other, other_kind = proposed(tmp_path / "other", changed.project["main.py"])
    assert other_kind == kind
    if tree(mended) in found:
        assert tree(after.project["main.py"]) in other


def test_most_of_them_are_proposed(tmp_path: Path) -> None:
    some = PROGRAMS[::6]
    there = [
        tree(program.mended()["main.py"]) in proposed(tmp_path / program.name, program.files["main.py"])[0] for program in some
    ]
    assert sum(there) >= PROPOSED * len(there)
