"""What must not change a reading, in other languages: other names, lines above, a comment at the end of a line.

The programs are those of the tables of constructs; each runs once, and what it printed is changed as the program is.
"""

from __future__ import annotations

import functools
import os
import re
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose
from jamkey.text import decode
from tests.conftest import CORPUS
from tests.test_constructs_compiled import CPP, JAVA
from tests.test_constructs_elsewhere import JAVASCRIPT, LUA, OCTAVE, R
from tests.test_constructs_read import JULIA, SWIFT, julia, swift

#: Language -> (command, file, programs, how a comment begins, how many cases are left out between two).
RUN: dict[str, tuple[list[str], str, dict[str, str], str, int]] = {
    "javascript": (["node"], "main.js", JAVASCRIPT, "//", 2),
    "lua": (["lua5.4"], "main.lua", LUA, "--", 2),
    "r": (["Rscript"], "main.R", R, "#", 3),
    "octave": (["octave-cli"], "main.m", OCTAVE, "%", 4),
    "java": (["java"], "Main.java", JAVA, "//", 6),
    "c++": (["g++"], "main.cpp", CPP, "//", 6),
}
#: Names of the programs -> others as long, so that the marks of the traces still fit.
OTHER = {
    "kilos": "grams",
    "hives": "boxes",
    "hive": "crib",
    "frames": "sticks",
    "weigh": "gauge",
    "share": "parts",
    "total": "whole",
    "kilso": "grasm",
    "wiegh": "guage",
    "kilo": "gram",
    "outer": "first",
    "inner": "depth",
}
#: Lines that are put above.
ABOVE = 3
CASES = [
    (language, construct)
    for language, (_, _, table, _, step) in RUN.items()
    for number, construct in enumerate(table)
    if number % step == 0
] + [(language, construct) for language, table in (("julia", JULIA), ("swift", SWIFT)) for construct in table]


@functools.cache
def failed(language: str, construct: str) -> tuple[str, str, str]:
    """Return the file of a program, its text, and what it printed when it failed."""
    if language in ("julia", "swift"):
        marked, message, frames = (JULIA if language == "julia" else SWIFT)[construct]
        name = "hives.jl" if language == "julia" else "main.swift"
        return name, re.sub(" +#@", "", marked), (julia if language == "julia" else swift)(message, frames)
    command, name, table, _, _ = RUN[language]
    text = re.sub(" +#@", "", table[construct])
    with tempfile.TemporaryDirectory(prefix="jamkey-same-") as folder:
        (Path(folder) / name).write_text(text, encoding="utf-8")
        words = [*command, name]
        if language == "c++":
            checked = ["-g", "-fsanitize=address,undefined", "-fno-sanitize-recover=undefined"]
            subprocess.run([*command, *checked, name, "-o", "main"], cwd=folder, check=True)
            words = [str(Path(folder) / "main")]
        quiet = {"ASAN_OPTIONS": "detect_leaks=0:detect_stack_use_after_return=1", "UBSAN_OPTIONS": "print_stacktrace=1"}
        done = subprocess.run(words, cwd=folder, capture_output=True, text=True, check=False, env={**os.environ, **quiet})
    return name, text, done.stderr


def reading(folder: Path, name: str, text: str, printed: str) -> Jam:
    folder.mkdir()
    (folder / name).write_text(text, encoding="utf-8")
    return read_and_diagnose(printed, root=folder)[-1]


def renamed(name: str, text: str, printed: str, mark: str) -> tuple[str, str, int]:
    """Give the program's own names others that are as long."""

    def other(source: str) -> str:
        return re.sub(rf"\b({'|'.join(OTHER)})\b(?!\.(?:jl|m|R)\b|/)", lambda match: OTHER[match[1]], source)

    return other(text), other(printed), 0


def moved_down(name: str, text: str, printed: str, mark: str) -> tuple[str, str, int]:
    """Put lines above the program."""
    above = "".join(f"{mark} weights of the apiary, {number}\n" for number in range(ABOVE))
    stem = re.escape(name)

    def below(match: re.Match[str]) -> str:
        return f"{match[1]}{int(match[2]) + ABOVE}"

    # the file's own lines, `line 3`, and what R and Octave write behind a file or a function
    told = re.sub(rf"((?:{stem}|Main\.java)[:#])(\d+)", below, printed)
    told = re.sub(r"(\bline )(\d+)", below, told)
    return above + text, told, ABOVE


def commented(name: str, text: str, printed: str, mark: str) -> tuple[str, str, int]:
    """Write a comment behind every line."""
    rows = [f"{row}  {mark} weighed" if row.strip() else row for row in text.split("\n")]
    return "\n".join(rows), printed, 0


CHANGES: dict[str, Callable[[str, str, str, str], tuple[str, str, int]]] = {
    "renamed": renamed,
    "moved down": moved_down,
    "commented": commented,
}


@pytest.mark.spread(3)
@pytest.mark.parametrize("change", CHANGES)
@pytest.mark.parametrize(("language", "construct"), CASES)
def test_the_roots_stay_where_they_are(language: str, construct: str, change: str, tmp_path: Path) -> None:
    name, text, printed = failed(language, construct)
    mark = RUN[language][3] if language in RUN else "#" if language == "julia" else "//"
    before = reading(tmp_path / "before", name, text, printed)
    changed, told, lower = CHANGES[change](name, text, printed, mark)
    assert changed != text or not re.search(rf"\b({'|'.join(OTHER)})\b", text)
    after = reading(tmp_path / "after", name, changed, told)
    assert after.kind == before.kind
    assert [root.line - lower for root in after.roots[:1]] == [root.line for root in before.roots[:1]]
    assert {root.line - lower for root in after.roots[:3]} & {root.line for root in before.roots[:3]}


#: Ending -> how a comment begins, in the corpus' programs; Octave's and Objective-C's ending is one.
MARKS = {
    **dict.fromkeys((".js", ".java", ".c", ".cpp", ".h", ".swift"), "//"),
    **dict.fromkeys((".R", ".jl", ".py"), "#"),
    ".lua": "--",
}
#: Texts over several lines, and lines that go on: no comment can stand behind each of them.
LONG = ("`", '"""', "'''", "\\\n", "[[")
TOLD = [
    folder
    for folder in sorted({path.parent.parent for path in CORPUS.glob("*/*/src/*") if path.suffix in MARKS}, key=str)
    if '"phase": "run"' in (folder / "truth.json").read_text(encoding="utf-8")
]


@pytest.mark.spread(12)
@pytest.mark.parametrize("case", TOLD, ids=lambda path: path.name)
def test_comments_in_a_program_change_no_root(case: Path, tmp_path: Path) -> None:
    printed = decode((case / "stdout.txt").read_bytes() + (case / "stderr.txt").read_bytes())
    before, after = (Path(shutil.copytree(case / "src", tmp_path / name)) for name in ("before", "after"))
    for path in after.rglob("*"):
        text = path.read_text(encoding="utf-8", errors="surrogateescape") if path.suffix in MARKS else ""
        if text and not any(sign in text for sign in LONG):
            mark = MARKS[path.suffix]
            rows = [f"{row}  {mark} weighed / twice" if row.strip() and mark not in row else row for row in text.split("\n")]
            path.write_text("\n".join(rows), encoding="utf-8", errors="surrogateescape")
    found = [read_and_diagnose(printed, root=folder) for folder in (before, after)]
    one, other = ([root for jam in jams[-1:] for root in jam.roots[:1]] for jams in found)
    assert [(root.file, root.line) for root in one] == [(root.file, root.line) for root in other]
