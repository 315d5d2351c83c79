"""Notebooks: their outputs read, run in a real kernel, mended cell by cell without touching another byte."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.follow.cell_module import rewritten
from jamkey.ipynb import cells_of, with_sources
from jamkey.model import Edit
from jamkey.pipeline import read, read_and_diagnose
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

OLDER = """---------------------------------------------------------------------------
ZeroDivisionError                         Traceback (most recent call last)
<ipython-input-7-0a1b2c3d4e5f> in <module>
      1 weights = []
----> 2 print(mean(weights))

~/hives/scale.py in mean(values)
      4 def mean(values):
      5     total = sum(values)
----> 6     return total / len(values)

ZeroDivisionError: division by zero
"""
MIDDLE = OLDER.replace("<ipython-input-7-0a1b2c3d4e5f> in <module>", "Input In [7], in <cell line: 2>()").replace(
    "~/hives/scale.py in mean(values)", "File ~/hives/scale.py:6, in mean(values)"
)


def notebook(*sources: str, runs: bool = False) -> str:
    cells: list[dict[str, object]] = [{"cell_type": "markdown", "id": "m", "metadata": {}, "source": ["# Hives – é"]}]
    for number, source in enumerate(sources, 1):
        cells.append(
            {
                "cell_type": "code",
                "execution_count": number if runs else None,
                "id": f"c{number}",
                "metadata": {},
                "outputs": [],
                "source": source.splitlines(keepends=True),
            }
        )
    kernel = {"kernelspec": {"display_name": "Python 3", "language": "python", "name": "python3"}}
    return (
        json.dumps({"cells": cells, "metadata": kernel, "nbformat": 4, "nbformat_minor": 5}, indent=1, ensure_ascii=False)
        + "\n"
    )


@pytest.mark.parametrize("text", [OLDER, MIDDLE], ids=["older", "middle"])
def test_every_generation_of_the_layout_is_read(text: str) -> None:
    jam = read(text)[0]
    assert (jam.exception_type, jam.message, jam.kind) == ("ZeroDivisionError", "division by zero", "bad-arithmetic")
    assert [(frame.line, frame.source) for frame in jam.frames] == [
        (2, "print(mean(weights))"),
        (6, "return total / len(values)"),
    ]
    assert (jam.frames[1].file, jam.frames[1].function) == ("~/hives/scale.py", "mean")


def test_a_pasted_trace_finds_its_cell(project: Project) -> None:
    text = OLDER.replace("ipython-input-7", "ipython-input-2")
    folder = project(
        {"a.ipynb": notebook("import scale", "weights = []\nprint(mean(weights))", runs=True), "hives/scale.py": "x\n" * 5}
    )
    jam = read_and_diagnose(text, root=folder)[0]
    assert (jam.frames[0].file, jam.frames[0].cell, jam.frames[0].line) == ("a.ipynb", 2, 2)
    assert jam.frames[1].file == "hives/scale.py"


def test_a_notebook_without_errors_says_so(project: Project) -> None:
    folder = project({"a.ipynb": notebook("x = 1"), "b.ipynb": "{}"})
    done = jamkey("read", "a.ipynb", cwd=folder)
    assert (done.status != 0, "none of its cells' outputs is an error" in done.err) == (True, True)
    done = jamkey("read", "b.ipynb", cwd=folder)
    assert (done.status != 0, "b.ipynb is not a notebook that can be read" in done.err) == (True, True)


@pytest.mark.long
def test_fix_runs_a_kernel_and_mends_only_the_cell(project: Project) -> None:
    text = notebook(
        "%matplotlib inline\nhives = {'oak': 31.2}", "def kilos(name):\n    return hivs[name]", "print(kilos('oak'))"
    )
    folder = project({"weigh.ipynb": text})
    done = jamkey("fix", "--preview", "--save", "out.json", "weigh.ipynb", cwd=folder)
    jam = parse((folder / "out.json").read_bytes()).jams[0]
    frame = jam.snag_frame
    assert frame is not None, done.err
    assert (jam.kind, frame.file, frame.cell, frame.line) == ("unknown-name", "weigh.ipynb", 2, 2)
    assert [(value.name, value.text) for value in frame.values] == [("name", "'oak'")]
    assert (jam.keys[0].trial.outcome, jam.keys[0].edits[0].cell) == ("runs", 2)
    done = jamkey("fix", "--yes", "weigh.ipynb", cwd=folder)
    assert ("It runs now." in done.err, done.out) == (True, "31.2\n")
    assert (folder / "weigh.ipynb").read_text(encoding="utf-8") == text.replace("hivs[name]", "hives[name]")
    jamkey("undo", cwd=folder)
    assert (folder / "weigh.ipynb").read_text(encoding="utf-8") == text


UNEVEN = "def gain(kilos):\n    for kilo in kilos:\n        print(kilo)\n  return kilos\n"


def test_cells_are_searched_as_a_script_and_tried_as_a_notebook(project: Project) -> None:
    """No name tells that a text is to become a number: the search finds it, whatever stands between the cells."""
    text = notebook("%matplotlib inline\nkilos = ['31', '28']", "def whole(rows):\n    return sum(rows)", "print(whole(kilos))")
    folder = project({"weigh.ipynb": text})
    done = jamkey("fix", "--preview", "--save", "out.json", "weigh.ipynb", cwd=folder)
    jam = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"][-1]
    first = jam["keys"][0]
    assert (first["trial"]["outcome"], first["trial"]["printed"]) == ("runs", "59"), done.err
    assert {edit["file"] for edit in first["edits"]} == {"weigh.ipynb"}
    assert all(edit["cell"] is not None for edit in first["edits"])
    assert "_cells.py" not in first["title"] + first["reason"] + done.err
    assert sorted(path.name for path in folder.iterdir()) == ["out.json", "weigh.ipynb"]
    assert (folder / "weigh.ipynb").read_text(encoding="utf-8") == text


def test_a_cell_that_the_tokenizer_gives_up_on_is_found_by_its_line(project: Project) -> None:
    printed = (
        "  File <tokenize>:4\n    return kilos\n    ^\nIndentationError: unindent does not match any outer indentation level\n"
    )
    root = project({"hives.ipynb": notebook("kilos = [3, 4]\n", UNEVEN, "gain(kilos)\n")})
    [jam] = read_and_diagnose(printed, root=root)
    assert (jam.phase, jam.exception_type, jam.kind) == ("compile", "IndentationError", "broken-syntax")
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.cell, jam.snag_frame.line) == ("hives.ipynb", 2, 4)


def test_a_kernel_names_the_uneven_line_too(project: Project) -> None:
    root = project({"hives.ipynb": notebook("kilos = [3, 4]\n", UNEVEN)})
    ran = jamkey("run", "--save", "out.json", "hives.ipynb", cwd=root)
    assert ran.status != 0
    [jam] = parse((root / "out.json").read_text()).jams
    assert jam.snag_frame is not None
    assert (jam.phase, jam.snag_frame.cell, jam.snag_frame.line) == ("compile", 2, 4)


def test_run_passes_on_what_cells_print(project: Project) -> None:
    folder = project({"a.ipynb": notebook("print('weighed')\n3 + 4")})
    done = jamkey("run", "a.ipynb", cwd=folder)
    assert (done.status, done.out) == (0, "weighed\n7\n")


SOURCES = st.text(st.characters(codec="utf-8", exclude_categories=["Cs"]), max_size=60)


@given(st.lists(SOURCES, min_size=1, max_size=4), SOURCES, st.sampled_from([None, 1, 4]), st.booleans())
def test_a_new_source_changes_nothing_else(old: list[str], new: str, indent: int | None, ascii_only: bool) -> None:
    text = json.dumps(json.loads(notebook(*old)), indent=indent, ensure_ascii=ascii_only)
    changed = with_sources(text, {1: new})
    assert json.loads(changed)["cells"][0] == json.loads(text)["cells"][0]
    assert [cell.source for cell in cells_of(changed)][1:] == [new, *old[1:]]
    if old[0] and new:
        assert with_sources(changed, {1: old[0]}) == text


def test_an_edit_names_a_cell_that_is_there() -> None:
    edit = Edit(file="a.ipynb", line=1, column=1, end_line=1, end_column=1, new_text="x", cell=9)
    with pytest.raises(ValueError, match="no such cell"):
        rewritten(notebook("x = 1"), [edit])
