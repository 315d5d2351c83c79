"""The house stands: imports only go down."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import SOURCE

#: Part of the package -> floor. A module may import from lower floors and from its own part.
FLOORS = {
    "model": 0, "errors": 0, "shelf": 0, "state": 0,
    "text": 1, "settings": 1, "notebook": 1, "masking": 1,
    "languages": 2,
    "readers": 3, "phrases": 3, "live": 3, "follow": 3, "views": 3, "journal": 3,
    "kinds": 4, "mend": 4,
    "pipeline": 5,
    "after": 6, "foresight": 6,
    "tables": 3, "quiet": 7, "keeping": 7, "looking": 7,
    "session": 8,
    "library": 9,
    "doors": 10, "__main__": 11,
}  # fmt: skip
#: What may look across on its own floor, and why.
ALLOWED = {
    ("kinds", "follow"): "kinds ask the follower",
    ("mend", "live"): "a trial runs the program",
    ("views", "follow"): "a view shows source lines",
    ("views", "journal"): "a view shows a tally",
}
PACKAGE = SOURCE / "jamkey"


def modules() -> list[Path]:
    return [
        path for path in sorted(PACKAGE.rglob("*.py"))
        if "apiary" not in path.parts and "inject" not in path.parts and path.name not in ("agent.py", "in_kernel.py", "staying.py") and path != PACKAGE / "__init__.py"
    ]  # fmt: skip


def imported(path: Path) -> Iterator[tuple[int, str]]:
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("jamkey"):
            if node.module == "jamkey":
                yield from ((node.lineno, f"jamkey.{alias.name}") for alias in node.names)
            else:
                yield node.lineno, node.module
        elif isinstance(node, ast.Import):
            yield from ((node.lineno, alias.name) for alias in node.names if alias.name.startswith("jamkey."))


def part_of(module: str) -> str:
    return module.split(".")[1]


@pytest.mark.parametrize("path", modules(), ids=lambda path: str(path.relative_to(PACKAGE)))
def test_imports_only_go_down(path: Path) -> None:
    own = path.relative_to(PACKAGE).with_suffix("").parts[0]
    if own == "demo":
        assert not list(imported(path))
        return
    assert own in FLOORS, f"{own} has no floor yet: give it one in tests/test_floors.py"
    for line, module in imported(path):
        part = part_of(module)
        assert part in FLOORS, f"{path.name}:{line}: {module} has no floor"
        if part == own or (own, part) in ALLOWED:
            continue
        assert FLOORS[part] < FLOORS[own], (
            f"{path.name}:{line}: {own} (floor {FLOORS[own]}) imports {module} (floor {FLOORS[part]})"
        )


def test_the_agent_imports_nothing_of_ours() -> None:
    for path in (PACKAGE / "live" / "agent.py", PACKAGE / "live" / "staying.py", PACKAGE / "live" / "inject" / "sitecustomize.py"):
        assert not list(imported(path))


def test_nothing_beside_the_injected_file_hides_a_library() -> None:
    beside = sorted(path.name for path in (PACKAGE / "live" / "inject").glob("*.py"))
    assert beside == ["sitecustomize.py"]


def test_files_stay_small() -> None:
    long = {path.name: text.count("\n") for path in modules() if (text := path.read_text(encoding="utf-8")).count("\n") > 560}
    assert not long, f"split these: {long}"
