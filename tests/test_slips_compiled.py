"""Slips in C and C++ as a real compiler tells them: tabs it prints as blanks, and names it misses before the grammar."""

from __future__ import annotations

import json
import re
import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from jamkey.model import Edit
from jamkey.text import splice
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

SCALES = """\
#include <stdio.h>

#define MOST_HIVES 4

static double mean_weight(const double *all_weights, int how_many)
{
	double whole_sum = 0;	/* kilograms */
	for (int i = 0; i < how_many; i++)	/* all */ {
		whole_sum += all_weights[i];	/* as weighed */
	}
	return whole_sum / how_many;	/* never empty */
}

int main(void)
{
	double all_weights[MOST_HIVES] = {31.5, 28.0, 40.25, 22.0};
	double the_mean = mean_weight(all_weights, MOST_HIVES);	/* of them all */
	printf("%d hives\\n", MOST_HIVES);	/* first line */
	printf("%.2f\\n", the_mean);	/* last line */
	return 0;
}
"""
FRAMES = """\
#include <iostream>
#include <map>
#include <string>

int count_frames(const std::map<std::string, int> &by_hive)
{
	int all_frames = 0;	// of every hive
	for (const auto &one_hive : by_hive) {
		all_frames += one_hive.second;	// brood too
	}
	return all_frames;
}

int main()
{
	std::map<std::string, int> by_hive = {{"oak", 10}, {"brook", 8}};
	int all_frames = count_frames(by_hive);	// both
	std::cout << "frames: " << all_frames << "\\n";	// a line
	return 0;
}
"""
QUEUE = """\
#include <stdio.h>
#include <stdlib.h>

struct jar_list {
	int net_grams;	/* without glass */
	struct jar_list *next_jar;
};

int main(void)
{
	struct jar_list *first_jar = NULL;
	int whole_grams = 0;
	for (int i = 1; i <= 3; i++) {
		struct jar_list *new_jar = malloc(sizeof *new_jar);	/* never freed */
		new_jar->net_grams = 250 * i;
		new_jar->next_jar = first_jar;	/* in front */
		first_jar = new_jar;
	}
	for (struct jar_list *one_jar = first_jar; one_jar; one_jar = one_jar->next_jar)
		whole_grams += one_jar->net_grams;	/* all */
	printf("%d g\\n", whole_grams);
	return 0;
}
"""
PROGRAMS = {"scales.c": SCALES, "frames.cpp": FRAMES, "jars.c": QUEUE}
#: In which file, which of the lines with these words, what stands there, what is typed.
TABBED = [
    ("scales.c", "whole_sum += ", "[i]", "[i)"),
    ("scales.c", "the_mean = ", "HIVES)", "HIVES"),
    ("scales.c", "of them all", "(all", "all"),
    ("scales.c", "first line", "HIVES)", "HIVES]"),
    ("scales.c", "last line", "mean)", "mean"),
    ("frames.cpp", "both", "hive)", "hive"),
    ("frames.cpp", "both", "(by", "by"),
    ("jars.c", "never freed", "jar)", "jar]"),
    ("jars.c", "in front", "= first", "== = first"),
]
NAMED = [(file, name) for file, text in PROGRAMS.items() for name in sorted(set(re.findall(r"\b[a-z]+_[a-z]+\b", text)))]


def compiled(folder: Path, name: str) -> subprocess.CompletedProcess[str]:
    compiler = "g++" if name.endswith("pp") else "gcc"
    return subprocess.run([compiler, "-fsyntax-only", name], cwd=folder, capture_output=True, text=True)


def read(folder: Path, name: str) -> dict[str, Any]:
    """Compile a file that the compiler refuses, and read what it says."""
    said = compiled(folder, name)
    assert said.returncode
    (folder / "said.txt").write_text(said.stderr, encoding="utf-8")
    jamkey("read", "--save", "out.json", "said.txt", cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    return dict(jam)


def mended(text: str, jam: dict[str, Any]) -> list[str]:
    """Return what the first three keys make of a text."""
    keys = [key for key in jam["keys"] if key["edits"]][:3]
    return [splice(text, [Edit(**edit) for edit in key["edits"]]) for key in keys]


@pytest.mark.parametrize("name", PROGRAMS)
def test_the_programs_are_healthy(name: str, project: Project) -> None:
    done = compiled(project({name: PROGRAMS[name]}), name)
    assert not done.returncode, done.stderr


@pytest.mark.spread(2)
@pytest.mark.parametrize(("name", "words", "was", "now"), TABBED, ids=[f"{row[0]}-{row[1]}-{row[3]}" for row in TABBED])
def test_where_tabs_stand_on_the_line(name: str, words: str, was: str, now: str, project: Project) -> None:
    healthy = PROGRAMS[name]
    row = next(row for row in healthy.split("\n") if words in row)
    text = healthy.replace(row, row.replace(was, now, 1))
    folder = project({name: text})
    jam = read(folder, name)
    frame = jam["frames"][jam["snag"]]
    assert not frame["changed"], "the line is the file's, but for its tabs"
    here = text.split("\n")[frame["line"] - 1]
    assert frame["column"] <= len(here) + 1
    # that place, with tabs as wide as the compiler has them, is where its mark stands
    said = (folder / "said.txt").read_text(encoding="utf-8")
    shown = next(line for line in said.split("\n") if " | " in line)
    mark = said.split(shown + "\n")[1].split("\n")[0]
    assert len(here[: frame["column"] - 1].expandtabs(8)) == mark.index("^") - mark.index("|") - 2
    assert healthy in mended(text, jam)


@pytest.mark.spread(8)
@pytest.mark.parametrize(("name", "word"), NAMED, ids=[f"{name}-{word}" for name, word in NAMED])
def test_a_blank_in_a_name(name: str, word: str, project: Project) -> None:
    """The compiler misses a name first, and says then that it cannot read on; either way nothing is put in quotes."""
    healthy = PROGRAMS[name]
    at = [match.start() for match in re.finditer(rf"\b{word}\b", healthy)][-1]
    text = healthy[:at] + word.replace("_", " ", 1) + healthy[at + len(word) :]
    jam = read(project({name: text}), name)
    assert jam["kind"] == "broken-syntax"
    assert "quotes" not in " ".join(key["title"] for key in jam["keys"])
    assert healthy in mended(text, jam)


def test_a_name_that_is_missed_in_a_whole_text_stays_one(project: Project) -> None:
    """The grammar holds: what is wrong is the name, whatever else is said of its line."""
    text = FRAMES.replace("#include <string>\n", "#include <string>\n#include <vector>\n").replace(
        "	int all_frames = count_frames(by_hive);	// both\n",
        "	int all_frames = count_frames(by_hive);	// both\n	vector<int> sizes;\n",
    )
    jam = read(project({"frames.cpp": text}), "frames.cpp")
    assert jam["kind"] == "unknown-name"
