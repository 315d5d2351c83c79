"""What a library's own check is about is told by its words; a check of the program's own is the program's, whatever it says."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.phrases import classify, is_fallback
from jamkey.phrases.signs import CUT, compile_signs, kind_by_refusal, kind_by_signs
from jamkey.pipeline import read, read_and_diagnose

#: Programs of which a library says something, and what that is about.
PROVOKED = {
    "import numpy as np\nnp.concatenate([])": "missing-value",
    "import numpy as np\nnp.histogram([1, 2, 3], bins=[3, 2, 1])": "wrong-order",
    "import numpy as np\nnp.interp([1, 2], [1, 2, 3], [1, 2])": "wrong-count",
    "import numpy as np\nkilos = np.arange(3)\nkilos.flags.writeable = False\nkilos[0] = 7": "fixed-value",
    "import pandas as pd\npd.DataFrame({'kg': [1, 2], 'hive': ['a', 'b']}).pivot_table(index='hive', values='kg', aggfunc='summ')": "no-such-member",
    "import pandas as pd\npd.DataFrame({'kg': [1, 2, 3]}, index=[1, 2])": "wrong-count",
    "import pandas as pd\npd.DataFrame({'h': ['a', 'a'], 'd': [1, 1], 'k': [3, 4]}).pivot(index='h', columns='d', values='k')": "wrong-order",
    "import enum\nclass Sort(enum.Enum):\n    LIME = 1\nSort('heather')": "unreadable-value",
}


#: Libraries of which the words tell nothing.
UNTOLD = ("the queen has left", "bees are away until spring")
#: Scripts of which a library of another runtime says something, and what that is about.
ELSEWHERE = {
    "r": {
        "rep(1:3, times = -1)": "wrong-arguments",
        "hist('a')": "wrong-type",
        "approx(1, 1, 2)": "missing-value",
        "t.test(1)": "wrong-count",
        "apply(1:3, 1, sum)": "shape-mismatch",
        "chol(matrix(c(1, 2, 2, 1), 2))": "bad-arithmetic",
        "match.fun('hivve')": "no-such-key",
    },
    "octave": {
        "cell2mat(3)": "wrong-type",
        "polyfit([1 2 3], [1 2], 1)": "wrong-count",
        "rmfield(struct('a', 1), 'b')": "no-such-key",
        "nchoosek(2, 3.5)": "wrong-type",
    },
}
RUN = {
    "r": ("Rscript", "hive.R", "{}\n"),
    "octave": ("octave-cli", "hive.m", "1;\n{};\n"),
    "lua": ("lua5.4", "hive.lua", "{}\n"),
}
#: The same words, said by the program itself.
OWN = {
    "r": """weigh <- function(kilos) {\n  if (kilos < 0) stop("kilos must be numeric and at least ", 0)\n  kilos\n}\nweigh(-1)""",
    "octave": "1;\nfunction weigh(kilos)\n  error('hive %d: kilos must be numeric', kilos);\nend\nweigh(-1)",
    "lua": "local function weigh(kilos)\n  error(string.format('kilos must be a number of at least %d', 0))\nend\nweigh(-1)",
}


def printed(program: str, folder: Path) -> str:
    (folder / "hive.py").write_text(program + "\n")
    done = subprocess.run([sys.executable, "hive.py"], cwd=folder, capture_output=True, text=True, timeout=60)
    assert done.returncode
    return done.stderr


@pytest.mark.parametrize("program", PROVOKED)
def test_a_librarys_check_is_told_by_its_words(program: str, tmp_path: Path) -> None:
    text = printed(program, tmp_path)
    assert read(text)[-1].kind == PROVOKED[program], text


@pytest.mark.parametrize("message", UNTOLD)
def test_what_no_sign_tells_stays_a_check(message: str, tmp_path: Path) -> None:
    library = tmp_path / "lib" / "site-packages"
    library.mkdir(parents=True)
    (library / "bees.py").write_text(f"def ask():\n    told = ValueError({message!r})\n    raise told\n")
    program = f"import sys\nsys.path.append({str(library)!r})\nimport bees\nbees.ask()"
    assert read(printed(program, tmp_path))[-1].kind == "raised-on-purpose"


def printed_by(runtime: str, program: str, folder: Path) -> str:
    command, name, frame = RUN[runtime]
    (folder / name).write_text(frame.format(program) if "function weigh" not in program else program + "\n")
    done = subprocess.run([command, name], cwd=folder, capture_output=True, text=True, timeout=60)
    assert done.returncode
    return done.stderr


@pytest.mark.parametrize(
    ("runtime", "program"), [(runtime, program) for runtime, rows in ELSEWHERE.items() for program in rows]
)
def test_libraries_of_other_runtimes_are_told_by_the_same_words(runtime: str, program: str, tmp_path: Path) -> None:
    text = printed_by(runtime, program, tmp_path)
    jam = read_and_diagnose(text, root=tmp_path)[-1]
    assert jam.kind == ELSEWHERE[runtime][program] == read(text)[-1].kind, text


@pytest.mark.parametrize("runtime", OWN)
def test_the_same_words_are_the_programs_own_where_they_stand_in_it(runtime: str, tmp_path: Path) -> None:
    jam = read_and_diagnose(printed_by(runtime, OWN[runtime], tmp_path), root=tmp_path)[-1]
    assert jam.kind == "raised-on-purpose"


def test_a_thrown_object_that_was_made_elsewhere_is_the_programs_own(tmp_path: Path) -> None:
    (tmp_path / "hive.js").write_text(
        "const events = require('events');\nconst hive = new events();\n"
        "hive.emit('error', new RangeError(`a hive holds 4 supers, not ${5}`));\n"
    )
    done = subprocess.run(["node", "hive.js"], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    assert read_and_diagnose(done.stderr, root=tmp_path)[-1].kind == "raised-on-purpose"
    (tmp_path / "hive.js").write_text("console.log((3).toString(99));\n")
    done = subprocess.run(["node", "hive.js"], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    assert read_and_diagnose(done.stderr, root=tmp_path)[-1].kind == "wrong-arguments"


#: Calls of R's own functions that fail, colons, quotes and lines in their calls among them.
_SAID = r"""
for (name in commandArgs(TRUE)) for (given in c('1:3', '"a : b"', 'list(1, x = "2")', 'y ~ x', 'c(a = 1, b = NA), 2, "k"',
        'data.frame(kg = 1:2, hive = c("an old one : by the wood", "another one"), of = c("oak", "lime"))')) {
    call <- parse(text = paste0(name, "(", given, ")"))[[1]]
    said <- tryCatch({ suppressWarnings(capture.output(eval(call))); NULL }, error = conditionMessage)
    if (is.null(said)) next
    cat("@@@", deparse(said, 500)[1], "\n", file = stderr())
    try(suppressWarnings(capture.output(eval(call))))
    cat("Execution halted\n", file = stderr())
}
"""
FUNCTIONS = (
    "aggregate ar arima cor cutree density dist ecdf fisher.test ftable glm hclust kmeans ksmooth lm loess lowess mad median "
    "nls optimize poly prcomp quantile reshape sd smooth.spline spline t.test ts tapply var wilcox.test matrix array merge order "
    "paste rep seq strsplit substr unlist vapply as.hclust sort.list"
).split()


def test_what_r_says_of_a_call_is_told_apart_from_the_call(tmp_path: Path) -> None:
    """The message is the very one that R's condition holds."""
    (tmp_path / "said.R").write_text(_SAID)
    done = subprocess.run(["Rscript", "said.R", *FUNCTIONS], cwd=tmp_path, capture_output=True, text=True, timeout=120)
    parts = done.stderr.split("@@@ ")[1:]
    assert len(parts) > 100
    for part in parts:
        told, _, text = part.partition("\n")
        said = json.loads(told.strip().replace("\\'", "'"))
        [*_, jam] = read(text)
        assert " ".join((jam.message or "").split()) == " ".join(said.split()), text


