"""What is said of a failure is true of the values that were captured, in every language that tells them."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.follow.value_sorts import gap_of, is_missing, is_number, is_text
from jamkey.kinds.claims import is_true
from jamkey.model import Frame, Jam, Value
from jamkey.pipeline import read_and_diagnose
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

C_NULL = """#include <stdio.h>
struct hive { double kilos; };
static double weighed(const struct hive *hive)
{
    return hive->kilos;
}
int main(void)
{
    struct hive *none = NULL;
    printf("%g\\n", weighed(none));
    return 0;
}
"""
C_FREED = """#include <stdlib.h>
#include <stdio.h>
int main(void)
{
    int *frames = malloc(4 * sizeof *frames);
    frames[0] = 8;
    free(frames);
    free(frames);
    return 0;
}
"""
C_OUTSIDE = """#include <stdio.h>
int main(void)
{
    int frames[4] = {8, 9, 7, 10};
    int sum = 0;
    for (int day = 0; day < 4000000; day++)
        sum += frames[day];
    printf("%d\\n", sum);
    return 0;
}
"""
C_ZERO = """#include <stdio.h>
static int share(int honey, int hives)
{
    return honey / hives;
}
int main(void)
{
    int strong = 0;
    printf("%d\\n", share(42, strong));
    return 0;
}
"""
CPP_AT = """#include <iostream>
#include <vector>
int main()
{
    std::vector<double> kilos{41.2, 42.5};
    double sum = 0;
    for (std::size_t i = 0; i <= kilos.size(); i++)
        sum += kilos.at(i);
    std::cout << sum;
}
"""
JAVA_MISSING = """import java.util.*;
public class Hives {
    public static void main(String[] args) {
        Map<String, Integer> kilos = new HashMap<>(Map.of("oak", 41));
        Integer elm = kilos.get("elm");
        int sum = 3 + elm;
        System.out.println(sum);
    }
}
"""
JAVA_REFUSED = """import java.util.*;
public class Hives {
    public static void main(String[] args) {
        List<Integer> kilos = new ArrayList<>();
        kilos.add("41".trim());
    }
}
"""
R_MERGE = """yields <- data.frame(hive = c("oak", "elm", "ash"), kilos = c(12.5, 9.1, 14))
keepers <- data.frame(Hive = c("oak", "elm"), keeper = c("Ida", "Tom"))
both <- merge(yields, keepers, by = "hive")
"""
R_COLUMNS = """weights <- data.frame(hive = c("oak", "elm"), kilos = c(41, 39), week = c(1, 1))
print(weights[, c("hive", "Kilos")])
"""
R_ORDER = """weights <- data.frame(hive = c("oak", "elm"), week = c(2, 1))
show <- function(weights) {
  weights[order(weights[, "wek"]), ]
}
print(show(weights))
"""
R_GAP = """gain <- function(x) {
  if (x[2] - x[1] > 0) "up" else "down"
}
kilos <- c(30.5, 31.2, 28, NA)
hives <- c("oak", "oak", "elm", "elm")
print(tapply(kilos, hives, gain))
"""
LUA_LEFT = """local kilos = {6, 7, 8}
local sum = 0
for i = 0, #kilos do
  sum = sum + kilos[i]
