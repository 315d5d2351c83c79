"""Wrong without a word, told by the text alone: what written types say, and values that nobody reads."""

from __future__ import annotations

import pytest

from jamkey.checks.by_types import by_types
from jamkey.checks.never_read import never_read
from jamkey.follow.declared_types import declared_type
from jamkey.languages import language_of
from jamkey.languages.walk import statements, within
from jamkey.model import Finding

JAVA = "public class T {{\n    private int jars = 3;\n    private double price = 2.5;\n    static int count(int[] k) {{ return k.length; }}\n{0}\n}}\n"
MAIN = (
    "    public static void main(String[] args) {{\n        int a = 3, b = 4;\n        String s = args[0];\n        {0}\n    }}"
)
C = "#include <stdio.h>\n#include <string.h>\nstruct hive {{ char *name; int jars; }};\nstatic int count(const int *k, int n) {{ return k[0] + n; }}\n{0}\n"


def told(file: str, text: str) -> list[Finding]:
    language = language_of(file)
    assert language is not None
    code = language.code(text)
    return [*by_types(code, file, language.name), *never_read(code, file, language.name)]


def mended(text: str, found: Finding) -> str:
    (edit,) = found.edits
    rows = text.split("\n")
    row = rows[edit.line - 1]
    rows[edit.line - 1] = row[: edit.column - 1] + edit.new_text + row[edit.end_column - 1 :]
    return "\n".join(rows)


#: (statement, what stands there when mended)
CUT = [
    ("double m = a / b;", "double m = (double) a / b;"),
    ("float m = count(k) / 2;", "float m = (double) count(k) / 2;"),
    ("double m = a / b * 100;", "double m = (double) a / b * 100;"),
    ("double m = 2.5 * (a / b);", "double m = 2.5 * ((double) a / b);"),
    ("double m; m = a / b;", "double m; m = (double) a / b;"),
]
WHOLE = [
    "int m = a / b;",
    "double m = a / 2.0;",
    "double m = (double) a / b;",
    "int half = (a + b) / 2;",
    "double m = k[a / b];",
]


@pytest.mark.parametrize(("text", "after"), CUT)
@pytest.mark.parametrize("file", ["T.java", "t.c"])
def test_a_fraction_that_is_wanted_and_cut_off(file: str, text: str, after: str) -> None:
    whole = _whole(file, text)
    (found,) = told(file, whole)
    assert (found.rule, found.kind) == ("whole-number-ratio", "truncated-division")
    after = after if file.endswith(".java") else after.replace("count(k)", "count(k, 2)")
    assert after in mended(whole, found)
    assert told(file, mended(whole, found)) == []


def _whole(file: str, text: str) -> str:
    if file.endswith(".java"):
        return JAVA.format(MAIN.format("int[] k = {1, 2}; " + text))
    return C.format(
        "int main(void)\n{\n    int a = 3, b = 4;\n    int k[] = {1, 2};\n    "
        + text.replace("count(k)", "count(k, 2)")
        + "\n    return 0;\n}"
    )


@pytest.mark.parametrize("text", WHOLE)
@pytest.mark.parametrize("file", ["T.java", "t.c"])
def test_whole_numbers_that_are_meant_to_be_whole_are_left_alone(file: str, text: str) -> None:
    assert told(file, _whole(file, text)) == []


@pytest.mark.parametrize(
    ("file", "text", "after"),
    [
        ("T.java", 'if (s == "oak") return;', 'if (s.equals("oak")) return;'),
        ("T.java", "if (s != args[1]) return;", "if (!s.equals(args[1])) return;"),
        ("T.java", "for (String t : args) if (t == s) a++;", "for (String t : args) if (t.equals(s)) a++;"),
        ("t.c", 'const char *s = "oak"; if (s == "elm") a++;', 'const char *s = "oak"; if (strcmp(s, "elm") == 0) a++;'),
        (
            "t.c",
            'struct hive h = {"oak", 3}; if (h.name != "elm") a++;',
            'struct hive h = {"oak", 3}; if (strcmp(h.name, "elm") != 0) a++;',
        ),
    ],
)
def test_texts_that_are_compared_as_objects(file: str, text: str, after: str) -> None:
    whole = _whole(file, text)
    (found,) = told(file, whole)
    assert found.rule == "texts-as-objects" and after in mended(whole, found)


