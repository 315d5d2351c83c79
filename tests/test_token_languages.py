"""What the languages known by their tokens tell: functions, parameters, values, loops."""

from __future__ import annotations

import pytest

from jamkey.languages import SHELF, language_of

SOURCES = {
    "java": """import java.util.List;

public class Scale {
    private double offset;

    static double gain(List<Double> weights, int day) {
        double before = weights.get(day - 1);
        for (int i = 0; i <= day; i++) {
            before += i;
        }
        return weights.get(day) - before;
    }
}
""",
    "c": """#include <stdio.h>

static double gain(const double *weights, int day)
{
    double before = weights[day - 1];
    for (int i = 0; i <= day; i++) {
        before += i;
    }
    return weights[day] - before;
}
""",
    "r": """library(stats)

gain <- function(weights, day) {
  before <- weights[day - 1]
  for (i in 1:day) {
    before <- before + i
  }
  weights[day] - before
}
""",
    "octave": """1;

function g = gain (weights, day)
  before = weights(day - 1);
  for i = 1:day
    before = before + i;
  end
  g = weights(day) - before;
end
""",
    "lua": """local scale = require("scale")

local function gain(weights, day)
  local before = weights[day - 1]
  for i = 1, day do
    before = before + i
  end
  return weights[day] - before
end
""",
    "julia": """using Statistics

function gain(weights, day)
    before = weights[day - 1]
    for i in 1:day
        before = before + i
    end
    return weights[day] - before
end
""",
    "swift": """import Foundation

func gain(weights: [Double], day: Int) -> Double {
    var before = weights[day - 1]
    for i in 0...day {
        before += Double(i)
    }
    return weights[day] - before
}
""",
}


@pytest.mark.parametrize("name", list(SOURCES))
def test_a_function_and_what_is_in_it(name: str) -> None:
    text = SOURCES[name]
    code = SHELF.get(name).code(text)
    rows = text.split("\n")
    head = next(number for number, row in enumerate(rows, 1) if "gain" in row)
    function = next(f for f in code.functions("gain"))
    assert function.span.line == head
    assert function.span.end_line == max(
        n for n, row in enumerate(rows, 1) if row.strip() in ("end", "}", "    }") and n < len(rows) - (name == "java")
    )
    if name != "swift":
        assert [param.name for param in function.params] == ["weights", "day"]
    inside = next(number for number, row in enumerate(rows, 1) if "before +" in row)
    assert code.scope_at(inside).rpartition(".")[2] == "gain"
    assert code.scope_at(1) == ""
    first = next(d for d in code.reaching("before", inside) if d.value is not None and "day - 1" in d.value.source)
    assert first.span.line == next(number for number, row in enumerate(rows, 1) if "day - 1" in row)
    loop = code.loops(inside)[0]
    assert loop.span.line == next(number for number, row in enumerate(rows, 1) if row.lstrip().startswith("for"))
    assert {"weights", "before"} <= code.visible(inside) | {d.name for d in code.definitions()}


@pytest.mark.parametrize(
    ("name", "text", "line"),
    [
        ("java", "class A {\n    void f() {\n        g(;\n    }\n", 3),
        ("lua", 'print("x)\n', 1),
        ("r", "f <- function(x) {\n  x + 1\n", 1),
        ("octave", "a = [1 2\n", 1),
        ("julia", "f(x = (1\n", 1),
        ("c", "int main(void) {\n    return 1 / 2;\n}\n", 0),
    ],
)
def test_brackets_and_quotes(name: str, text: str, line: int) -> None:
    found = SHELF.get(name).first_error(text)
    assert found == line or (line and found)


def test_operators_bind_as_written() -> None:
    code = SHELF.get("java").code("class A { int f(int a, int b) {\n        return a + b * 2 <= a / b;\n} }\n")
    statement = code.statement(2)
    assert statement is not None
    compare = next(part for part in statement.parts if part.sort == "compare")
    left, right = compare.child("left"), compare.child("right")
    assert left is not None and right is not None
    assert (compare.name, left.source, right.source) == ("<=", "a + b * 2", "a / b")
    assert (left.name, right.name) == ("+", "/")


def test_what_a_function_gives_back() -> None:
    lua = SHELF.get("lua").code(
        "local function find(x)\n  if x then\n    return x\n  end\nend\nlocal function lost(x)\n  x = 1\nend\n"
    )
    assert [(f.name, f.falls_off) for f in lua.functions()] == [("find", True), ("lost", True)]
    r = SHELF.get("r").code("mean2 <- function(x) {\n  y <- sum(x)\n  y / 2\n}\n")
    assert [part.source for _, part in r.functions("mean2")[0].returns if part is not None] == ["y / 2"]
    octave = SHELF.get("octave").code("function m = mid (x)\n  m = x / 2;\nend\n")
    assert [(line, part.source) for line, part in octave.functions("mid")[0].returns if part is not None] == [(2, "x / 2")]


#: A line of R, what its condition is made of, and what the line gives a value to.
CONDITIONS = {
    "if (kilos > 3) heavy <- 1": (["kilos > 3"], ["heavy"]),
    "if (kilos[i + 1] >= kilos[i]) heavy <- i": (["kilos[i + 1] >= kilos[i]", "i + 1"], ["heavy"]),
    "while (i < 3 && hive$kilos != 2) {": (["i < 3 && hive$kilos != 2", "i < 3", "hive$kilos != 2"], []),
    "} else if (kilos < 2 || is.na(kilos)) {": (["kilos < 2 || is.na(kilos)", "kilos < 2"], []),
    "heavy <- kilos > 3 & kilos < 9": (["kilos > 3 & kilos < 9", "kilos > 3", "kilos < 9"], ["heavy"]),
    "if (kilos %in% all) heavy <- 1": (["kilos %in% all"], ["heavy"]),
}


@pytest.mark.spread(1)
@pytest.mark.parametrize("row", CONDITIONS)
def test_what_a_condition_asks_is_there_whatever_stands_behind_it(row: str) -> None:
    asked, given = CONDITIONS[row]
    language = language_of("hives.R")
    assert language is not None
    statement = language.code(f"{row}\n").statement(1)
    assert statement is not None
    parts = {part.source for part in statement.parts if part.sort in ("binary", "compare")}
    assert set(asked) <= parts
    assert [target.source for target in statement.targets] == given
