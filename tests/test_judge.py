"""What every key must satisfy before anybody sees it: it parses, and it changes code, not what talks about code."""

from __future__ import annotations

from pathlib import Path

import pytest

from jamkey.follow.sources import Sources
from jamkey.kinds.judge import sound
from jamkey.languages import language_of
from jamkey.languages.scan import prose
from jamkey.model import Edit
from jamkey.pipeline import read_and_diagnose
from jamkey.text import splice


def replaced(text: str, old: str, new: str, file: str = "hive.py") -> Edit:
    """Return the edit that replaces the first occurrence of a text."""
    at = text.index(old)
    line = text.count("\n", 0, at) + 1
    column = at - (text.rfind("\n", 0, at) + 1) + 1
    return Edit(file=file, line=line, column=column, end_line=line, end_column=column + len(old), new_text=new)


HIVE = '''"""Weigh the hive: total is in kilos."""

# the total of a week
def weigh(rows):
    """Return the total."""
    total = 0
    for row in rows:
        total += row["kilos"]
    print("the total is", total)
    return total
'''


@pytest.mark.parametrize(
    ("old", "new", "good"),
    [
        ("total = 0", "total = 0.0", True),
        ('total += row["kilos"]', 'str(total) += row["kilos"]', False),
        ("total = 0", "total = = 0", False),
        ("rows):", "rows)", False),
        ("total is in", "sum is in", False),
        ("the total of", "the sum of", False),
        ("Return the total", "Return the sum", False),
        ('"the total is"', '"total:"', True),
    ],
)
def test_an_edit_parses_and_changes_code(old: str, new: str, good: bool) -> None:
    assert sound([replaced(HIVE, old, new)], Sources(None, {"hive.py": HIVE}), "python") == good


@pytest.mark.parametrize(
    ("file", "text", "old", "new", "good"),
    [
        ("a.js", "/* the total */\nlet total = 1; // total\n", "the total", "the sum", False),
        ("a.js", "let total = 1; // total\n", "total = 1", "total = (1", False),
        ("a.js", "let total = 1;\n", "total = 1", "total = (1)", True),
        ("a.lua", "--[[ total\n]]\nlocal total = 1\n", " total", " sum", False),
        ("a.R", "# total\ntotal <- 1\n", " total", " sum", False),
        ("a.R", "total <- c(1\n", "c(1", "c(1)", True),
        ("a.csv", "hive,kilos\noak,(\n", "(", "3", True),
    ],
)
def test_other_languages_and_data(file: str, text: str, old: str, new: str, good: bool) -> None:
    runtime = {"js": "javascript", "lua": "lua", "R": "r", "csv": "python"}[file.rpartition(".")[2]]
    assert sound([replaced(text, old, new, file)], Sources(None, {file: text}), runtime) == good


def test_overlapping_edits_are_not_sound() -> None:
    edits = [replaced(HIVE, "total = 0", "a = 0"), replaced(HIVE, "total = 0", "b = 0")]
    assert not sound(edits, Sources(None, {"hive.py": HIVE}), "python")


def test_prose_is_comments_and_texts_that_stand_alone() -> None:
    language = language_of("hive.py")
    assert language is not None
    found = [HIVE[start:stop] for start, stop in prose(HIVE, language.style)]
    assert found == ['"""Weigh the hive: total is in kilos."""', "# the total of a week", '"""Return the total."""']


@pytest.mark.parametrize(
    "text", ['print("oak"\n      "elm")\n', 'names = ["oak",\n         "elm",\n]\n', 'x = \\\n"oak"\n', 'x = (\n    "oak"\n)\n']
)
def test_a_text_that_goes_on_a_statement_is_no_prose(text: str) -> None:
    language = language_of("hive.py")
    assert language is not None
    assert prose(text, language.style) == []


def test_a_row_of_data_is_no_python(tmp_path: Path) -> None:
    """`total += row["kilos"]` with text in the table once got the key `str(total) += ...`."""
    program = "import csv\ntotal = 0\nfor row in csv.DictReader(open('a.csv')):\n    total += row['kilos']\nprint(total)\n"
    (tmp_path / "sum.py").write_text(program, encoding="utf-8")
    (tmp_path / "a.csv").write_text("hive,kilos\noak,3\n", encoding="utf-8")
    text = (
        "Traceback (most recent call last):\n  File \"sum.py\", line 4, in <module>\n    total += row['kilos']\n"
        "TypeError: unsupported operand type(s) for +=: 'int' and 'str'\n"
    )
    (jam,) = read_and_diagnose(text, root=tmp_path)
    assert jam.keys
    for key in jam.keys:
        for file in {edit.file for edit in key.edits if edit.file.endswith(".py")}:
            compile(splice(program, [edit for edit in key.edits if edit.file == file]), file, "exec")


@pytest.mark.parametrize(
    "talk",
    ['"""Weights, one a hive."""\n', "# weights and wights\n", 'print("the weights of the week")\n', '"""wieght, wight."""\n'],
)
def test_words_of_talk_are_no_names(talk: str, tmp_path: Path) -> None:
    """The keys are the same with and without a comment, docstring or printed text that holds nearly the name."""

    def titles(program: str) -> list[str]:
        (tmp_path / "a.py").write_text(program, encoding="utf-8")
        line = program.count("\n")
        text = f"Traceback (most recent call last):\n  File \"a.py\", line {line}, in <module>\nNameError: name 'wieghts' is not defined\n"
        return [key.title for key in read_and_diagnose(text, root=tmp_path)[-1].keys]

    plain = titles("rows = [1, 2]\nprint(sum(wieghts))\n")
    assert titles(talk + "rows = [1, 2]\nprint(sum(wieghts))\n") == plain
