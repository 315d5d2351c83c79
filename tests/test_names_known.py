"""Names: what a source defines in every way its language has is known where it is used, and what is no name is none."""

from __future__ import annotations

import subprocess
import sys
from collections import Counter
from pathlib import Path

import pytest

from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.languages.base import Code
from jamkey.languages.members import own_names
from jamkey.languages.tree_code import TreeCode
from tests.conftest import CORPUS
from tests.test_trees import ENDINGS, SOURCES, cut


def code_of(file: str, text: str) -> Code:
    code = Sources(None, {file: text}).code(file)
    assert code is not None
    return code


def used(code: Code, line: int) -> set[str]:
    """Return the names that the line's statements use."""
    statements = [statement for statement in code.heads(line) if statement.sort != "import"]
    parts = [part for statement in statements for top in statement.parts for part in top.walk()]
    return {part.name for part in parts if part.sort == "name"}


#: (file, text, line of the use, name, line of its definition)
KNOWN = {
    "JavaScript, an arrow": ("a.js", "items.map(item =>\n  item.kilos);\n", 2, "item", 1),
    "JavaScript, an arrow with brackets": ("a.js", "items.reduce((sum, item) =>\n  sum + item, 0);\n", 2, "sum", 1),
    "JavaScript, a function handed over": ("a.js", "items.forEach(function (item) {\n  show(item);\n});\n", 2, "item", 1),
    "JavaScript, taken apart": ("a.js", "items.map(({ name, kilos: heavy }) => {\n  show(name, heavy);\n});\n", 2, "heavy", 1),
    "Java, a lambda": (
        "A.java",
        "class A {\n  void f() {\n    hives.map(hive ->\n      hive.kilos());\n  }\n}\n",
        4,
        "hive",
        3,
    ),
    "Java, two": ("A.java", "class A {\n  void f() {\n    hives.sort((a, b) ->\n      a.kilos());\n  }\n}\n", 4, "a", 3),
    "Java, what is opened": (
        "A.java",
        'class A {\n  void f() {\n    try (var file = open("hives.csv")) {\n      file.read();\n    }\n  }\n}\n',
        4,
        "file",
        3,
    ),
    "Java, a type that was asked for": (
        "A.java",
        "class A {\n  void f(Object hive) {\n    if (hive instanceof Box box) {\n      show(box);\n    }\n  }\n}\n",
        4,
        "box",
        3,
    ),
    "Java, an import": ("A.java", "import java.util.List;\nclass A {\n  Object f() { return List.of(1); }\n}\n", 3, "List", 1),
    "Lua, a function handed over": ("a.lua", "each(hives, function(hive)\n  show(hive)\nend)\n", 2, "hive", 1),
    "C++, a lambda": ("a.cpp", "int f() {\n  sort(a, b, [](int x, int y) {\n    return x < y;\n  });\n}\n", 3, "x", 2),
    "Swift, a closure": ("a.swift", "hives.map { hive in\n  show(hive)\n}\n", 2, "hive", 1),
    "Julia, an arrow": ("a.jl", "map(hive ->\n  hive.kilos, hives)\n", 2, "hive", 1),
    "R, a function handed over": ("a.R", "sapply(hives, function(hive)\n  nchar(hive))\n", 2, "hive", 1),
    "R, the short form": ("a.R", "sapply(hives, \\(hive)\n  nchar(hive))\n", 2, "hive", 1),
    "Octave, set together": ("a.m", "[rows, columns] = size (kilos);\ndisp (columns)\n", 2, "columns", 1),
    "Octave, one left out": ("a.m", "[~, place] = max (kilos);\ndisp (place)\n", 2, "place", 1),
    "Octave, without commas": ("a.m", "[most place] = max (kilos);\ndisp (place)\n", 2, "place", 1),
    "Octave, a function of one line": ("a.m", "gain = @(before, after) after - before;\n", 1, "after", 1),
}


@pytest.mark.parametrize("given", KNOWN.values(), ids=KNOWN.keys())
def test_what_is_defined_reaches_its_use(given: tuple[str, str, int, str, int]) -> None:
    file, text, line, name, defined = given
    code = code_of(file, text)
    assert name in used(code, line)
    assert [item.span.line for item in code.reaching(name, line)][:1] == [defined]


@pytest.mark.parametrize("comment", ["", "  // of the oak", " /* a\n b */"])
def test_what_a_function_without_a_name_takes_is_known_in_it_alone(comment: str) -> None:
    text = f"hives.map(hive => {{{comment}\n  show(hive);\n}});\nshow(hive);\n"
    code = code_of("a.js", text)
    last = text.count("\n")
    inside = next(line for line in range(1, last + 1) if code.reaching("hive", line) and line > 1)
    assert code.reaching("hive", inside)
    assert not code.reaching("hive", last)


