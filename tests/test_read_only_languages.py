"""Failures of languages that are read and not run here: what is said of them holds, and what a runtime tells is taken."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose

Project = Callable[..., Path]
JULIA = "ERROR: LoadError: {0}\nStacktrace:\n{1}in expression starting at /home/learner/project/hives.jl:{2}\n"


def julia(project: Project, text: str, message: str, *frames: tuple[str, int], started: int) -> Jam:
    """Return the reading of a Julia program that failed in these frames, innermost first."""
    rows = [f" [{n}] {name}\n   @ Main /home/learner/project/hives.jl:{line}\n" for n, (name, line) in enumerate(frames, 1)]
    (jam,) = read_and_diagnose(JULIA.format(message, "".join(rows), started), root=project({"hives.jl": text}))
    return jam


def new(jam: Jam) -> list[str]:
    return [edit.new_text for key in jam.keys for edit in key.edits]


def test_a_name_that_a_loop_has_for_itself(project: Project) -> None:
    text = "total = 0.0\nfor kilos in [3.5, 4.0]\n    total += kilos\nend\nprintln(total)\n"
    for message in ("UndefVarError: `total` not defined", "UndefVarError: `total` not defined in local scope"):
        jam = julia(project, text, message, ("top-level scope", 3), started=2)
        assert jam.kind == "unset-name"
        assert "the loop on line 2 sets `total`" in jam.meaning
        assert "global " in new(jam)


def test_a_name_that_no_loop_sets_is_unknown(project: Project) -> None:
    jam = julia(
        project,
        "total = 0.0\nfor kilos in [3.5]\n    println(totl + kilos)\nend\n",
        "UndefVarError: `totl` not defined",
        ("top-level scope", 3),
        started=2,
    )
    assert jam.kind == "unknown-name"


CALLED = 'function gain(before, after; unit="kg")\n    return after - before\nend\nprintln(gain({0}))\n'


@pytest.mark.parametrize(
    ("given", "types", "kind", "said"),
    [
        ("30.1", "::Float64", "wrong-arguments", "it gives nothing for after"),
        ("30.1, 2, 3", "::Float64, ::Int64, ::Int64", "wrong-arguments", "it takes 2, and 3 were given"),
        ("30.1; unit=3", "::Float64; unit::Int64", "wrong-arguments", "it gives nothing for after"),
        ('30.1, "x"', "::Float64, ::String", "wrong-type", "`gain` is called with `Float64` and `String` here"),
        ("d, nothing", "::Dict{String, Int64}, ::Nothing", "missing-value", "`nothing` is nothing"),
    ],
)
def test_a_call_that_no_method_takes(given: str, types: str, kind: str, said: str, project: Project) -> None:
    jam = julia(
        project, CALLED.format(given), f"MethodError: no method matching gain({types})", ("top-level scope", 4), started=4
    )
    assert jam.kind == kind
    assert said in jam.meaning


@pytest.mark.parametrize(
    ("row", "message", "part"),
    [
        ("println(peak[1])", "MethodError: no method matching getindex(::Nothing, ::Int64)", "peak"),
        ("println(kilos[peak])", "ArgumentError: invalid index: nothing of type Nothing", "peak"),
        ("println(kilos[1] + peak)", "MethodError: no method matching +(::Float64, ::Nothing)", "peak"),
        ("println(peak * 2)", "MethodError: no method matching *(::Missing, ::String)", "peak"),
    ],
)
def test_what_was_nothing_is_told_by_its_place(row: str, message: str, part: str, project: Project) -> None:
    text = f"kilos = [3.5, 4.0]\npeak = findfirst(>(9), kilos)\n{row}\n"
    jam = julia(project, text, message, ("top-level scope", 3), started=3)
    assert jam.kind == "missing-value"
    assert jam.meaning.startswith(f"`{part}` is {'missing' if 'Missing' in message else 'nothing'} at this moment")


def test_only_the_library_s_frames_are_there(project: Project) -> None:
    text = JULIA.format(
        'ArgumentError: Package CSV not found in current path.\n- Run `import Pkg; Pkg.add("CSV")` to install it.',
        " [1] require(into::Module, mod::Symbol)\n   @ Base ./loading.jl:1611\n",
        1,
    )
    (jam,) = read_and_diagnose(text, root=project({"hives.jl": "using CSV\n"}))
    assert (jam.kind, jam.frames[jam.snag or 0].line) == ("no-such-module", 1)
    assert [key.title for key in jam.keys] == ["Install it: `julia -e 'import Pkg; Pkg.add(\"CSV\")'`"]


def test_what_failed_in_a_task(project: Project) -> None:
    text = (
        "ERROR: LoadError: TaskFailedException\n\n    nested task error: BoundsError: attempt to access 2-element Vector{Int64} "
        "at index [3]\n    Stacktrace:\n     [1] getindex\n       @ ./essentials.jl:13 [inlined]\n     [2] work(i::Int64)\n"
        "       @ Main /home/learner/project/hives.jl:3\n\nStacktrace:\n  [1] wait\n    @ ./task.jl:352 [inlined]\n"
        "  [2] top-level scope\n    @ /home/learner/project/hives.jl:6\n"
        "in expression starting at /home/learner/project/hives.jl:6\n"
    )
    source = "function work(i)\n    kilos = [10, 20]\n    return kilos[i]\nend\nt = [Threads.@spawn work(i) for i in 1:3]\nfetch.(t)\n"
    (jam,) = read_and_diagnose(text, root=project({"hives.jl": source}))
    assert (jam.exception_type, jam.kind, jam.frames[jam.snag or 0].line) == ("BoundsError", "index-out-of-range", 3)
    assert [frame.line for frame in jam.frames if frame.owner == "yours"] == [6, 3]


def test_what_led_to_a_failure_is_printed_behind_it(project: Project) -> None:
    frames = (
        " [1] error(s::String)\n   @ Base ./error.jl:35\n [2] load(name::String)\n   @ Main /home/learner/project/hives.jl:5\n"
    )
    text = (
        "ERROR: LoadError: no hive called b\nStacktrace:\n" + frames + '\ncaused by: KeyError: key "b" not found\nStacktrace:\n'
        " [1] getindex(h::Dict{String, Int64}, key::String)\n   @ Base ./dict.jl:498\n"
        " [2] load(name::String)\n   @ Main /home/learner/project/hives.jl:3\nin expression starting at /home/learner/project/hives.jl:8\n"
    )
    source = 'function load(name)\n    try\n        return KILOS[name]\n    catch\n        error("no hive called $name")\n    end\nend\nload("b")\n'
    (jam,) = read_and_diagnose(text, root=project({"hives.jl": source}))
    assert jam.meaning.startswith("A check in the code refused to go on")
    assert [(link.relation, link.jam.kind) for link in jam.chain] == [("caused-by", "no-such-key")]


def test_a_failure_behind_what_was_printed_without_an_end(project: Project) -> None:
    text = "kilos: " + JULIA.format(
        "BoundsError: attempt to access 3-element Vector{Float64} at index [4]",
        " [1] top-level scope\n   @ /home/learner/project/hives.jl:2\n",
        2,
    )
    (jam,) = read_and_diagnose(text, root=project({"hives.jl": "kilos = [1.0, 2.0, 3.0]\nprint(kilos[4])\n"}))
    assert (jam.kind, jam.frames[jam.snag or 0].line) == ("index-out-of-range", 2)


def test_a_number_that_does_not_fit(project: Project) -> None:
    text = "n = 7\ncounts::Vector{Int} = [1, 2]\ncounts[2] = n / 2\n"
    jam = julia(project, text, "InexactError: Int64(3.5)", ("top-level scope", 3), started=3)
    assert jam.meaning == "`3.5` is to become an `Int64` here, and no `Int64` has that value."


def test_a_column_that_the_library_names(project: Project) -> None:
    text = 'using DataFrames\nhives = DataFrame(name=["oak"], kg=[12.5])\nprintln(sum(hives.kgs))\n'
    message = "ArgumentError: column name :kgs not found in the data frame; existing most similar names are: :kg"
    jam = julia(project, text, message, ("top-level scope", 3), started=3)
    assert new(jam)[0] == "kg"
    assert "DataFrames" not in "".join(new(jam))  # what was called a line above exists


SWIFT = "main.swift:{0}: error: {1}\n"


def swift(project: Project, text: str, message: str) -> Jam:
    (jam,) = read_and_diagnose(message, root=project({"main.swift": text}))
    return jam


def test_what_may_be_nil_is_not_nil_yet(project: Project) -> None:
    text = 'let kilos = ["oak": 31.5]\nlet oak: Double = kilos["oak"]\n'
    message = SWIFT.format("2:24", "value of optional type 'Double?' must be unwrapped to a value of type 'Double'")
    jam = swift(project, text, message)
    assert (jam.kind, jam.phase) == ("missing-value", "compile")
    assert "at this moment" not in jam.meaning and "may be nil" in jam.meaning


def test_a_promised_value_that_a_way_does_not_give(project: Project) -> None:
    text = 'func label(_ n: Int) -> String {\n    if n > 10 {\n        return "many"\n    }\n}\nprint(label(3))\n'
    message = SWIFT.format("5:1", "missing return in global function expected to return 'String'")
    jam = swift(project, text, message)
    assert jam.meaning.startswith("Nothing has run: `label` promises a value")
    assert not jam.keys  # nobody can be asked here whether an edit mends it


@pytest.mark.parametrize(
    ("row", "part"), [("let w = Double(parts[1])!", "Double(parts[1])"), ('let w = hives["oak"]!', 'hives["oak"]')]
)
def test_what_a_line_insists_on_is_what_was_nil(row: str, part: str, project: Project) -> None:
    message = "main/main.swift:2: Fatal error: Unexpectedly found nil while unwrapping an Optional value\n"
    jam = swift(project, f'let parts = ["oak", "31,5"]\n{row}\n', message)
    assert jam.meaning.startswith(f"`{part}` is nil at this moment")


@pytest.mark.parametrize(
    ("name", "text", "printed", "condition"),
    [
        (
            "main.swift",
            "let n = 0\nlet kilos = 12\nprint(kilos / n)\n",
            "main/main.swift:3: Fatal error: Division by zero\n",
            "n != 0 ?",
        ),
        (
            "hives.lua",
            "local n = 0\nlocal kilos = 12\nprint(kilos // n)\n",
            "lua: hives.lua:3: attempt to perform 'n//0'\nstack traceback:\n\thives.lua:3: in main chunk\n\t[C]: in ?\n",
            "n ~= 0 and",
        ),
    ],
)
def test_a_number_is_no_condition(name: str, text: str, printed: str, condition: str, project: Project) -> None:
    """Where 0 counts as true, or is none of the two, that it is not zero is written out."""
    (jam,) = read_and_diagnose(printed, root=project({name: text}))
    assert any(condition in text for text in new(jam))


def test_a_call_whose_arguments_want_names(project: Project) -> None:
    text = "func gain(before: Double, after: Double) -> Double {\n    return after - before\n}\nprint(gain(30.1, 31.5))\n"
    jam = swift(project, text, SWIFT.format("4:11", "missing argument labels 'before:after:' in call"))
    assert jam.kind == "wrong-arguments"
    assert "its arguments are to be named `before:after:`" in jam.meaning


def test_a_bracket_is_closed_rather_than_its_opener_taken_out(project: Project) -> None:
    printed = ". use hives, clear\n\n. egen m = mean(kg\nparentheses do not balance\nr(132);\n\nend of do-file\nr(132);\n"
    (jam,) = read_and_diagnose(printed, root=project({"hives.do": "use hives, clear\negen m = mean(kg\n"}))
    assert new(jam)[0] == ")"


def test_what_is_written_with_a_mark_is_not_what_has_none(project: Project) -> None:
    """A line may insist on one thing, and hold another that was declared so that nobody need."""
    message = "main/main.swift:2: Fatal error: Unexpectedly found nil while implicitly unwrapping an Optional value\n"
    jam = swift(project, 'let hives = ["oak": 3]\nlabel.text = hives["oak"]!.description\n', message)
    assert '`hives["oak"]` is nil' not in jam.meaning


def test_a_function_that_is_known_by_name_alone(project: Project) -> None:
    """Where a dialog names a function and no line, no line of another one is said to be it."""
    text = "Run-time error '9':\n\nSubscript out of range\nModule: Hives\nProcedure: Fill\n"
    source = "Sub Other()\n    b(9) = 1\nEnd Sub\nSub Fill()\n    Dim a(3) As Integer\n    a(4) = 1\nEnd Sub\n"
    (jam,) = read_and_diagnose(text, root=project({"Hives.bas": source}))
    assert jam.roots
    assert all(4 <= root.line <= 7 for root in jam.roots)


@pytest.mark.parametrize(("row", "quoted"), [("print(folder / totl)", True), ("print(3 - totl)", False)])
def test_a_sign_that_takes_text_too(row: str, quoted: bool, project: Project) -> None:
    text = f"Traceback (most recent call last):\n  File \"a.py\", line 3, in <module>\n    {row}\nNameError: name 'totl' is not defined\n"
    (jam,) = read_and_diagnose(text, root=project({"a.py": f'from pathlib import Path\nfolder = Path("hives")\n{row}\n'}))
    assert ('"totl"' in new(jam)) is quoted
