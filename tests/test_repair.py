"""Broken text mended by search: properties over real files and every language's own parser as judge."""

from __future__ import annotations

import ast
import random
import re
from pathlib import Path

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import jamkey
from jamkey.follow.sources import Sources
from jamkey.languages import SHELF as LANGUAGES
from jamkey.languages import trees
from jamkey.languages.python import LANGUAGE as PYTHON
from jamkey.model import Frame, Jam
from jamkey.packaged import packaged
from jamkey.pipeline import diagnose, named
from jamkey.repair import judges
from jamkey.repair.edits import edits
from jamkey.repair.ground import Edit, Ground
from jamkey.repair.lex import lex
from jamkey.repair.mend import mend
from jamkey.repair.own import Own
from jamkey.repair.usual import usual
from jamkey.repair.worth import features
from jamkey.text import position, splice

SOURCES = sorted(Path(jamkey.__file__).parent.rglob("*.py"))
#: Language -> (ending, healthy program, broken one, line of the mistake).
PROGRAMS = {
    "javascript": (
        ".js",
        "const hives = [31.2, 28.4];\n\nfunction mean(values) {\n  let total = 0;\n  for (const value of values) {\n    total += value;\n  }\n"
        "  return total / values.length;\n}\n\nconsole.log(mean(hives));\n",
        ("for (const value of values) {", "for (const value of values {"),
    ),
    "lua": (
        ".lua",
        "local hives = {31.2, 28.4}\n\nlocal function mean(values)\n  local total = 0\n  for _, value in ipairs(values) do\n"
        "    total = total + value\n  end\n  return total / #values\nend\n\nprint(mean(hives))\n",
        ("in ipairs(values) do", "in ipairs(values)"),
    ),
    "r": (
        ".R",
        "hives <- c(31.2, 28.4)\n\nmean_of <- function(values) {\n  total <- 0\n  for (value in values) {\n    total <- total + value\n  }\n"
        "  total / length(values)\n}\n\nprint(mean_of(hives))\n",
        ("total / length(values)", "total / length(values"),
    ),
    "octave": (
        ".m",
        "hives = [31.2, 28.4];\ntotal = 0;\nfor value = hives\n  total = total + value;\nend\nif (total > 30)\n  disp (total);\nend\n",
        ("if (total > 30)", "if (total > 30"),
    ),
    "java": (
        ".java",
        "import java.util.List;\n\npublic class Hives {\n    static double mean(List<Double> values) {\n        double total = 0;\n"
        "        for (double value : values) {\n            total += value;\n        }\n        return total / values.size();\n    }\n}\n",
        ("double total = 0;", "double total = 0"),
    ),
    "c": (
        ".c",
        '#include <stdio.h>\n\nint main(void) {\n    double hives[] = {31.2, 28.4};\n    double total = hives[0] + hives[1];\n    printf("%f\\n", total / 2);\n'
        "    return 0;\n}\n",
        ("total / 2);", "total / 2;"),
    ),
}


def refused(text: str) -> SyntaxError | None:
    try:
        compile(text, "hives.py", "exec")
    except SyntaxError as error:
        return error
    return None


def reading(text: str, language: str, line: int, message: str = "", ending: str = ".py") -> Jam:
    frame = Frame(file=f"hives{ending}", line=line)
    jam = Jam(runtime=language, phase="compile", exception_type="SyntaxError", message=message, frames=(frame,))
    return diagnose(named(jam), Sources(texts={frame.file: text}))


@pytest.mark.parametrize("path", SOURCES[::9], ids=lambda path: path.name)
def test_tokens_are_the_text(path: Path) -> None:
    text = path.read_text(encoding="utf-8")
    end = 0
    for token in lex(text, PYTHON.style):
        assert text[token.start : token.end] == token.text
        assert not text[end : token.start].strip()
        assert token.line == position(text, token.start)[0]
        end = token.end
    assert not text[end:].strip()