@pytest.mark.parametrize(
    ("file", "text"),
    [
        ("T.java", "if (s == null || a == b) return;"),
        ("T.java", "if (args.length == 2) return;"),
        ("t.c", "char *s = NULL; if (s == NULL || a == b) a++;"),
    ],
)
def test_what_may_be_compared_so_is_left_alone(file: str, text: str) -> None:
    assert told(file, _whole(file, text)) == []


@pytest.mark.parametrize(
    ("part", "type_"),
    [
        ("a", "int"),
        ("s", "String"),
        ("args", "String[]"),
        ("args[0]", "String"),
        ("a + 2.0", "double"),
        ("count(k)", "int"),
        ("s.length()", "int"),
        ("(double) a", "double"),
        ("price", "double"),
        ("-a", "int"),
        ("unheard", ""),
    ],
)
def test_types_are_known_as_they_are_written(part: str, type_: str) -> None:
    text = JAVA.format(MAIN.format(f"int[] k = {{1}}; print({part});"))
    language = language_of("T.java")
    assert language is not None
    code = language.code(text)
    given = [
        child
        for statement in statements(code)
        for top in statement.parts
        for each, _ in within(top)
        if each.called == "print"
        for _, child in each.arguments
    ]
    assert declared_type(code, given[0]) == type_


@pytest.mark.parametrize(
    ("file", "text", "after"),
    [
        (
            "a.lua",
            "local k, highest = { 3, 5 }, 0\nfor _, v in ipairs(k) do\n  if v > highest then higest = v end\nend\nprint(highest)\n",
            "highest = v",
        ),
        (
            "a.js",
            "let total = 0;\nfor (const k of [1, 2]) {\n  totl = total + k;\n}\nconsole.log(total);\n",
            "total = total + k",
        ),
        ("a.R", "total <- 0\nfor (k in c(1, 2)) {\n  totl <- total + k\n}\nprint(total)\n", "total <- total + k"),
        ("a.m", "total = 0;\nfor k = [1 2]\n  totl = total + k;\nend\ndisp (total);\n", "total = total + k"),
        ("a.R", "total <- 0\nadd <- function(k) {\n  total <- total + k\n}\nadd(3)\nprint(total)\n", "total <<- total + k"),
        (
            "a.lua",
            "local total = 0\nlocal function add(k)\n  local total = total + k\nend\nadd(3)\nprint(total)\n",
            "  total = total + k",
        ),
    ],
)
def test_a_value_that_nobody_reads(file: str, text: str, after: str) -> None:
    (found,) = told(file, text)
    assert (found.rule, found.line) == ("never-read", 3)
    assert mended(text, found).split("\n")[2].endswith(after) or after in mended(text, found).split("\n")[2]


@pytest.mark.parametrize(
    ("file", "text"),
    [
        ("a.lua", "local total2, total = 1, 2\nprint(total)\n"),
        (
            "a.lua",
            "local total = 0\nlocal function add(k)\n  local total = total + k\n  return total\nend\nprint(add(3), total)\n",
        ),
        ("a.R", "total <- 0\nadd <- function(k) {\n  total <- k * 2\n  total\n}\nprint(add(3) + total)\n"),
        ("a.R", "total <- 0\nadd <- function(k) {\n  total <- total + k\n}\ntotal <- add(3)\nprint(total)\n"),
        ("a.R", "hives <- 3\nhive <- 2\nprint(hives)\n"),
        ("a.js", "const kilos = [1];\nconst { kilo } = { kilo: 2 };\nconsole.log(kilos, kilo);\n"),
        ("a.m", "totals = 3;\ntotal = 4;\ndisp (total);\n"),
    ],
)
def test_values_that_are_read_or_numbered_are_left_alone(file: str, text: str) -> None:
    assert told(file, text) == []