@pytest.mark.parametrize(
    ("file", "text", "key"),
    [
        ("a.js", "const hive = { kilos: 31, [name]: 1, frames };\n", "kilos"),
        ("a.js", 'const hive = { "kilos": 31, frames };\n', "kilos"),
        ("a.lua", "local hive = { kilos = 31, [name] = 1, frames }\n", "kilos"),
        ("a.swift", 'let hive = ["kilos": frames, name: 2]\n', "kilos"),
    ],
)
def test_a_key_of_a_written_table_is_no_name(file: str, text: str, key: str) -> None:
    code = code_of(file, text)
    assert key not in used(code, 1)
    assert "frames" in used(code, 1)
    parts = [part for statement in code.heads(1) for top in statement.parts for part in top.walk()]
    tables = [part for part in parts if part.sort == "dict"]
    assert [part.source.strip('"') for part in tables[0].in_role("key")][:1] == [key]


def test_a_name_of_an_argument_is_no_name() -> None:
    code = code_of("a.R", "label <- paste(hive,\n  kilos,\n  sep = mark)\n")
    assert used(code, 3) == {"mark"}
    assert used(code, 2) == {"kilos"}


def test_all_names_set_together_have_the_value() -> None:
    code = code_of("a.m", "[rows, columns] = size (kilos);\n")
    (statement,) = code.heads(1)
    assert (statement.sort, [target.source for target in statement.targets]) == ("assign", ["rows", "columns"])
    assert {item.value.source for item in code.definitions() if item.value is not None} == {"size (kilos)"}


def test_the_answers_may_be_changed() -> None:
    """Whoever asks gets lists of their own."""
    code = code_of("a.js", "const kilos = 1;\nfunction gain(a) {\n  if (a) {\n    return 1;\n  }\n  return a;\n}\n")
    before = (code.definitions(), code.definitions("kilos"), code.functions(), code.calls("gain"))
    for found in before:
        found.clear()
    assert code.definitions()
    assert code.definitions("kilos")
    assert [len(function.returns) for function in code.functions()] == [2]


@pytest.mark.parametrize("path", SOURCES, ids=lambda path: f"{path.parent.parent.name}-{path.name}")
def test_the_leaves_of_a_tree_are_the_tokens(path: Path) -> None:
    """Each token's place holds its text, in order, and a name's uses are all that the source has of it outside of texts."""
    text = path.read_text(encoding="utf-8")
    code = code_of(path.name, text)
    assert isinstance(code, TreeCode), "the grammar package is there"
    places = [(token.span.line, token.span.column) for token in code.tokens]
    assert places == sorted(places)
    assert all(cut(text, token.span) == token.text for token in code.tokens)
    for name in {token.text for token in code.tokens if token.sort == "name"}:
        assert all(cut(text, span) == name for span in code.uses(name))


def test_no_lexer_is_loaded_where_there_is_a_tree() -> None:
    asked = (
        "import sys\nfrom jamkey.follow.sources import Sources\n"
        "code = Sources(None, {'a.js': 'const a = 1;\\nshow(a);\\n'}).code('a.js')\n"
        "assert code.uses('a') and code.statement(2) and not code.literal_keys()\n"
        "print([name for name in sys.modules if name.startswith('pygments')])\n"
    )
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout.strip() == "[]"


@pytest.mark.parametrize("language", ["javascript", "java", "lua", "r", "octave"])
def test_nearly_all_names_of_mended_programs_are_known(language: str) -> None:
    """Of the corpus' mended programs, each file with the others of its project beside it."""
    count: Counter[str] = Counter()
    for folder in sorted(CORPUS.glob(f"{language}/*/fixed")):
        files = {path.name: path for root in (folder.parent / "src", folder) for path in root.rglob("*") if path.is_file()}
        sources = {name: path for name, path in files.items() if path.suffix in (*ENDINGS, ".R", ".m", ".mjs")}
        codes = {name: code_of(name, path.read_text(encoding="utf-8")) for name, path in sources.items()}
        outer = {item.name for code in codes.values() for item in code.definitions() if not item.scope}
        for name, code in codes.items():
            spoken = language_of(name)
            assert spoken is not None
            own = spoken.builtins | spoken.keywords | own_names(language)
            for line in range(1, sources[name].read_text(encoding="utf-8").count("\n") + 2):
                for word in used(code, line):
                    known = word in own or word in outer or code.reaching(word, line) or spoken.homes(word, name)
                    count["known" if known else "unknown"] += 1
    assert count["known"] > 100
    assert count["unknown"] <= 0.03 * count.total(), count
