"""Programs of a few lines: what mends one is proposed, and as well where the program is only written differently."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import candidates
from tests.test_taught import TAUGHT
from tests.transforms import TRANSFORMS

PROGRAMS = {
    program.name: (program.files["main.py"], program.mended()["main.py"])
    for program in TAUGHT.programs((TAUGHT.TAUGHT / "brief.txt").read_text(encoding="utf-8"))
    if list(program.files) == ["main.py"]
}
#: What mends the others is another text than turns write: names and forms that their author chose, or edits far apart.
PROPOSED = 0.6


class Case(NamedTuple):
    """A program written differently, and what mends it then."""

    name: str
    change: str
    text: str
    mended: str


def cases() -> Iterator[Case]:
    """Yield each program as it can be written otherwise, where the same words are left as they are in what mends it."""
    for name, pair in PROGRAMS.items():
        for change in ("identifiers-renamed", "comments-and-blank-lines-added"):
            made = [next(iter(TRANSFORMS[change]({"main.py": text}, "main.py", 1)), None) for text in pair]
            one, other = made
            if one is not None and other is not None and {*one.names.values()} == {*other.names.values()}:
                yield Case(name, change, one.project["main.py"], other.project["main.py"])


CASES = list(cases())


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


@pytest.mark.parametrize("case", CASES, ids=lambda case: f"{case.name}-{case.change}")
def test_what_mends_it_is_proposed_however_it_is_written(case: Case, tmp_path: Path) -> None:
    text, mended = PROGRAMS[case.name]
    plain, kind = proposed(tmp_path / "plain", text)
    other, other_kind = proposed(tmp_path / "other", case.text)
    assert other_kind == kind
    assert (tree(case.mended) in other) == (tree(mended) in plain)


def test_most_of_them_are_proposed(tmp_path: Path) -> None:
    some = list(PROGRAMS)[::9]
    there = [tree(PROGRAMS[name][1]) in proposed(tmp_path / name, PROGRAMS[name][0])[0] for name in some]
    assert sum(there) >= PROPOSED * len(there)


def test_nearly_all_can_be_written_otherwise() -> None:
    assert len(CASES) >= 1.5 * len(PROGRAMS)
