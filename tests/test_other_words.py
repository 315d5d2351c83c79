"""Failures as workbenches, consoles, builders and the packages of data analysis word them, not only the runtime itself."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.pipeline import read, read_and_diagnose

Project = Callable[..., Path]

#: What is printed -> runtime, kind, message, (file, line) of the innermost place.
WORDED: dict[str, tuple[str, str, str, tuple[str, int]]] = {
    "ReferenceError: Can't find variable: totl\nglobal code@file:///Users/learner/hives.js:3:12\n": (
        "javascript",
        "unknown-name",
        "Can't find variable: totl",
        ("/Users/learner/hives.js", 3),
    ),
    "Uncaught ReferenceError: totl is not defined\n    <anonymous> file:///home/learner/hives.js:3\n": (
        "javascript",
        "unknown-name",
        "totl is not defined",
        ("/home/learner/hives.js", 3),
    ),
    "hives.js:3 Uncaught ReferenceError: totl is not defined\n    at weigh (hives.js:5:13)\n    at hives.js:9:1\n": (
        "javascript",
        "unknown-name",
        "totl is not defined",
        ("hives.js", 5),
    ),
    "hives.html:12 Uncaught SyntaxError: Unexpected token ')'\n": (
        "javascript",
        "broken-syntax",
        "Unexpected token ')'",
        ("hives.html", 12),
    ),
    "error: Uncaught (in promise) ReferenceError: totl is not defined\nconsole.log(totl);\n            ^\n    at file:///home/learner/hives.ts:1:13\n": (
        "javascript",
        "unknown-name",
        "totl is not defined",
        ("/home/learner/hives.ts", 1),
    ),
    'Exception in thread "main" java.lang.Error: Unresolved compilation problem: \n\ttotl cannot be resolved to a variable\n\n\tat Hives.main(Hives.java:5)\n': (
        "java",
        "unknown-name",
        "totl cannot be resolved to a variable",
        ("Hives.java", 5),
    ),
    "C:\\work\\Hives.java:5:9\njava: cannot find symbol\n  symbol:   variable totl\n  location: class Hives\n": (
        "java",
        "unknown-name",
        "cannot find symbol",
        ("C:\\work\\Hives.java", 5),
    ),
    "[ERROR] COMPILATION ERROR : \n[ERROR] /home/learner/Hives.java:[5,9] cannot find symbol\n[ERROR]   symbol:   variable totl\n[ERROR]   location: class Hives\n": (
        "java",
        "unknown-name",
        "cannot find symbol",
        ("/home/learner/Hives.java", 5),
    ),
    "Error: File: hives.m Line: 3 Column: 8\nInvalid expression. Check for mismatched delimiters.\n": (
        "octave",
        "broken-syntax",
        "Invalid expression. Check for mismatched delimiters.",
        ("hives.m", 3),
    ),
    "Traceback (most recent call last):\n\n  File ~\\env\\Lib\\site-packages\\kernels\\py3compat.py:356 in compat_exec\n    exec(code, globals, locals)\n\n  File c:\\users\\learner\\hives.py:3\n    print(totl)\n\nNameError: name 'totl' is not defined\n": (
        "python",
        "unknown-name",
        "name 'totl' is not defined",
        ("c:\\users\\learner\\hives.py", 3),
    ),
}


@pytest.mark.parametrize("text", WORDED)
def test_words_of_what_stands_around_a_runtime(text: str) -> None:
    (jam,) = read(text)
    runtime, kind, message, place = WORDED[text]
    assert (jam.runtime, jam.kind, jam.message) == (runtime, kind, message)
    assert (jam.frames[-1].file, jam.frames[-1].line) == place


@pytest.mark.parametrize(
    ("message", "kind"),
    [
        ("Type mismatch: cannot convert from String to int", "wrong-type"),
        ("The method gain(int) in the type Hives is not applicable for the arguments (String)", "wrong-arguments"),
        ("The method weigh() is undefined for the type Hives", "unknown-name"),
        ("kilo cannot be resolved or is not a field", "no-such-member"),
        ("The local variable n may not have been initialized", "unset-name"),
        ("The final local variable n cannot be assigned. It must be blank", "fixed-value"),
        ('Syntax error, insert ";" to complete Statement', "broken-syntax"),
    ],
)
def test_words_of_the_compiler_of_a_workbench(message: str, kind: str) -> None:
    text = f'Exception in thread "main" java.lang.Error: Unresolved compilation problem: \n\t{message}\n\n\tat Hives.main(Hives.java:5)\n'
    (jam,) = read(text)
    assert (jam.kind, jam.phase, jam.message) == (kind, "compile", message)


HIVES = 'library(dplyr)\nhives <- tibble(hive = c("oak", "brook"), kg = c(31.5, 28))\n'
TREE = "Backtrace:\n     ▆\n  1. ├─base::print({0})\n  2. ├─{0}\n  3. └─dplyr::{1}\n  4.   └─dplyr:::{2}.data.frame(., x)\nExecution halted\n"
#: Row of the script -> what is printed above the tree, kind, what the first edit writes.
BULLETS = {
    "hives %>% mutate(lb = kgs * 2.2)": (
        "Error in `mutate()`:\n! Problem while computing `lb = kgs * 2.2`.\nCaused by error in `mask$eval_all_mutate()`:\n! object 'kgs' not found\n",
        "unknown-name",
        "kg",
    ),
    "hives %>% filter(kgs > 3)": (
        "Error in `filter()`:\nℹ In argument: `kgs > 3`.\nCaused by error:\n! object 'kgs' not found\n",
        "unknown-name",
        "kg",
    ),
    "hives %>% select(kgs)": (
        "Error in `select()`:\n! Can't subset columns that don't exist.\n✖ Column `kgs` doesn't exist.\n",
        "no-such-key",
        "kg",
    ),
    "hives %>% group_by(hve)": (
        "Error in `group_by()`:\n! Must group by variables found in `.data`.\nx Column `hve` is not found.\n",
        "no-such-key",
        "hive",
    ),
    "hives %>% mutate(n = 1:3)": (
        "Error in `mutate()`:\n! Problem while computing `n = 1:3`.\n✖ `n` must be size 2 or 1, not 3.\n",
        "wrong-count",
        "",
    ),
    'hives %>% summarise(m = mean(kg) + "a")': (
        'Error in `summarise()`:\nℹ In argument: `m = mean(kg) + "a"`.\nCaused by error in `mean(kg) + "a"`:\n! non-numeric argument to binary operator\n',
        "wrong-type",
        "",
    ),
}


@pytest.mark.parametrize("row", BULLETS)
@pytest.mark.parametrize("lines", [1, 2])
def test_bullets_of_the_packages_of_data_analysis(row: str, lines: int, project: Project) -> None:
    """Whether a pipe stands on one line or on several, the line of the step that failed is found."""
    said, kind, new = BULLETS[row]
    name = row.split("%>% ")[1].split("(")[0]
    script = HIVES + (row if lines == 1 else row.replace("%>% ", "%>%\n  filter(kg > 1) %>%\n  ")) + "\n"
    text = said + TREE.format(row, row.split("%>% ")[1].replace("(", "(., ", 1), name)
    (jam,) = read_and_diagnose(text, root=project({"hives.R": script}))
    assert (jam.runtime, jam.kind) == ("r", kind)
    assert (
        jam.snag_frame is not None
        and jam.snag_frame.line
        == script.split("\n").index(next(line for line in script.split("\n") if row.split("%>% ")[1] in line)) + 1
    )
    if new:
        assert jam.keys[0].edits[0].new_text == new


def test_a_function_of_one_s_own_is_entered(project: Project) -> None:
    script = (
        HIVES + "double <- function(d) {\n  d %>%\n    filter(kg > 1) %>%\n    mutate(lb = kgs * 2)\n}\nprint(double(hives))\n"
    )
    text = (
        "Error in `mutate()`:\n! Problem while computing `lb = kgs * 2`.\nCaused by error in `mask$eval_all_mutate()`:\n! object 'kgs' not "
        "found\nBacktrace:\n     ▆\n  1. ├─base::print(double(hives))\n  2. ├─global double(hives)\n  3. │ └─d %>% filter(kg > 1) %>% mutate(lb = "
        "kgs * 2)\n  4. ├─dplyr::mutate(., lb = kgs * 2)\n  5. └─dplyr:::mutate.data.frame(., lb = kgs * 2)\nExecution halted\n"
    )
    (jam,) = read_and_diagnose(text, root=project({"hives.R": script}))
    assert [(frame.function, frame.line) for frame in jam.frames if frame.owner == "yours"][-1] == ("double", 6)
    assert [edit.new_text for key in jam.keys for edit in key.edits] == ["kg"]  # what is calculated with is no text


def test_a_file_that_a_package_does_not_find(project: Project) -> None:
    text = "Error: 'hive.csv' does not exist in current working directory ('/home/learner').\nExecution halted\n"
    (jam,) = read_and_diagnose(text, root=project({"hives.R": 'x <- read_csv("hive.csv")\n', "hives.csv": "hive,kg\noak,3\n"}))
    assert (jam.kind, jam.facts["path"], jam.snag_frame and jam.snag_frame.line) == ("file-access", "hive.csv", 1)


REPORT = "---\ntitle: Hives\n---\n\nIt's what 3 hives (of 4 weigh.\n\n```{r setup}\nkilos <- c(3, 4)\n```\n\nMore.\n\n```{r weights}\ntotal <- sum(kilos)\nmean(totl)\n```\n"


@pytest.mark.parametrize(
    ("name", "printed"),
    [
        (
            "hives.Rmd",
            "Quitting from lines 13-16 (hives.Rmd) \nError in mean(totl) : object 'totl' not found\nCalls: <Anonymous> ... eval -> mean\n",
        ),
        (
            "hives.Rmd",
            "Quitting from lines 13-16 [weights] (hives.Rmd)\nError in mean(totl) : object 'totl' not found\nExecution halted\n",
        ),
        (
            "hives.qmd",
            "Quitting from hives.qmd:13-16 [weights]\nError:\n! object 'totl' not found\nBacktrace:\n 1. base::mean(totl)\n",
        ),
    ],
)
def test_a_report_that_stopped(name: str, printed: str, project: Project) -> None:
    """Its prose is no program: a quote or a bracket in it opens nothing."""
    (jam,) = read_and_diagnose(printed, root=project({name: REPORT, "other.Rmd": "```{r}\nmean(totl)\n```\n"}))
    assert jam.snag_frame is not None and (jam.snag_frame.file, jam.snag_frame.line) == (name, 15)
    assert jam.keys[0].edits[0].new_text == "total"


def test_a_long_name_is_no_word_that_was_abbreviated(project: Project) -> None:
    (jam,) = read_and_diagnose(
        "Error in mean(totl) : object 'totl' not found\nExecution halted\n",
        root=project({"hives.R": "total <- 3\nmean(totl)\n"}),
    )
    assert [key.edits[0].new_text for key in jam.keys[:1]] == ["total"]
    assert not any("toString" in edit.new_text for key in jam.keys for edit in key.edits)
