"""Other languages' sources by their trees: spans, statements, definitions, calls, returns, loops, conditions."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from jamkey.languages import SHELF, language_of
from jamkey.languages.base import Part, Span
from jamkey.languages.tree_code import TreeCode
from tests.conftest import CORPUS

ENDINGS = {".js", ".java", ".c", ".cpp", ".lua", ".jl", ".swift"}
SOURCES = sorted({path for path in CORPUS.glob("*/*/src/**/*") if path.suffix in ENDINGS}, key=str)[::4]


def code_of(language: str, text: str) -> TreeCode:
    code = SHELF.get(language).code(text)
    assert isinstance(code, TreeCode), "the grammar package is there"
    return code


def cut(text: str, span: Span) -> str:
    rows = text.split("\n")[span.line - 1 : span.end_line]
    rows[-1] = rows[-1][: span.end_column - 1]
    rows[0] = rows[0][span.column - 1 :]
    return "\n".join(rows)


@pytest.mark.parametrize("path", SOURCES, ids=lambda path: f"{path.parent.parent.name}-{path.name}")
def test_every_span_is_its_source(path: Path) -> None:
    text = path.read_text(encoding="utf-8")
    language = language_of(path.name)
    assert language is not None
    code = language.code(text)
    for line in range(1, text.count("\n") + 2):
        statement = code.statement(line)
        for top in (*statement.parts, *statement.targets) if statement is not None else ():
            for part in top.walk():
                assert cut(text, part.span) == part.source
                assert not part.name_span or cut(text, part.name_span) == part.name
                assert all(part.span.holds(inner.span) for _, inner in part.children if part.sort != "call")
    for definition in code.definitions():
        assert cut(text, definition.span) == definition.name
    for function in code.functions():
        assert function.span.line <= function.last_line <= text.count("\n") + 1


#: (language, text, line, sort, targets, parts) of one statement.
STATEMENTS = [
    ("javascript", "const { oak, elm: kilos } = weigh();", 1, "assign", ["oak", "kilos"], ["weigh()"]),
    ("javascript", "let [first, last] = rows;", 1, "assign", ["first", "last"], ["rows"]),
    ("javascript", "total += row['kilos'];", 1, "augassign", ["total"], ["row['kilos']"]),
    ("javascript", "hive.kilos = -kilos[0];", 1, "assign", ["hive.kilos"], ["-kilos[0]"]),
    ("javascript", "for (const row of rows) {\n  f(row);\n}", 1, "for", ["row"], ["rows"]),
    ("javascript", "if (kilos > 3) {\n  f();\n}", 1, "if", [], ["(kilos > 3)"]),
    ("javascript", "function f(a) {\n  return a ? 1 : g(a);\n}", 2, "return", [], ["a ? 1 : g(a)"]),
    ("javascript", "throw new Error(`no ${hive}`);", 1, "raise", [], ["new Error(`no ${hive}`)"]),
    ("javascript", "rows.map((row) => row.kilos)[0];", 1, "expr", [], ["rows.map((row) => row.kilos)[0]"]),
    ("javascript", "hive\n  .open()\n  .close();", 2, "expr", [], ["hive\n  .open()\n  .close()"]),
    ("java", 'class A {\n  int kilos = "31".length();\n}', 2, "assign", ["kilos"], ['"31".length()']),
    ("java", 'class A { void f() {\n    int kilos = "31";\n} }', 2, "assign", ["kilos"], ['"31"']),
    ("java", "class A { void f() {\n    int a = 1, b = 2;\n} }", 2, "assign", ["a", "b"], ["1", "2"]),
    ("java", "class A { void f() {\n    for (double kilo : kilos) {\n    }\n} }", 2, "for", ["kilo"], ["kilos"]),
    ("java", "class A { void f() {\n    this.kilos[0] = hive.kilos();\n} }", 2, "assign", ["this.kilos[0]"], ["hive.kilos()"]),
    ("java", "class A { void f() {\n    total += kilos.get(0);\n} }", 2, "augassign", ["total"], ["kilos.get(0)"]),
    ("java", "class A { int f() {\n    return new Hive(3).kilos / 2;\n} }", 2, "return", [], ["new Hive(3).kilos / 2"]),
    ("java", 'class A { void f() {\n    throw new X("a" + 1);\n} }', 2, "raise", [], ['new X("a" + 1)']),
    ("java", "class A { void f() {\n    String t = (String) o;\n} }", 2, "assign", ["t"], ["(String) o"]),
    (
        "java",
        "class A { void f() {\n    List<String> names = new ArrayList<>();\n} }",
        2,
        "assign",
        ["names"],
        ["new ArrayList<>()"],
    ),
    ("c", "int main(void) {\n    double kilos = 3, *p = &kilos;\n}", 2, "assign", ["kilos", "p"], ["3", "&kilos"]),
    ("c", "int main(void) {\n    hive->kilos = (*p).kilos;\n}", 2, "assign", ["hive->kilos"], ["(*p).kilos"]),
    (
        "c",
        "int main(void) {\n    for (int i = 0; i < 3; i++)\n        total += kilos[i];\n}",
        3,
        "augassign",
        ["total"],
        ["kilos[i]"],
    ),
    ("c", "int main(void) {\n    if (p == NULL) {\n        return 1;\n    }\n}", 2, "if", [], ["p == NULL"]),
    ("c", "int main(void) {\n    std::cout << kilos << 1;\n}", 2, "expr", [], ["std::cout << kilos << 1"]),
    ("c", "int main() {\n    auto x = m.at(3)->kilos;\n}", 2, "assign", ["x"], ["m.at(3)->kilos"]),
    ("c", 'int main(void) {\n    printf("%d\\n", kilos);\n}', 2, "expr", [], ['printf("%d\\n", kilos)']),
    ("c", "double mean(int n) {\n    return n ? total / n : 0;\n}", 2, "return", [], ["n ? total / n : 0"]),
    ("lua", "local kilos, n = weigh(), 3", 1, "assign", ["kilos", "n"], ["weigh()", "3"]),
    ("lua", "hive.kilos = #rows .. 'a'", 1, "assign", ["hive.kilos"], ["#rows .. 'a'"]),
    ("lua", "for i = 1, #rows do\n  print(i)\nend", 1, "for", ["i"], ["#rows", "1"]),
    ("lua", "for key, row in pairs(rows) do\n  print(row)\nend", 1, "for", ["key", "row"], ["pairs(rows)"]),
    ("lua", "for _, row in pairs(rows) do\n  print(row.kilos)\nend", 2, "expr", [], ["print(row.kilos)"]),
    ("lua", "if not kilos then\n  return nil, 'none'\nend", 2, "return", [], ["nil", "'none'"]),
    ("lua", "hive:add(3)", 1, "expr", [], ["hive:add(3)"]),
    ("lua", "rows[1].kilos = f 'a'", 1, "assign", ["rows[1].kilos"], ["f 'a'"]),
    ("julia", "kilos = weigh(rows)[1]", 1, "assign", ["kilos"], ["weigh(rows)[1]"]),
    ("julia", "for kilo in kilos\n  print(kilo)\nend", 1, "for", ["kilo"], ["kilos"]),
    ("julia", "total += kilo", 1, "augassign", ["total"], ["kilo"]),
    ("julia", "hive.kilos = rows[end] + 2", 1, "assign", ["hive.kilos"], ["rows[end] + 2"]),
    ("julia", "function f(a)\n  return a.kilos\nend", 2, "return", [], ["a.kilos"]),
    ("julia", 'println(d["oak"])', 1, "expr", [], ['println(d["oak"])']),
    ("swift", "let kilos = weigh(of: rows)", 1, "assign", ["kilos"], ["weigh(of: rows)"]),
    ("swift", "hive.kilos = rows.count", 1, "assign", ["hive.kilos"], ["rows.count"]),
]


@pytest.mark.parametrize(("language", "text", "line", "sort", "targets", "parts"), STATEMENTS)
def test_a_statement(language: str, text: str, line: int, sort: str, targets: list[str], parts: list[str]) -> None:
    statement = code_of(language, text).statement(line)
    assert statement is not None
    assert (statement.sort, [part.source for part in statement.targets]) == (sort, targets)
    assert [part.source.strip("()") for part in statement.parts if part.source not in targets] == [
        part.strip("()") for part in parts
    ]


#: (language, expression in its text, sort, role -> source) of one part.
PARTS = [
    ("javascript", "weigh(rows, 3);", "call", {"callee": "weigh", "argument": "rows"}),
    ("javascript", "hive.rows[0];", "index", {"object": "hive.rows", "key": "0"}),
    ("javascript", "a === b;", "compare", {"left": "a", "right": "b"}),
    ("javascript", "a + b * c;", "binary", {"left": "a", "right": "b * c"}),
    ("java", "class A { int f() { return hive.kilos(3); } }", "call", {"callee": "hive.kilos", "argument": "3"}),
    ("java", "class A { int f() { return rows[i + 1]; } }", "index", {"object": "rows", "key": "i + 1"}),
    ("c", "int f(void) { return a.b(c)->d; }", "member", {"object": "a.b(c)"}),
    ("c", "int f(void) { return kilos[i - 1]; }", "index", {"object": "kilos", "key": "i - 1"}),
    ("c", "int main() {\n  Hive hive(2, x);\n}", "call", {"callee": "Hive", "argument": "2"}),
    ("lua", "return hive:weigh(3)", "call", {"callee": "hive:weigh", "argument": "3"}),
    ("lua", "return rows[#rows]", "index", {"object": "rows", "key": "#rows"}),
    ("julia", "f() = 1\nx = rows[i + 1]", "index", {"object": "rows"}),
]


@pytest.mark.parametrize(("language", "text", "sort", "roles"), PARTS)
def test_a_part_and_what_it_is_made_of(language: str, text: str, sort: str, roles: dict[str, str]) -> None:
    code = code_of(language, text)
    found = [
        part
        for line in range(1, text.count("\n") + 2)
        for top in _parts(code, line)
        for part in top.walk()
        if part.sort == sort
    ]
    assert any(
        all((own := part.child(role)) is not None and own.source == source for role, source in roles.items()) for part in found
    )


def _parts(code: TreeCode, line: int) -> tuple[Part, ...]:
    statement = code.statement(line)
    return statement.parts if statement is not None else ()


#: Language -> a function with parameters, a return on one way, a loop, a condition, and a call of it.
PROGRAMS = {
    "javascript": "function mean(rows, most) {\n  let total = 0;\n  for (const row of rows) {\n    if (row > most) {\n      return null;\n"
    "    }\n    total += row;\n  }\n  return total;\n}\nconst kilos = mean([1], 2);\n",
    "java": "class A {\n  static Double mean(int[] rows, int most) {\n    double total = 0;\n    for (int row : rows) {\n      if (row > most) {\n"
    "        return null;\n      }\n      total += row;\n    }\n    return total;\n  }\n  static Double kilos = mean(null, 2);\n}\n",
    "c": "static double mean(int *rows, int most)\n{\n    double total = 0;\n    for (int i = 0; i < 3; i++) {\n        if (rows[i] > most) {\n"
    "            return 0;\n        }\n        total += rows[i];\n    }\n    return total;\n}\nint main(void)\n{\n    double kilos = mean(0, 2);\n}\n",
    "lua": "local function mean(rows, most)\n  local total = 0\n  for _, row in ipairs(rows) do\n    if row > most then\n      return nil\n"
    "    end\n    total = total + row\n  end\n  return total\nend\nlocal kilos = mean({ 1 }, 2)\n",
    "julia": "function mean(rows, most)\n  total = 0\n  for row in rows\n    if row > most\n      return nothing\n    end\n    total += row\n"
    "  end\n  return total\nend\nkilos = mean([1], 2)\n",
}


@pytest.mark.parametrize("language", PROGRAMS)
def test_a_function_with_all_that_is_in_it(language: str) -> None:
    text = PROGRAMS[language]
    code = code_of(language, text)
    rows = text.split("\n")

    def line_of(words: str) -> int:
        return next(number for number, row in enumerate(rows, 1) if words in row)

    (function,) = code.functions("mean")
    assert [param.name for param in function.params] == ["rows", "most"]
    returns = [line for line, _ in function.returns]
    assert returns == [number for number, row in enumerate(rows, 1) if "return" in row]
    adds = line_of("total +=" if "total +=" in text else "total = total + row")
    assert code.scope_at(adds).rpartition(".")[2] == "mean"
    assert [loop.sort for loop in code.loops(adds)] == ["for"]
    condition = next(number for number, row in enumerate(rows, 1) if re.match(r"\s*if\b", row))
    assert code.guards(returns[0])[:1] == [condition]
    assert line_of("total") in [item.span.line for item in code.reaching("total", returns[-1])]
    assert [call.called for call in code.calls("mean")][:1] == ["mean"]
    assert any(item.name == "kilos" and item.value is not None and "mean" in item.value.source for item in code.definitions())


IMPORTS = """\
import fs from 'fs';
import yard, { weigh, best as heaviest } from './yard.mjs';
import * as means from './means.mjs';
const { hive, kilos: [first, second = 2], frames = 3, ...others } = yard;
"""


def test_names_that_modules_and_patterns_bring() -> None:
    code = language_of("main.mjs").code(IMPORTS)
    brought = {item.name: (item.module, item.imported) for item in code.definitions() if item.sort == "import"}
    assert brought == {
        "fs": ("fs", "default"),
        "yard": ("./yard.mjs", "default"),
        "weigh": ("./yard.mjs", "weigh"),
        "heaviest": ("./yard.mjs", "best"),
        "means": ("./means.mjs", ""),
    }
    assert {"hive", "first", "second", "frames", "others"} <= code.visible(5)
    assert "kilos" not in code.visible(5), "the key is only asked for"


@pytest.mark.parametrize("language", PROGRAMS)
def test_broken_text_has_its_statements_still(language: str) -> None:
    """A bracket is missing at the end: what stands above is read as before."""
    text = PROGRAMS[language]
    code, broken = code_of(language, text), code_of(language, text + "f(((\n")
    same = 0
    lines = range(1, text.count("\n") - 2)
    for line in lines:
        first, second = code.statement(line), broken.statement(line)
        same += (first and first.sort) == (second and second.sort)
    assert same >= 0.6 * len(lines)


@pytest.mark.parametrize(("sign", "width"), [("ä", 1), ("蜂", 1), ("\t", 1), ("🐝", 1)])
def test_places_are_counted_in_characters(sign: str, width: int) -> None:
    text = f'const name = "{sign}{sign}"; weigh(name);\n'
    code = code_of("javascript", text)
    (call,) = code.calls("weigh")
    assert cut(text, call.span) == "weigh(name)"
    assert call.span.column == text.index("weigh") + width


#: (language, a source with comments in it, the same without them).
COMMENTED = [
    ("javascript", "weigh(oak, /* the old one */ elm);", "weigh(oak, elm);"),
    ("javascript", "const kilos = [31, // north\n  32];", "const kilos = [31,\n  32];"),
    ("javascript", "const hive = { north: 1, // full\n  oak: 2 };", "const hive = { north: 1,\n  oak: 2 };"),
    ("java", "class A { int f(int a) { return g(a, // old\n 2); } }", "class A { int f(int a) { return g(a,\n 2); } }"),
    ("java", "class A { int f(int a) { return a /* kg */ + 1; } }", "class A { int f(int a) { return a + 1; } }"),
    ("c", "int f(int a) { return g(a, /* old */ 2); }", "int f(int a) { return g(a, 2); }"),
    ("c", "int kilos[] = {31, /* north */ 32};", "int kilos[] = {31, 32};"),
    ("lua", "local kilos = { 31, -- north\n  32 }", "local kilos = { 31,\n  32 }"),
    ("julia", "kilos = weigh(oak, #= old =# elm)", "kilos = weigh(oak, elm)"),
    ("swift", "let kilos = weigh(oak, /* old */ elm)", "let kilos = weigh(oak, elm)"),
]


def _shape(part: Part) -> tuple[object, ...]:
    """Return what a part is made of, without its text as far as comments stand in it."""
    bare = re.sub(r"/\*.*?\*/|#=.*?=#|//[^\n]*|--[^\n]*", "", part.source)
    return part.sort, "".join(bare.split()), [(role, _shape(inner)) for role, inner in part.children]


@pytest.mark.parametrize(("language", "with_comments", "without"), COMMENTED)
def test_comments_are_no_parts(language: str, with_comments: str, without: str) -> None:
    one, other = (code_of(language, text).statement(1) for text in (with_comments, without))
    assert one is not None
    assert other is not None
    assert [_shape(part) for part in one.parts] == [_shape(part) for part in other.parts]


@pytest.mark.parametrize(
    ("language", "text"),
    [
        ("java", "class A {\n  int f(int a) {\n    return a;\n    // the weight\n  }\n}\n"),
        ("javascript", "function f(a) {\n  return a;\n  // the weight\n}\n"),
        ("c", "int f(int a) {\n  return a;\n  /* the weight */\n}\n"),
        ("lua", "function f(a)\n  return a\n  -- the weight\nend\n"),
        ("swift", "func f(a: Int) -> Int {\n  return a\n  // the weight\n}\n"),
    ],
)
def test_a_function_ends_where_its_last_statement_does(language: str, text: str) -> None:
    assert not code_of(language, text).functions("f")[0].falls_off


def test_julia_gives_back_what_stands_last() -> None:
    code = code_of("julia", "function f(a)\n  a + 1\nend\nfunction g(a)\n  for b in a\n    println(b)\n  end\nend\n")
    assert [function.falls_off for function in code.functions()] == [False, True]
