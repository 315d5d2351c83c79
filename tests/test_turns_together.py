"""What turns know of: brackets around operands, a mapping's other values, functions of other files, what operators mean."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.languages.base import Part
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import candidates
from jamkey.turns.base import around_sign, offset_in
from jamkey.turns.meanings import meaning_of, plain_meaning

Project = Callable[[Mapping[str, str | bytes]], Path]


def test_a_function_of_a_sourced_file_is_known(project: Project) -> None:
    folder = project(
        {
            "main.R": 'source("helper.R")\nprint(sumarise(c(3, 9)))\n',
            "helper.R": "summarise <- function(x) c(mean(x), max(x))\n",
        }
    )
    failed = subprocess.run(["Rscript", "main.R"], cwd=folder, capture_output=True, text=True, check=False)
    sources = Sources(folder)
    scene = Scene(diagnose(read(failed.stderr)[-1], sources), sources)
    assert [file for file, _ in scene.own_codes()] == ["main.R", "helper.R"]
    found = candidates(scene, seconds=60.0)
    assert 'source("helper.R")\nprint(summarise(c(3, 9)))\n' in [item.texts.get("main.R") for item in found[:5]]


@pytest.mark.parametrize(
    ("values", "right", "wrong"),
    [("['oak']", "[]", "set()"), ("{'oak': 3}", "{}", "[]"), ("'oak'", '""', "0"), ("4", "0", '""')],
)
def test_a_default_is_like_the_other_values(values: str, right: str, wrong: str, project: Project) -> None:
    text = f"ways = {{'gate': {values}}}\nfor place in ('gate', 'pond'):\n    print(ways[place])\n"
    folder = project({"main.py": text})
    from jamkey.observe.target import command_target
    from jamkey.runs.fix_loop import main_jam, run_captured

    jam = main_jam(run_captured(command_target(["python3", str(folder / "main.py")]), folder, stdin=b"", limit=30.0))
    assert jam is not None
    found = [item.texts.get("main.py") or "" for item in candidates(Scene(jam, Sources(folder)), seconds=60.0)]
    assert any(f"ways.get(place, {right})" in made for made in found)
    assert not any(f"ways.get(place, {wrong})" in made for made in found)


def _binary(file: str, text: str) -> Part:
    language = language_of(file, "")
    assert language is not None
    statement = language.code(text).statement(1)
    assert statement is not None
    return next(
        part
        for top in statement.parts
        for part in top.walk()
        if part.sort in ("binary", "compare") and part.source.strip() in text
    )


@pytest.mark.parametrize("file", ["a.py", "a.js", "a.lua", "a.m", "a.R"])
@pytest.mark.parametrize(
    ("text", "pieces"),
    [
        ("x = (n - 1) / 2", ("(n - 1)", "/", "2")),
        ("x = 2 / (n - 1)", ("2", "/", "(n - 1)")),
        ("x = ((a + b)) * (c)", ("((a + b))", "*", "(c)")),
        ("x = a - b", ("a", "-", "b")),
    ],
)
def test_brackets_belong_to_their_operand(file: str, text: str, pieces: tuple[str, str, str]) -> None:
    part = _binary(file, text)
    (left, right) = [child for role, child in part.children if role in ("left", "right")]
    around = around_sign(part, left, right)
    assert around is not None
    assert tuple(piece.strip() for piece in around) == pieces
    assert "".join(around) == part.source


def test_a_place_outside_of_a_part_has_no_offset() -> None:
    part = _binary("a.py", "x = a - b")
    assert offset_in(part, part.span.line, part.span.column) == 0
    assert offset_in(part, part.span.line + 1, 1) is None
    assert offset_in(part, part.span.line, part.span.column - 1) is None


def test_what_operators_mean_is_told_in_every_language() -> None:
    assert meaning_of("operator:< to !=", "python") == "operator order to equal"
    assert meaning_of("operator:in to not in", "python") == meaning_of("operator:== to !=", "javascript") == "operator negated"
    assert meaning_of("operator:<= to <", "lua") == "operator bound"
    assert meaning_of("operator:swap", "python") == ""
    assert meaning_of("each:convert:int({0})", "python") == "each convert to whole"
    assert meaning_of("each:convert:Number({0})", "javascript") == "each convert to number"
    assert (plain_meaning("[]"), plain_meaning("null"), plain_meaning("rows")) == ("no items", "nothing", "")