end
"""
NODE_INNER = """const visits = [{ hive: 'oak', tasks: ['feed'] }, { hive: 'elm' }];
let n = 0;
for (const visit of visits) {
  if (visit.tasks.includes('feed')) n++;
}
"""


def jam_of(folder: Path, file: str) -> Jam:
    jamkey("run", "--no-keep", "--save", "out.json", file, cwd=folder)
    return parse((folder / "out.json").read_bytes()).jams[-1]


@pytest.mark.parametrize(
    ("file", "text", "meaning"),
    [
        ("hives.c", C_NULL, "`hive` is NULL at this moment, and `hive->kilos` asks for what is there."),
        ("freed.c", C_FREED, "The line uses memory that was given back before, on line 7."),
        ("outside.c", C_OUTSIDE, "`frames` has places 0 to 3, and `frames[day]` asks for place 4."),
        ("zero.c", C_ZERO, "`hives` is zero at this moment, and nothing can be divided by zero."),
        ("at.cpp", CPP_AT, "`kilos` has 2 items, and the line asks for item `i` (2). The last place is 1."),
        ("Hives.java", JAVA_MISSING, "`elm` is null at this moment, and null cannot do what the line asks of it."),
        ("Hives.java", JAVA_REFUSED, "A `String` stands where an `Integer` is wanted, and does not become one by itself."),
        ("merge.R", R_MERGE, "`keepers` has nothing of the name `hive`; what it has: `Hive`, `keeper`."),
        ("columns.R", R_COLUMNS, "`weights` has nothing of the name `Kilos`; what it has: `hive`, `kilos`, `week`."),
        ("order.R", R_ORDER, "`weights` has nothing of the name `wek`; what it has: `hive`, `week`."),
        ("key.py", "kilos = {'oak': 41}\nprint(kilos['oka'])\n", "Nothing is stored under `'oka'`. What is there: `'oak'`."),
        ("number.py", "kilos = {1: 41}\nprint(kilos[5])\n", "Nothing is stored under `5`. What is there: `1`."),
        (
            "pair.py",
            "kilos = {(1, 'oak'): 41}\nprint(kilos[(1, 'elm')])\n",
            "Nothing is stored under `(1, 'elm')`. What is there: `(1, 'oak')`.",
        ),
        ("gap.R", R_GAP, "`x` holds NA among its values, and the line needs one that is there."),
        ("left.lua", LUA_LEFT, "`kilos[i]` is nil at this moment, and nil cannot do what the line asks of it."),
        (
            "inner.js",
            NODE_INNER,
            "`visit.tasks` is undefined at this moment, and undefined cannot do what the line asks of it.",
        ),
    ],
)
def test_what_it_means(file: str, text: str, meaning: str, project: Project) -> None:
    jam = jam_of(project({file: text}), file)
    assert jam.meaning == meaning
    assert is_true(jam.meaning, jam.frames)


def test_a_function_that_is_handed_over_keeps_its_name(project: Project) -> None:
    jam = jam_of(project({"gap.R": R_GAP}), "gap.R")
    assert jam.snag_frame is not None
    assert (jam.snag_frame.line, jam.snag_frame.function) == (2, "gain")


def test_a_column_that_is_called_otherwise_is_the_root(project: Project) -> None:
    jam = jam_of(project({"merge.R": R_MERGE}), "merge.R")
    assert (jam.roots[0].file, jam.roots[0].line) == ("merge.R", 2)


def value(type_: str, text: str, length: int | None = None) -> Value:
    return Value(name="kilos", type=type_, text=text, length=length)


@pytest.mark.parametrize(
    ("held", "sorts"),
    [
        (value("NoneType", "None"), "missing"),
        (value("struct hive *", "NULL"), "missing"),
        (value("java.util.List", "null"), "missing"),
        (value("Object", "Nothing"), "missing"),
        (value("undefined", "undefined"), "missing"),
        (value("float", "nan"), "gap number"),
        (value("numeric", "28 NA", 2), "gap number"),
        (value("Object", "{kilos: NaN, hive: 3}"), ""),
        (value("list", "[1.5, nan, 2]", 3), "gap"),
        (value("struct point", "{x = 1, y = 2}"), ""),
        (value("int [3]", "{1, 2, 3}", 3), ""),
        (value("const unsigned long &", "3"), "number"),
        (value("numpy.float64", "1.5"), "number"),
        (value("str", "'NA'"), "text"),
        (value("const char *", '"NA"'), "text"),
        (value("const std::string &", '"oak"'), "text"),
        (value("Long", "3"), "number"),
        (value("size_t", "3"), "number"),
        (value("unsigned int", "3"), "number"),
        (value("list", "['NA']", 1), ""),
        (value("Hive", 'Hive(name="NA")'), ""),
    ],
)
def test_sorts_of_values(held: Value, sorts: str) -> None:
    found = [
        name
        for name, holds in (
            ("missing", is_missing(held)),
            ("gap", bool(gap_of(held))),
            ("text", is_text(held)),
            ("number", is_number(held)),
        )
        if holds
    ]
    assert found == sorts.split()


@pytest.mark.parametrize(
    ("said", "held", "true"),
    [
        ("`kilos` is null here", value("java.util.List", "null"), True),
        ("`kilos` is null here", value("java.util.List", "[1]", 1), False),
        ("`kilos` is NULL here", value("struct hive *", "NULL"), True),
        ("`kilos` holds text", value("const char *", '"41"'), True),
        ("`kilos` holds text", value("double", "41.5"), False),
        ("`kilos` is a number", value("unsigned long", "41"), True),
        ("`kilos` is zero", value("int", "0"), True),
        ("`kilos` is zero", value("int", "4"), False),
        ("`kilos` has 3 items", value("int [3]", "{1, 2, 3}", 3), True),
        ("`kilos` has 4 items", value("std::vector<int>", "std::vector of length 3", 3), False),
        ("`kilos` has nothing of the name `hive`", value("list", "[1]", 1), True),
        ("`kilos` holds NA among its values", value("numeric", "28 NA", 2), True),
        ("`kilos` is nothing", value("list", "[1]", 1), False),
    ],
)
def test_claims_of_typed_values(said: str, held: Value, true: bool) -> None:
    assert is_true(said, [Frame(file="hives.c", line=1, values=(held,))]) is true


@pytest.mark.parametrize("zero", ["0", "0.0"])
def test_a_zero_that_is_written_is_no_value_of_the_moment(zero: str, project: Callable[[dict[str, str]], Path]) -> None:
    folder = project({"gain.py": f"kilos = 3\nprint(kilos / {zero})\n"})
    jamkey("run", "--save", "out.json", "gain.py", cwd=folder)
    (jam,) = parse((folder / "out.json").read_text()).jams
    assert jam.meaning == f"The line divides by {zero} itself, and nothing can be divided by zero."
    assert not jam.keys
    assert jam.roots[0].line == 2


@pytest.mark.parametrize(
    ("text", "runtime", "said", "never"),
    [
        (
            "Error in if (t > 15) 1 : missing value where TRUE/FALSE needed\nCalls: label\nExecution halted\n",
            "r",
            "missing",
            "NULL",
        ),
        ("Error in if (t > 15) 1 : argument is of length zero\nExecution halted\n", "r", "missing", "NULL"),
        ("Error in lm.fit(x, y) : NA/NaN/Inf in 'y'\nCalls: lm -> lm.fit\nExecution halted\n", "r", "NA", "NULL"),
        ("lua5.4: hives.lua:3: attempt to index a nil value (local 'hive')\n", "lua", "nil", "missing"),
        (
            "/home/me/hives.js:3\n    return hive.kilos;\n                ^\n\nTypeError: Cannot read properties of undefined (reading 'kilos')\n    at total (/home/me/hives.js:3:17)\n\nNode.js v20.20.2\n",
            "javascript",
            "undefined",
            "missing",
        ),
    ],
)
def test_which_nothing_it_was_is_said_where_it_is_known(text: str, runtime: str, said: str, never: str, tmp_path: Path) -> None:
    """Of a language with several words for nothing, none is named that neither the message nor a value tells."""
    jam = read_and_diagnose(text, root=tmp_path)[-1]
    assert (jam.runtime, jam.kind) == (runtime, "missing-value")
    assert re.search(rf"\b{said}\b", jam.meaning or "")
    assert not re.search(rf"\b{never}\b", jam.meaning or "")
