"""Slips of grammar of which the parser speaks somewhere else: texts that end a sign short, heads astray, names cut in two."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.languages import SHELF, trees
from jamkey.languages.python import LANGUAGE as PYTHON
from jamkey.repair.of_quotes import short_ends
from jamkey.text import splice
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

MODULE = '''\
"""Weigh the hives."""

import statistics


class Hive:
    """One hive of the apiary."""

    def __init__(self, name, weights):
        """Keep what was weighed.

        The weights are in kilos.
        """
        self.name = name
        self.weights = weights

    def mean(self):
        """Return the mean weight, "as it is"."""
        return statistics.mean(self.weights)

    def best(self):
        """Return the heaviest."""
        return max(self.weights)


def told(hive):
    """Return a line, '' for none."""
    return f"{hive.name} {hive.mean():.1f} {hive.best()}"


print(told(Hive("oak", [31.5, 28.0])))
'''
QUOTED = [number for number, row in enumerate(MODULE.split("\n"), 1) if '"""' in row]
HEADS = [number for number, row in enumerate(MODULE.split("\n"), 1) if row.startswith("    def ")]


def first_key(folder: Path, name: str, text: str) -> tuple[str, int]:
    """Return the text with the first key of a run's reading in it, and the line of the first root."""
    (folder / name).write_text(text, encoding="utf-8")
    jamkey("run", "--no-keep", "--save", "out.json", name, cwd=folder)
    (jam,) = parse((folder / "out.json").read_bytes()).jams
    keys = [key for key in jam.keys if key.edits]
    return (splice(text, keys[0].edits) if keys else ""), jam.roots[0].line


def without_sign(text: str, line: int, *, at_end: bool) -> str:
    """Take one of the three quotes that a line of the text ends, or begins, with."""
    rows = text.split("\n")
    rows[line - 1] = rows[line - 1][:-1] if at_end else rows[line - 1].replace('"', "", 1)
    return "\n".join(rows)


@pytest.mark.parametrize("line", [line for line in QUOTED if MODULE.split("\n")[line - 1].endswith('"""')])
def test_a_text_over_several_lines_that_ends_a_sign_short(line: int, project: Project) -> None:
    folder = project({})
    made, root = first_key(folder, "hives.py", without_sign(MODULE, line, at_end=True))
    assert made == MODULE
    assert root == line


@pytest.mark.parametrize("line", [line for line in QUOTED if MODULE.split("\n")[line - 1].strip() != '"""'][1::2])
def test_one_that_begins_a_sign_short(line: int, project: Project) -> None:
    made, root = first_key(project({}), "hives.py", without_sign(MODULE, line, at_end=False))
    assert made == MODULE
    assert root == line


@pytest.mark.parametrize(
    ("text", "asked"),
    [(MODULE, 0), ("a = ''\nb = \"\"\n", 0), ('a = """x\nholds ""\n"""\n', 1), ("", 0), ('f("""\n""")\n', 0)],
    ids=["healthy", "empty", "in", "none", "call"],
)
def test_what_is_asked_about_in_healthy_texts(text: str, asked: int) -> None:
    assert len(list(short_ends(text, PYTHON.style))) == asked


@pytest.mark.parametrize("line", HEADS)
@pytest.mark.parametrize("change", [-1, 1, -2])
def test_a_head_that_stands_in_no_block(line: int, change: int, project: Project) -> None:
    rows = MODULE.split("\n")
    rows[line - 1] = " " * (4 + change) + rows[line - 1].lstrip()
    broken = "\n".join(rows)
    with pytest.raises(SyntaxError):
        compile(broken, "<broken>", "exec")
    made, root = first_key(project({}), "hives.py", broken)
    assert made == MODULE
    assert root == line


C = """\
#include <stdio.h>

static double mean_of(const double *all_kilos, int how_many)
{
    double sum_of = 0;
    int at_hive;
    for (at_hive = 0; at_hive < how_many; at_hive++)
        sum_of += all_kilos[at_hive];
    return sum_of / how_many;
}

int main(void)
{
    double all_kilos[2] = {31.5, 28.0};
    printf("%.2f\\n", mean_of(all_kilos, 2));
    return 0;
}
"""
CPP = """\
#include <iostream>
#include <vector>

int main() {
    std::vector<int> frame_counts = {10, 11};
    int sum_of = 0;
    for (int frames_here : frame_counts)
        sum_of += frames_here;
    std::cout << sum_of << std::endl;
}
"""
#: file, text, (as it is, with a blank in a name)
CUT = [
    ("hives.c", C, "    sum_of += all_kilos", "    sum of += all_kilos"),
    ("hives.c", C, "return sum_of / how_many;", "return sum of / how_many;"),
    ("hives.c", C, "    double sum_of = 0;", "    double sum of = 0;"),
    ("hives.c", C, "(at_hive = 0; ", "(at hive = 0; "),
    ("hives.cpp", CPP, "        sum_of += frames_here;", "        sum of += frames_here;"),
    ("hives.cpp", CPP, "std::cout << sum_of <<", "std::cout << sum of <<"),
]


@pytest.mark.parametrize(("name", "text", "whole", "cut"), CUT)
def test_a_name_with_a_blank_in_it(name: str, text: str, whole: str, cut: str, project: Project) -> None:
    broken = text.replace(whole, cut)
    assert broken != text
    made, root = first_key(project({}), name, broken)
    assert made == text
    assert root == broken[: broken.index(cut)].count("\n") + 1


@pytest.mark.parametrize("language", ["c", "java", "javascript", "lua"])
def test_no_key_fits_the_grammar_less_than_the_text(language: str) -> None:
    """What every key must satisfy is asked of the tree where there is one."""
    from jamkey.kinds.judge import still_parses

    text = {"c": C, "java": "class A { int f() { return 1; } }\n", "javascript": "const a = [1];\n", "lua": "local a = {1}\n"}[
        language
    ]
    ending = {"c": ".c", "java": ".java", "javascript": ".js", "lua": ".lua"}[language]
    found = SHELF.get(language)
    assert found is not None
    assert trees.is_whole(text, language, ending)
    assert still_parses(text, text, found, ending)
    assert not still_parses(text, text.replace("1", "1 1 ]", 1), found, ending)
    assert still_parses(text + ")", text + ")\n", found, ending)
