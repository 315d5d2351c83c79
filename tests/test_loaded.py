"""What a run loads: next to nothing before the program has begun, and for a failure only what its reading needs."""

from __future__ import annotations

import random
import subprocess
import sys
from collections.abc import Callable, Mapping
from pathlib import Path

import msgspec
import pytest

from jamkey import secrets, text
from jamkey.follow.evidence import _QUOTED, _QUOTES
from jamkey.follow.frames import _STANDARD, owner_of
from jamkey.follow.similar import LEAST, similarity
from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.packaged import entry, packaged
from jamkey.settings import Settings

Project = Callable[[Mapping[str, str | bytes]], Path]

WRONG_NAME = "def gain(weights):\n    total = 0.0\n    return totl\n\n\nprint(gain([31.2, 32.0]))\n"
#: What the reading of a wrong name in a small script has no use for.
UNUSED = {
    "csv": "tables of data",
    "zipfile": "archives",
    "importlib.resources": "archives",
    "json": "notebooks",
    "rapidfuzz": "a search",
    "jamkey.languages.tokens": "text that the parser refuses",
    "jamkey.languages.trees": "other languages",
    "jamkey.tongues": "other languages of the user",
    "jamkey.follow.odd_rows": "data",
    "jamkey.follow.odd_entries": "data",
    "jamkey.turns.base": "a search",
    "jamkey.doors.main": "the command tree",
    "click": "the command tree",
}


#: Runs a call as the command line does, and prints what is loaded in the place of ending as the program did.
LOADED = """
import os, sys
from jamkey.observe import launch
from jamkey.doors import quick

def told(status):
    sys.stdout.write(" ".join(sys.modules))
    sys.stdout.flush()
    os._exit(0)

launch.leave = told
quick.start(sys.argv[1:])
"""


def loaded(folder: Path, *words: str) -> set[str]:
    """Return the modules that a call of `jamkey run` loads."""
    whole = [sys.executable, "-I", "-c", LOADED, *words]
    return set(subprocess.run(whole, cwd=folder, capture_output=True, check=True, timeout=60, text=True).stdout.split())


def test_the_reading_of_a_wrong_name_loads_what_it_needs(project: Project) -> None:
    found = loaded(project({"hives.py": WRONG_NAME}), "--no-keep", "hives.py")
    assert "jamkey.kinds.unknown_name" in found, "it was read"
    assert not {name: why for name, why in UNUSED.items() if name in found}


def test_text_that_is_refused_is_mended_by_its_tokens(project: Project) -> None:
    found = loaded(project({"hives.py": "print((31.2)\n"}), "--no-keep", "hives.py")
    assert "jamkey.repair.mend" in found


def test_data_are_looked_at_where_they_may_be_at_fault(project: Project) -> None:
    files = {
        "hives.py": "rows = open('kilos.csv').read().split()\nprint(sum(float(row) for row in rows))\n",
        "kilos.csv": "31.2\n32.0\n3o.5\n30.1\n",
    }
    assert "jamkey.follow.odd_rows" in loaded(project(files), "--no-keep", "hives.py")


def test_one_entry_of_a_table_is_what_the_whole_has() -> None:
    for name in ("languages/members.json", "phrases/cut.json", "repair/usual.json"):
        whole = msgspec.json.decode(packaged(name))
        assert whole
        for key, value in whole.items():
            assert entry(name, key, type(value)) == value
        assert entry(name, "nothing of the kind", dict) is None


def test_statements_are_made_once() -> None:
    language = language_of("hives.py")
    assert language is not None
    code = language.code(WRONG_NAME)
    assert code.statement(3) is code.statement(3)
    assert [one.span.line for one in code.heads(3)] == [3]


def test_only_what_can_be_shown_is_shown() -> None:
    """The short way for text without controls leaves nothing out: every character on its own, and between others."""
    for number in range(0x2100):
        for row in (chr(number), f"a{chr(number)}b"):
            shown = text.visible(row)
            assert shown == text._CONTROLS.sub(lambda match: f"\\x{ord(match[0]):02x}", row)


def spans_of_all_forms(row: str) -> list[tuple[int, int]]:
    found = [match.span(1) for shape in (secrets._QUERY, secrets._BEARER) for match in shape.finditer(row)]
    return [*found, *(match.span() for match in secrets._SHAPES.finditer(row))]


def test_forms_of_secrets_are_found_by_their_beginnings() -> None:
    chance = random.Random(31)
    starts = [*secrets._STARTS, "bearer ", "Basic ", "BEARER ", "?sig=", "&Code=", "?key", "s", "k", "-", "eyj", " "]
    tails = ["", "A" * 16, "a1B2c3D4e5F6g7H8", "x" * 30 + "." + "y" * 30 + "." + "z" * 30, "hives", "=1234", "&"]
    several = 0
    for _ in range(4000):
        row = "".join(chance.choice(starts) + chance.choice(tails) for _ in range(chance.randint(1, 4)))
        assert list(secrets._formed(row)) == spans_of_all_forms(row), row
        several += bool(spans_of_all_forms(row))
    assert several > 500


def test_quoted_words_are_found_in_any_quotes() -> None:
    for left, right in ('""', "''", "``", "‘’", "“”"):
        assert _QUOTED.findall(f"no column {left}kilos{right} here".translate(_QUOTES)) == ["kilos"]


@pytest.mark.parametrize(
    "file",
    [
        "/usr/lib/python3.11/json/decoder.py",
        "/opt/Lib/csv.py",
        "C:/Python311/Lib/csv.py",
        "/x/pypy/lib_pypy/a.py",
        "/usr/share/julia/base/array.jl",
    ],
)
def test_the_standard_library_is_nobodys_own(file: str, tmp_path: Path) -> None:
    assert _STANDARD.search(file) is not None
    assert owner_of(file, Sources(tmp_path), Settings()) == "runtime"


def test_likeness_of_names() -> None:
    """The same for both orders, never certain, and 0 for the same: a name is no slip for itself."""
    chance = random.Random(17)
    for _ in range(3000):
        one, other = ("".join(chance.choice("abct_") for _ in range(chance.randint(1, 9))) for _ in range(2))
        assert 0.0 <= similarity(one, other) <= 0.98
        assert similarity(one, one) == 0.0
    assert similarity("weigths", "weights") > similarity("weihgts", "wages")
    assert similarity("hive", "total_weight_of_all") < LEAST
