"""The documents are true: their examples run, their links lead somewhere, what is generated is fresh."""

from __future__ import annotations

import doctest
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

import jamkey as library
from jamkey.doors.main import cli
from jamkey.doors.reference import pages
from jamkey.settings import load
from tests.conftest import jamkey

ROOT = Path(__file__).parent.parent
DOCUMENTS = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").rglob("*.md"))]
_BLOCK = re.compile(r"^(`{3,})(\w+)\n(.*?)\n^\1$", re.MULTILINE | re.DOTALL)


def names(path: Path) -> str:
    return str(path.relative_to(ROOT))


def blocks(path: Path, language: str) -> list[str]:
    return [match[3] for match in _BLOCK.finditer(path.read_text(encoding="utf-8")) if match[2] == language]


def steps(block: str) -> Iterator[tuple[str, list[str]]]:
    """Yield each command of a block, its further lines joined, with the lines that are said to follow."""
    command: list[str] = []
    expected: list[str] = []
    for line in block.split("\n"):
        if line.startswith("$ "):
            if command:
                yield "\n".join(command), expected
            command, expected = [line[2:]], []
        elif line.startswith("> ") and not expected:
            command.append(line[2:])
        else:
            expected.append(line.rstrip())
    if command:
        yield "\n".join(command), expected


def plain(line: str) -> str:
    """Take out of a line what differs from machine to machine and day to day."""
    line = re.sub(r"\b(Python|JavaScript) \d+\.\d+\.\d+", r"\1 x.y.z", line)
    return re.sub(r"\d{4}-\d\d-\d\d", "a day", line).rstrip()


def follows(expected: list[str], printed: list[str]) -> str:
    """Return the first line that is not there in its place; `...` stands for any lines."""
    place, free = 0, False
    for line in map(plain, expected):
        if line == "...":
            free = True
            continue
        while free and place < len(printed) and printed[place] != line:
            place += 1
        if place >= len(printed) or printed[place] != line:
            return f"{line!r} is said to come, and there comes {printed[place : place + 3]!r}"
        place, free = place + 1, False
    return "" if free or place >= len(printed) else f"more comes than is said: {printed[place:]!r}"


@pytest.mark.parametrize("path", [path for path in DOCUMENTS if blocks(path, "console")], ids=names)
def test_examples_print_what_they_say(path: Path, tmp_path: Path) -> None:
    folder = tmp_path
    environ = {
        **os.environ,
        "PATH": f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}",
        "COLUMNS": "100",
        "VISUAL": "",
        "EDITOR": "",
    }
    for block in blocks(path, "console"):
        for command, expected in steps(block):
            # a machine that runs other tests beside needs longer for the same search
            patient = re.sub(r"^jamkey fix ", "jamkey fix --patience 20 ", command)
            done = subprocess.run(
                ["bash", "-c", f"{patient}\npwd > {tmp_path}/.where"],
                cwd=folder,
                env=environ,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                text=True,
                check=False,
            )
            folder = Path((tmp_path / ".where").read_text(encoding="utf-8").strip())
            printed = (
                [plain(line) for line in done.stdout.replace(str(tmp_path), "~").rstrip("\n").split("\n")]
                if done.stdout.strip()
                else []
            )
            assert (command, follows(expected, printed)) == (command, "")


def test_the_checker_of_examples_can_fail() -> None:
    assert follows(["a", "...", "c"], ["a", "b", "c"]) == ""
    assert follows(["a", "..."], ["a", "b", "c"]) == ""
    for expected in (["a"], ["a", "c"], ["...", "d"], ["a", "...", "c", "d"]):
        assert follows(expected, ["a", "b", "c"])


@pytest.mark.parametrize("path", DOCUMENTS, ids=names)
def test_links_lead_somewhere(path: Path) -> None:
    text = re.sub(_BLOCK, "", path.read_text(encoding="utf-8"))
    for target in re.findall(r"\]\(([^)\s]+)\)", text):
        if "://" in target:
            continue
        file, _, part = target.partition("#")
        there = (path.parent / file).resolve() if file else path
        assert there.exists(), f"{target} is not there"
        if part:
            heads = re.findall(r"^#+ (.+)$", there.read_text(encoding="utf-8"), re.MULTILINE)
            assert part in [re.sub(r"[^\w -]", "", head.lower()).replace(" ", "-") for head in heads], (
                f"{target} leads to no heading"
            )


@pytest.mark.parametrize("name", pages())
def test_the_reference_is_fresh(name: str) -> None:
    assert (ROOT / "docs" / "reference" / name).read_text(encoding="utf-8") == pages()[name], (
        "run `make reference` and commit docs/reference"
    )


def test_every_command_and_option_is_in_the_reference() -> None:
    text = (ROOT / "docs" / "reference" / "commands.md").read_text(encoding="utf-8")
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    for name, command in ((name, cli.get_command(None, name)) for name in cli.list_commands(None)):  # type: ignore[arg-type]
        assert command is not None and f"## `jamkey {name}`" in text
        assert f"`jamkey {name}" in readme, f"the README's table does not name {name}"
        for option in command.params:
            assert all(word in text for word in option.opts if word.startswith("--"))


@pytest.mark.parametrize("path", [path for path in DOCUMENTS if blocks(path, "toml")], ids=names)
def test_settings_in_documents_are_settings(path: Path, tmp_path: Path) -> None:
    ours = [block for block in blocks(path, "toml") if not block.startswith(("[project", "[language"))]
    for number, block in enumerate(ours):
        folder = tmp_path / str(number)
        folder.mkdir()
        (folder / "jamkey.toml").write_text(block, encoding="utf-8")
        assert load(folder).folder == str(folder)


def test_examples_of_docstrings_run() -> None:
    from jamkey import pipeline

    for module in (library, pipeline):
        found = doctest.testmod(module)
        assert found.attempted > 0 and found.failed == 0


def test_a_kind_of_another_package(tmp_path: Path) -> None:
    """The how-to page's kind, as written there, behind an entry point of an installed package."""
    page = ROOT / "docs" / "how-to" / "add-a-kind.md"
    (code,) = blocks(page, "python")
    (points,) = blocks(page, "toml")
    (tmp_path / "hivetools").mkdir()
    (tmp_path / "hivetools" / "__init__.py").write_text("", encoding="utf-8")
    (tmp_path / "hivetools" / "jam.py").write_text(code, encoding="utf-8")
    info = tmp_path / "hivetools-1.dist-info"
    info.mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: hivetools\nVersion: 1\n", encoding="utf-8")
    group, name, place = re.findall(r'entry-points\."([\w.]+)"\]\n([\w-]+) = "([\w.:]+)"', points)[0]
    (info / "entry_points.txt").write_text(f"[{group}]\n{name} = {place}\n", encoding="utf-8")
    done = jamkey("kinds", name, cwd=tmp_path, env={"PYTHONPATH": str(tmp_path)})
    assert done.status == 0 and "fewer than two" in done.out