#: What a C++ program throws or asks for -> the kind, where its source is there.
THROWN = {
    'throw std::invalid_argument("kilos must be positive");': "raised-on-purpose",
    'throw Lost{"the queen"};': "raised-on-purpose",
    "throw 3;": "raised-on-purpose",
    'std::stoi("oak");': "unreadable-value",
    'std::map<std::string, int> kilos; kilos.at("oak");': "no-such-key",
    "std::vector<int> kilos; kilos.resize(-1);": "wrong-count",
    "std::thread keeper; keeper.join();": "wrong-arguments",
    "std::promise<int> told; told.get_future(); told.get_future();": "wrong-order",
    "int none = 0; *(volatile int *)(long)none = 3;": "memory-misuse",
}


@pytest.mark.parametrize("asked", THROWN)
def test_what_a_program_throws_is_no_misuse_of_memory(asked: str, tmp_path: Path) -> None:
    (tmp_path / "hive.cpp").write_text(
        "#include <future>\n#include <map>\n#include <stdexcept>\n#include <string>\n#include <thread>\n#include <vector>\n"
        f"struct Lost {{ const char *what; }};\nint main() {{\n    {asked}\n}}\n"
    )
    subprocess.run(["g++", "-std=c++17", "-w", "-pthread", "-o", "hive", "hive.cpp"], cwd=tmp_path, check=True)
    done = subprocess.run(["bash", "-c", "./hive; true"], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    assert read_and_diagnose(done.stderr, root=tmp_path)[-1].kind == THROWN[asked], done.stderr


def test_a_compilers_refusal_of_what_is_written_right_is_no_grammar(tmp_path: Path) -> None:
    (tmp_path / "Hive.java").write_text("sealed class Hive {\n}\n")
    done = subprocess.run(["javac", "Hive.java"], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    [jam, *_] = read_and_diagnose(done.stderr, root=tmp_path)
    assert (jam.message, jam.kind) == ("sealed class must have subclasses", "no-such-member")
    assert "the compiler can read the text" in jam.meaning


@pytest.mark.parametrize("program", PROVOKED)
def test_of_a_librarys_check_no_more_is_said_than_it_says(program: str, tmp_path: Path) -> None:
    """A kind that is known by words alone knows nothing of the values."""
    [*_, jam] = read_and_diagnose(printed(program, tmp_path), root=tmp_path)
    assert not is_fallback("python", jam.exception_type, jam.message) or "refused to go on, and says why" in jam.meaning, (
        jam.kind,
        jam.meaning,
    )


def test_what_a_cause_raised_is_not_taken_for_a_librarys_check() -> None:
    text = (
        'Exception in thread "main" java.lang.IllegalStateException: cannot be positive\n\tat hive.Scale.read(Scale.java:18)\n'
        "Caused by: java.io.FileNotFoundException: kg.txt (No such file or directory)\n"
        "\tat java.base/java.io.FileReader.<init>(FileReader.java:60)\n\tat hive.Scale.read(Scale.java:16)\n\t... 1 more\n"
    )
    assert read(text)[-1].kind == "raised-on-purpose"


@pytest.mark.parametrize(
    "said",
    [
        "no hive of that name",
        "jars and kilos must have the same length",
        "the scale is closed",
        "unknown level",
        "nan in the weights",
    ],
)
@pytest.mark.parametrize("raised", ["ValueError", "RuntimeError", "KeyError", "OverflowError", "LookupError"])
def test_a_check_of_ones_own_is_ones_own(said: str, raised: str, tmp_path: Path) -> None:
    text = printed(f"def weigh():\n    raise {raised}({said!r})\n\n\nweigh()", tmp_path)
    assert read(text)[-1].kind == "raised-on-purpose"


@pytest.mark.parametrize(
    ("message", "kind"),
    [
        ("x and y must have the same first dimension, but have shapes (3,) and (4,)", "shape-mismatch"),
        ("Length of values (3) does not match length of index (4)", "wrong-count"),
        ("Input contains NaN.", "missing-value"),
        ("I/O operation on closed file.", "wrong-order"),
        ("Buffer is read-only", "fixed-value"),
        ("Matrix is singular.", "bad-arithmetic"),
        ("index 4 is out of bounds for axis 0 with size 4", "index-out-of-range"),
        ("Failed to parse 'heather' as a date", "unreadable-value"),
        ("`kind` must be one of 'line', 'bar'", "wrong-arguments"),
        ("the hive is well", None),
        ("", None),
        (None, None),
    ],
)
def test_words(message: str | None, kind: str | None) -> None:
    assert kind_by_signs(message) == kind


@given(st.text(max_size=400))
def test_any_text_has_one_kind_or_none(text: str) -> None:
    assert kind_by_signs(text) == kind_by_signs(text.upper().lower()) or not text.isascii()
    assert kind_by_signs("hive " + "x" * 400 + " must be one of") is None, "what stands far behind tells little"


def test_the_cut_signs_are_fresh() -> None:
    assert Path(CUT).read_bytes() == compile_signs(), "make phrases"


def test_a_warning_made_an_error_stays_the_programs(tmp_path: Path) -> None:
    text = printed("import warnings\nwarnings.simplefilter('error')\nwarnings.warn('must be one of the hives')", tmp_path)
    assert read(text)[-1].kind == "raised-on-purpose"


def test_javas_library_and_ones_own() -> None:
    own = 'Exception in thread "main" java.lang.IllegalStateException: scale closed\n\tat Hive.main(Hive.java:3)\n'
    assert read(own)[-1].kind == "raised-on-purpose"
    library = own.replace("\tat", "\tat java.base/java.util.Scanner.ensureOpen(Scanner.java:1154)\n\tat")
    assert read(library)[-1].kind == "wrong-order"


def test_only_the_first_sentence_tells_what_a_check_is_about() -> None:
    said = "Invalid parameter 'depth' for estimator Hive(frames=10). Valid parameters are: ['memory', 'frames']."
    assert kind_by_signs(said) != "out-of-resource"
    assert kind_by_signs("there is not enough memory for 3 hives. Take fewer") == "out-of-resource"
    assert kind_by_signs("x must have 3.5 kg, out of memory") == "out-of-resource"


#: What compilers print, and the kind of what they refuse; no table has these words.
REFUSED = [
    (
        "java",
        "class is not allowed to extend sealed class: Hive (as it is not listed in its 'permits' clause)",
        "no-such-member",
    ),
    ("java", "label oak already in use", "wrong-order"),
    ("java", "multi-catch parameter told may not be assigned", "fixed-value"),
    ("java", "package hives exists in another module: bees", "broken-syntax"),
    ("java", "module not found: hives", "no-such-module"),
    ("java", "code too large", "out-of-resource"),
    ("java", "error reading source file: Hive.java", "file-access"),
    ("java", "for-each not applicable to expression type", "wrong-type"),
    ("java", "break outside switch or loop", "broken-syntax"),
    ("c", "label 'end' used but not defined", "unknown-name"),
    ("c", "cannot declare variable 'oak' to be of abstract type 'Hive'", "no-such-member"),
    ("c", "array subscript 3 is outside array bounds of 'int[3]'", "index-out-of-range"),
    ("c", "'h' redeclared as different kind of symbol", "wrong-order"),
    ("c", "cannot bind non-const lvalue reference of type 'int&' to an rvalue of type 'int'", "fixed-value"),
    ("typescript", "Option 'hives' can only be specified on command line.", "wrong-arguments"),
    ("typescript", "An optional element cannot follow a rest element.", "broken-syntax"),
    ("c", "template argument deduction/substitution failed for hives", "wrong-type"),
    ("c", "storage class specified for parameter 'oak'", "broken-syntax"),
    ("c", "cannot open output file hives: Permission denied", "file-access"),
    ("swift", "value of protocol type 'Hive' cannot be called", "not-callable"),
]


@pytest.mark.parametrize(("runtime", "message", "kind"), REFUSED)
def test_what_a_compiler_refuses(runtime: str, message: str, kind: str) -> None:
    assert classify(runtime, None, message, "compile")[0] == kind
    assert kind_by_refusal(message) == (None if kind == "broken-syntax" else kind)


def test_other_runtimes_have_no_such_words() -> None:
    assert classify("python", "SyntaxError", "name 'oak' is used prior to global declaration", "compile")[0] == "broken-syntax"
    assert classify("java", "java.lang.IllegalStateException", "label oak already in use", "run")[0] == "raised-on-purpose"


@pytest.mark.parametrize("quotes", ["''", "\u2018\u2019"])
def test_quotes_in_pairs_are_as_good_as_plain_ones(quotes: str) -> None:
    begin, end = quotes
    message = f"cannot convert {begin}std::string{end} {{aka {begin}x{end}}} to {begin}int{end} in initialization"
    kind, facts = classify("c", None, message, "compile")
    assert (kind, facts["given"], facts["wanted"]) == ("wrong-type", "std::string", "int")
    assert classify("c", None, f"{begin}oak{end} undeclared (first use in this function)", "compile")[1] == {"name": "oak"}


def test_facts_keep_the_quotes_that_stand_in_them() -> None:
    kind, facts = classify("python", "NameError", "name 'it\u2019s' is not defined", "run")
    assert (kind, facts["name"]) == ("unknown-name", "it\u2019s")
