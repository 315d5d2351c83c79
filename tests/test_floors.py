"""The house stands: imports only go down, and no room runs in a circle."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import SOURCE

#: Part of the package -> floor. A module may import from lower floors and from its own part.
#: House rules hold for every file, also in the everyday run.
pytestmark = pytest.mark.spread(1)
FLOORS = {
    "model": 0,
    "errors": 0,
    "shelf": 0,
    "folders": 0,
    "system": 0,
    "budget": 0,
    "late": 0,
    "packaged": 0,
    "text": 1,
    "settings": 1,
    "ipynb": 1,
    "secrets": 1,
    "languages": 2,
    "readers": 3,
    "phrases": 3,
    "tongues": 3,
    "observe": 3,
    "follow": 3,
    "views": 3,
    "journal": 3,
    "tables": 2,
    "repair": 3,
    "words_alone": 4,
    "kinds": 4,
    "trials": 4,
    "turns": 4,
    "pipeline": 5,
    "checks": 6,
    "piles": 6,
    "search": 6,
    "runs": 7,
    "api": 8,
    "doors": 9,
    "__main__": 10,
}
#: What may look across on its own floor, and why.
ALLOWED = {
    ("kinds", "follow"): "kinds ask the follower",
    ("kinds", "repair"): "broken text is mended by search",
    ("turns", "follow"): "turns stand at places of the way",
    ("trials", "observe"): "a trial runs the program",
    ("views", "follow"): "a view shows source lines",
    ("views", "journal"): "a view shows a tally",
}
PACKAGE = SOURCE / "jamkey"
#: Run by path in the user's interpreter: they import nothing of ours.
AGENTS = sorted([*(PACKAGE / "observe" / "agents").glob("*.py"), *(PACKAGE / "observe" / "agents" / "inject").glob("*.py")])


def modules() -> list[Path]:
    return [
        path
        for path in sorted(PACKAGE.rglob("*.py"))
        if "apiary" not in path.parts and path not in AGENTS and path != PACKAGE / "__init__.py"
    ]


def imported(path: Path) -> Iterator[tuple[int, str]]:
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("jamkey"):
            if node.module == "jamkey":
                yield from ((node.lineno, f"jamkey.{alias.name}") for alias in node.names)
            else:
                yield node.lineno, node.module
                yield from (
                    (node.lineno, f"{node.module}.{alias.name}")
                    for alias in node.names
                    if _is_module(f"{node.module}.{alias.name}")
                )
        elif isinstance(node, ast.Import):
            yield from ((node.lineno, alias.name) for alias in node.names if alias.name.startswith("jamkey."))


def _is_module(name: str) -> bool:
    place = SOURCE / name.replace(".", "/")
    return place.with_suffix(".py").exists() or (place / "__init__.py").exists()


def name_of(path: Path) -> str:
    return ".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix(".__init__")


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


def test_no_circle_within_a_room() -> None:
    """Every import counts, also one inside a function and one for types only: a circle is a circle for whoever reads it."""
    graph = {name_of(path): {module for _, module in imported(path) if _is_module(module)} for path in modules()}
    done: set[str] = set()

    def visit(name: str, path: tuple[str, ...]) -> None:
        assert name not in path, "a circle: " + " -> ".join([*path[path.index(name) :], name])
        if name not in done:
            for module in sorted(graph.get(name, ())):
                visit(module, (*path, name))
            done.add(name)

    for name in graph:
        visit(name, ())


def test_no_two_rooms_have_modules_of_one_name() -> None:
    """One name for one thing: a door and the view it shows may share theirs, and shelves have parts of their own kind."""
    shelves = {"languages", "readers", "phrases", "kinds", "rules", "clues", "syntax"}
    places: dict[str, list[str]] = {}
    for path in modules():
        if path.parent.name not in shelves and path.stem not in ("__init__", "__main__", "base"):
            places.setdefault(path.stem, []).append(path.parent.name)
    shared = {name: rooms for name, rooms in places.items() if len(rooms) > 1}
    assert {name for name, rooms in shared.items() if not {"doors", "views"} >= set(rooms)} == set(), shared


def test_the_agents_import_nothing_of_ours() -> None:
    for path in AGENTS:
        assert not list(imported(path))


def test_nothing_beside_the_injected_file_hides_a_library() -> None:
    beside = sorted(path.name for path in (PACKAGE / "observe" / "agents" / "inject").glob("*.py"))
    assert beside == ["sitecustomize.py"]


def test_files_stay_small() -> None:
    long = {path.name: text.count("\n") for path in modules() if (text := path.read_text(encoding="utf-8")).count("\n") > 560}
    assert not long, f"split these: {long}"


#: Where one runtime may be told from another by name: what reads, runs and knows each of them.
NAMING = {"languages", "readers", "observe"}


def test_what_differs_between_runtimes_is_a_fact_of_the_languages() -> None:
    found = []
    for path in modules():
        if path.relative_to(PACKAGE).parts[0] in NAMING:
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if not isinstance(node, ast.Compare):
                continue
            asked = [getattr(side, "attr", getattr(side, "id", "")) for side in (node.left, *node.comparators)]
            named = [side for side in node.comparators if isinstance(side, ast.Constant) and isinstance(side.value, str)]
            if "runtime" in asked and named and all(side.value for side in named):
                found.append(f"{path.relative_to(PACKAGE)}:{node.lineno}")
    assert not found, "make it a field of `jamkey.languages.traits.Traits`"


@pytest.mark.parametrize("folder", ["src", "tests", "benchmarks"])
def test_the_formatter_has_a_say_everywhere(folder: str) -> None:
    mark = "fmt: " + "skip"
    texts = {path: path.read_text(encoding="utf-8") for path in (SOURCE.parent / folder).rglob("*.py")}
    assert texts
    assert not [str(path) for path, text in texts.items() if mark in text or mark.replace("skip", "off") in text]