@pytest.mark.spread(5)
@pytest.mark.parametrize("path", SOURCES[3::28], ids=lambda path: path.name)
def test_one_token_less_is_mended_near_where_it_stood(path: Path) -> None:
    text = path.read_text(encoding="utf-8")
    chance = random.Random(path.name)
    tokens = [token for token in lex(text, PYTHON.style) if token.text in "()[]{}:," and token.sort == "sign"]
    tried = near = 0
    for token in chance.sample(tokens, min(len(tokens), 12)):
        broken = text[: token.start] + text[token.end :]
        error = refused(broken)
        glued = re.match(r"\w\w", text[token.start - 1] + text[token.end])  # two names became one: nobody can tell
        if error is None or glued:
            continue
        found = mend(broken, error.lineno or 1, PYTHON, message=error.msg)
        assert found, (token, error)
        for item in found[:3]:
            mended = broken
            for edit in item.edits:
                mended = edit.of(mended)
            assert mended == item.text, "the edits make the text that was judged"
        tried += 1
        near += any(
            refused(item.text) is None and abs(position(broken, item.edits[0].start)[0] - token.line) <= 2 for item in found[:3]
        )
    assert near >= tried * 0.7, (near, tried)


@pytest.mark.parametrize("path", SOURCES[5::40], ids=lambda path: path.name)
def test_every_edit_lies_in_the_text_and_costs_something(path: Path) -> None:
    text = path.read_text(encoding="utf-8").replace(":\n", "\n", 1)
    for edit in edits(Ground(text, max(text.count("\n") // 2, 1), PYTHON)):
        spans = [(edit.start, edit.end), *((start, end) for start, end, _ in edit.more)]
        assert all(0 <= start <= end <= len(text) for start, end in spans)
        assert spans == sorted(spans), "further edits stand behind the first"
        assert edit.cost == edit.cost  # a number


@settings(max_examples=60)
@given(st.text(st.sampled_from("ab1 \n\t()[]{}:,='\"#+if else def"), max_size=120), st.integers(1, 12))
def test_any_text_has_a_reading(text: str, line: int) -> None:
    for language in ("python", "julia"):
        jam = reading(text, language, line, ending=".py" if language == "python" else ".jl")
        assert jam.meaning
        for key in jam.keys:
            splice(text, key.edits)


def test_names_do_not_matter() -> None:
    """The same mistake under other names: the same edit at the same place."""
    text = "def mean(values):\n    total = 0\n    for value in values:\n        total += value\n    return total / len(values\n\n\nprint(mean([1, 2]))\n"
    for old, new in (("mean", "average"), ("total", "sum_of_all"), ("values", "kilos")):
        other = re.sub(rf"\b{old}\b", new, text)
        first, second = (mend(one, 5, PYTHON, message="'(' was never closed")[0] for one in (text, other))
        assert (first.edits[0].sort, first.edits[0].new) == (second.edits[0].sort, second.edits[0].new)
        assert position(text, first.edits[0].start)[0] == position(other, second.edits[0].start)[0]


def test_several_mistakes_each_in_its_turn() -> None:
    text = "".join(f"print 'hive {number}'\n" for number in range(4))
    error = refused(text)
    assert error is not None
    found = mend(text, 1, PYTHON, message=error.msg)
    assert found, "no edit mends all of it, and one lets the parser read on"
    after = refused(found[0].text)
    assert after is not None
    assert (after.lineno or 0) > 1


def test_a_long_file_is_mended_in_its_own_part() -> None:
    part = "def weigh_{0}(hive):\n    total = hive + {0}\n    return total\n\n\n"
    text = "".join(part.format(number) for number in range(3000))
    broken = text.replace("def weigh_1500(hive):", "def weigh_1500(hive:")
    error = refused(broken)
    assert error is not None
    found = mend(broken, error.lineno or 1, PYTHON, message=error.msg)
    assert text in [item.text for item in found[:3]]


@pytest.mark.parametrize("language", PROGRAMS)
def test_the_language_s_own_parser_judges(language: str) -> None:
    ending, healthy, (old, new) = PROGRAMS[language]
    assert healthy.count(old) == 1
    broken = healthy.replace(old, new)
    line = position(healthy, healthy.index(old))[0]
    told = judges.told(language, [healthy, broken], ending=ending)
    assert told is not None
    assert not told[0]
    assert told[1]
    jam = reading(broken, language, line + 1, ending=ending)
    texts = [splice(broken, key.edits) for key in jam.keys[:3]]
    assert healthy in texts, [key.title for key in jam.keys[:3]]
    answers = judges.told(language, texts, ending=ending)
    assert answers is not None
    assert not any(answers), "what is offered is read"
    assert line in [root.line for root in jam.roots[:3]]


@pytest.mark.parametrize("language", ["javascript", "lua", "java", "c"])
def test_a_tree_fits_healthy_text_and_not_broken_text(language: str) -> None:
    ending, healthy, (old, new) = PROGRAMS[language]
    assert [trees.is_whole(text, language, ending) for text in (healthy, healthy.replace(old, new))] == [True, False]


@pytest.mark.parametrize("language", ["javascript", "lua", "java", "c"])
def test_a_tree_that_is_changed_counts_as_one_that_is_read_anew(language: str) -> None:
    ending, healthy, (old, new) = PROGRAMS[language]
    text = healthy.replace(old, new).replace("31.2", "31.2 \u2013 \xe4")  # characters of several bytes before the edits
    judge = trees.judge(language, ending, text)
    assert judge is not None
    chance = random.Random(language)
    for _ in range(60):
        spans = sorted(chance.sample(range(len(text)), 4))
        pairs = [(spans[0], spans[1], chance.choice(["", ")", "\n}\n", "end \xfc"])), (spans[2], spans[3], "x")]
        made = text
        for start, end, put in reversed(pairs):
            made = made[:start] + put + made[end:]
        again = trees.judge(language, ending, made)
        assert again is not None
        # a tree made of an older one may stand for a broken text otherwise, and never for a whole one
        assert (judge.after(pairs) == 0) == (again.errors == 0), made


def test_what_the_text_writes_elsewhere_is_less_unexpected() -> None:
    text = "hive_mass = weigh(oak)\nprint(hive_mass)\nprint(hive mass)\n"
    own = Own(text, PYTHON)
    rows = text.split("\n")
    before = [rows[2]]
    habits = own.gain(before, ["print(hive_mass)"])
    assert habits[0] < own.gain(before, ["print(oak)"])[0] < own.gain(before, ["print(elm)"])[0]
    assert own.gain(before, ["print(hive_mass)"]) == habits, "what was taken out to be compared is there again"
    assert own.gain(before, before) == (0, 0)


@pytest.mark.parametrize(("sign", "other"), [(" = ", "="), ("=", " = ")])
def test_blanks_stand_where_the_author_puts_them(sign: str, other: str) -> None:
    text = "".join(f"hive_{number}{sign}{number}\n" for number in range(6)) + "hive_6 6\n"
    own = Own(text, PYTHON)
    assert own.gain(["hive_6 6"], [f"hive_6{sign}6"])[1] < own.gain(["hive_6 6"], [f"hive_6{other}6"])[1]


#: Language, healthy text, what stands in it, what fingers made of it.
FINGERS = [
    ("python", "values = [31.2, 28.4]\nprint(len(values))\nprint(values)\n", "len(values))", "len(values0)"),
    (
        "python",
        "def mean(values, count):\n    return sum(values) / count\n\n\nprint(mean([3], 1))\n",
        "mean(values,",
        "mean9values,",
    ),
    ("python", "def heavy(hive):\n    result = hive > 3\n    return result\n", "return result", "returnr esult"),
    ("python", "def heavy(hive):\n    result = hive > 3\n    return result\n", "(hive):", "(hive:)"),
    ("python", "hives = {'oak': 3}\nname = 'oak'\nprint(hives[name])\n", "hives[name]", "hivesname]"),
    ("python", "import math\n\nkilos = 31.2\nif kilos > 3:\n    print(math.floor(kilos))\n", "if kilos", "fi kilos"),
    ("python", "import math\n\nkilos = 31.2\nif kilos > 3:\n    print(math.floor(kilos))\n", "if kilos", "i kilos"),
    ("javascript", "const hives = [3, 4];\nconsole.log(hives.length);\n", "[3, 4]", "[3, 4}"),
    ("lua", "local hives = {3, 4}\nprint(#hives)\nprint(hives[1])\n", "{3, 4}", "{3, 4]"),
    ("lua", "local hives = {3, 4}\nprint(#hives)\nprint(hives[1])\n", "print(hives[1])", "print(hives[1=)"),
    ("r", "hives <- c(3, 4)\nprint(mean(hives))\n", "mean(hives))", "mean(hives)0"),
]


@pytest.mark.parametrize(("language", "healthy", "meant", "typed"), FINGERS, ids=range(len(FINGERS)))
def test_a_slip_of_the_fingers(language: str, healthy: str, meant: str, typed: str) -> None:
    assert healthy.count(meant) == 1
    broken = healthy.replace(meant, typed)
    line = position(broken, broken.index(typed))[0]
    message = (
        (getattr(refused(broken), "msg", "") or "") if language == "python" else (judges.told(language, [broken]) or [""])[0]
    )
    assert message, "the parser refuses it"
    texts = [item.text for item in mend(broken, line, LANGUAGES.get(language), message=message)[:3]]
    assert healthy in texts


def test_where_reading_stopped_counts() -> None:
    """Of two places that would both do, the one is meant where the parser gave up."""
    text = "print(oak elm, elm oak)\n"
    ground = {column: Ground(text, 1, PYTHON, own=Own(text, PYTHON), stop=(column, column + 3)) for column in (7, 16)}
    told = {
        column: features(known, Edit("insert", 9, 9, ",", 1.0), "print(oak, elm, elm oak)\n")
        for column, known in ground.items()
    }
    here, there = ({name for name in told[column] if name.startswith("stop ")} for column in (7, 16))
    assert here != there
    assert {name: value for name, value in told[7].items() if name not in here} == {
        name: value for name, value in told[16].items() if name not in there
    }, "nothing else depends on it"


def test_the_table_holds_what_is_asked_for() -> None:
    """Every weight is one that some edit of a broken text has; none is left over."""
    weights = msgspec.json.decode(packaged("repair/worth.json"), type=dict[str, float])
    assert {name.split()[0] for name in weights} >= {"sort", "language", "own", "spaces", "stop", "lost"}
    text = "import math\n\ndef mean(values:\n    total = 'kilos\n    return total / len(values)\n"
    ground = Ground(text, 3, PYTHON, own=Own(text, PYTHON), stop=(9, 10))
    for edit in edits(ground):
        assert all(value == value for value in features(ground, edit, edit.of(text)).values())


#: Language, broken, the text that was there (None: any that is read): among the first three.
LEFT_BEHIND = [
    ("python", "from math  floor\n\nprint(floor(31.2))\n", "from math import floor\n\nprint(floor(31.2))\n"),
    (
        "python",
        "hives = 3\nif hives > 2:\n    print(hives)\n:\n    print(0)\n",
        "hives = 3\nif hives > 2:\n    print(hives)\nelse:\n    print(0)\n",
    ),
    ("python", "class Hive:\n     kilos(self):\n        return 3\n", "class Hive:\n    def kilos(self):\n        return 3\n"),
    (
        "python",
        "def mean(a, b):\n    total = a +\nb\n    return total / 2\n",
        "def mean(a, b):\n    total = a + b\n    return total / 2\n",
    ),
    ("python", "oak = 31.2\n elm = 28.4\nprint(oak + elm)\n", "oak = 31.2\n\nelm = 28.4\nprint(oak + elm)\n"),
    ("python", "hive_mass = 3\nprint(hive mass)\nprint(hive_mass)\n", "hive_mass = 3\nprint(hive_mass)\nprint(hive_mass)\n"),
    ("lua", "local a = 3\nif a != 2 then\n  print(a)\nend\n", "local a = 3\nif a ~= 2 then\n  print(a)\nend\n"),
    (
        "lua",
        "local function first(list)\n  local i = 1\n  while i < #list do\n    i = i + 1\n  return nil\n\nlocal function twice(x) return 2 * x end\n\nprint(twice(3))\n",
        None,
    ),
    ("javascript", "const name = 'oak';\nconsole.log('hive, name);\n", "const name = 'oak';\nconsole.log('hive', name);\n"),
    (
        "javascript",
        "const name = 'oak';\nconsole.log(name + [kilos=' + name);\n",
        "const name = 'oak';\nconsole.log(name + '[kilos=' + name);\n",
    ),
    (
        "javascript",
        "function kilos(hive) { \n\nconsole.log(kilos(3));\n",
        "function kilos(hive) { }\n\nconsole.log(kilos(3));\n",
    ),
]


@pytest.mark.parametrize(("language", "broken", "healthy"), LEFT_BEHIND, ids=range(len(LEFT_BEHIND)))
def test_what_a_slip_leaves_behind_tells_where_it_was(language: str, broken: str, healthy: str | None) -> None:
    if language == "python":
        error = refused(broken)
        assert error is not None
        line, message = error.lineno or 1, error.msg
    else:
        told = judges.told(language, [broken])
        assert told is not None
        found = re.search(r":(\d+)(?:\n|: )", told[0])
        line, message = int(found[1]) if found else 1, told[0]
    texts = [item.text for item in mend(broken, line, LANGUAGES.get(language), message=message)[:3]]
    if healthy is not None:
        assert healthy in texts
    else:  # nobody knows which was there; what is offered is read
        assert judges.told(language, texts) == [""] * len(texts)
        assert texts


@pytest.mark.parametrize("language", ["python", *PROGRAMS])
def test_usual_sequences_cost_less(language: str) -> None:
    counts = usual(language)
    assert counts.all > 1000
    facts = LANGUAGES.get(language)
    assert facts.keywords & set(counts.one), "words of the language were counted as they are"
    assert counts.cost("N", "(", "N") < counts.cost("N", "(", ")") + 5
    assert counts.cost("(", "N", ")") < counts.cost("(", "N", "]")


def test_what_is_said_is_true_of_the_text() -> None:
    text = "hives = {'oak': 31.2,\n         'linden': 28.4\n\n\nprint(hives)\n"
    error = refused(text)
    assert error is not None
    jam = reading(text, "python", error.lineno or 1, error.msg)
    for key in jam.keys[:3]:
        after = splice(text, key.edits)
        assert refused(after) is None
        for quoted in re.findall(r"[Pp]ut in `([^`]+)`", key.title):
            assert after.count(quoted[:1]) > text.count(quoted[:1])
    ast.parse(splice(text, jam.keys[0].edits))


@pytest.mark.parametrize("language", ["python", *PROGRAMS])
def test_what_nothing_closes_is_read_in_one_pass(language: str) -> None:
    """A quote that nothing closes before many signs that escape: two ways to read each of them would take for ever."""
    style = LANGUAGES.get(language).style
    for quote in style.sure_quotes:
        text = f"x = {quote}" + 400 * "a\\\\" + "\n"
        assert "".join(token.text for token in lex(text, style)).count("\\") == 800


HOLES = {
    "nothing reads it": (
        "hives.py",
        'def told(hive, count):\n    return f"{} has {count} frames"\n\n\nprint(told("linden", 4))\n',
        "{hive}",
    ),
    "nearest": (
        "hives.py",
        'import os\n\nhive = "oak"\nkilos = 31.5\nprint(hive, kilos, os.sep)\nprint(f"now {} kg")\n',
        "{kilos}",
    ),
    "a template": ("hives.js", 'const hive = "oak";\nconst kilos = 31;\nconsole.log(hive, `${} kg`);\n', "${kilos}"),
}


@pytest.mark.parametrize("name", HOLES)
def test_a_formatted_text_gets_the_value_that_it_lacks(name: str) -> None:
    """Neither what is called or brought in nor a word of the language stands there."""
    file, text, value = HOLES[name]
    language = LANGUAGES.get("javascript" if file.endswith("js") else "python")
    line = next(number for number, row in enumerate(text.split("\n"), 1) if "{}" in row)
    made = [mended.text for mended in mend(text, line, language)]
    hole = "${}" if file.endswith("js") else "{}"
    assert text.replace(hole, value) in made[:3]
    assert not any(f"{{{word}}}" in one for one in made for word in ("told", "os", "console", "const", "return"))
