"""The same in languages that do not run here: the trace is written as their runtimes document it.

Each program comes with its message and its frames, innermost first, as (function, line); the line to change carries `#@`.
"""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from jamkey.pipeline import read_and_diagnose

Case = tuple[str, str, list[tuple[str, int]]]

NOTHING = "MethodError: no method matching +(::Nothing, ::Int64)"
JULIA: dict[str, Case] = {
    "assignment": (
        """\
kilos = nothing #@
println(kilos + 1)
""",
        NOTHING,
        [("top-level scope", 2)],
    ),
    "assigned later": (
        """\
kilos = 3
kilos = nothing #@
println(kilos + 1)
""",
        NOTHING,
        [("top-level scope", 3)],
    ),
    "branch": (
        """\
function weigh(old)
    if old
        kilos = nothing #@
    else
        kilos = 3
    end
    return kilos
end
println(weigh(true) + 1)
""",
        NOTHING,
        [("top-level scope", 9)],
    ),
    "last value": (
        """\
function weigh()
    nothing #@
end
println(weigh() + 1)
""",
        NOTHING,
        [("top-level scope", 4)],
    ),
    "argument": (
        """\
function more(kilos)
    return kilos + 1
end
println(more(nothing)) #@
""",
        NOTHING,
        [("more(kilos::Nothing)", 2), ("top-level scope", 4)],
    ),
    "argument through two calls": (
        """\
inner(kilos) = kilos + 1
outer(kilos) = inner(kilos)
println(outer(nothing)) #@
""",
        NOTHING,
        [("inner(kilos::Nothing)", 1), ("outer(kilos::Nothing)", 2), ("top-level scope", 3)],
    ),
    "default": (
        """\
function more(kilos = nothing) #@
    return kilos + 1
end
println(more())
""",
        NOTHING,
        [("more(kilos::Nothing)", 2), ("more()", 1), ("top-level scope", 4)],
    ),
    "item of a vector": (
        """\
kilos = [31, nothing, 28] #@
for one in kilos
    println(one + 1)
end
""",
        NOTHING,
        [("top-level scope", 3)],
    ),
    "field of a struct": (
        """\
struct Hive
    name
    kilos
end
hive = Hive("oak", nothing) #@
println(hive.kilos + 1)
""",
        NOTHING,
        [("top-level scope", 6)],
    ),
    "key of a dictionary": (
        """\
kilos = Dict("oak" => 31) #@
println(kilos["elm"]) #@
""",
        'KeyError: key "elm" not found',
        [("getindex", 0), ("top-level scope", 2)],
    ),
    "one past the end": (
        """\
kilos = [31, 28]
for place in 1:3 #@
    println(kilos[place])
end
""",
        "BoundsError: attempt to access 2-element Vector{Int64} at index [3]",
        [("getindex", 0), ("top-level scope", 3)],
    ),
    "misspelt name": (
        """\
kilos = 3
println(kilso + 1) #@
""",
        "UndefVarError: kilso not defined",
        [("top-level scope", 2)],
    ),
}
NIL = "Fatal error: Unexpectedly found nil while unwrapping an Optional value"
ZERO = "Fatal error: Division by zero"
SWIFT: dict[str, Case] = {
    "assignment": (
        """\
let name: String? = nil #@
print(name!.count)
""",
        NIL,
        [("main", 2)],
    ),
    "assigned later": (
        """\
var name: String? = "oak"
name = nil #@
print(name!.count)
""",
        NIL,
        [("main", 3)],
    ),
    "branch": (
        """\
func place(_ old: Bool) -> String? {
    var found: String?
    if old {
        found = nil #@
    } else {
        found = "hill"
    }
    return found
}
print(place(true)!.count)
""",
        NIL,
        [("main", 10)],
    ),
    "given back": (
        """\
func place(_ name: String) -> String? {
    return nil #@
}
print(place("oak")!.count)
""",
        NIL,
        [("main", 4)],
    ),
    "argument": (
        """\
func share(_ kilos: Int, _ frames: Int) -> Int {
    return kilos / frames
}
print(share(31, 0)) #@
""",
        ZERO,
        [("share(_:_:)", 2), ("main", 4)],
    ),
    "argument through two calls": (
        """\
func inner(_ frames: Int) -> Int {
    return 31 / frames
}
func outer(_ frames: Int) -> Int {
    return inner(frames)
}
print(outer(0)) #@
""",
        ZERO,
        [("inner(_:)", 2), ("outer(_:)", 5), ("main", 7)],
    ),
    "default": (
        """\
func share(_ kilos: Int, frames: Int = 0) -> Int { #@
    return kilos / frames
}
print(share(31))
""",
        ZERO,
        [("share(_:frames:)", 2), ("main", 4)],
    ),
    "property": (
        """\
class Hive {
    var frames = 0 #@
    func share(_ kilos: Int) -> Int {
        return kilos / frames
    }
}
print(Hive().share(31))
""",
        ZERO,
        [("Hive.share(_:)", 4), ("main", 7)],
    ),
    "property set by an initializer": (
        """\
class Hive {
    let frames: Int
    init(frames: Int) {
        self.frames = frames
    }
    func share(_ kilos: Int) -> Int {
        return kilos / frames
    }
}
let hive = Hive(frames: 0) #@
print(hive.share(31))
""",
        ZERO,
        [("Hive.share(_:)", 7), ("main", 11)],
    ),
    "one past the end": (
        """\
let kilos = [31, 28]
var sum = 0
for place in 0...2 { #@
    sum += kilos[place]
}
print(sum)
""",
        "Fatal error: Index out of range",
        [("main", 4)],
    ),
    "key of a dictionary": (
        """\
let kilos = ["oak": 31] #@
print(kilos["elm"]! + 1) #@
""",
        NIL,
        [("main", 2)],
    ),
}


def julia(message: str, frames: list[tuple[str, int]]) -> str:
    rows = [f"ERROR: LoadError: {message}", "Stacktrace:"]
    for number, (function, line) in enumerate(frames, 1):
        where = f"@ Main ~/project/hives.jl:{line}" if line else "@ ./array.jl:861 [inlined]"
        rows += [f" [{number}] {function}", f"   {where}"]
    return "\n".join([*rows, f"in expression starting at /home/learner/project/hives.jl:{frames[-1][1]}"]) + "\n"


def swift(message: str, frames: list[tuple[str, int]]) -> str:
    rows = [f"hives/main.swift:{frames[0][1]}: {message}", "Current stack trace:"]
    rows += ["0    libswiftCore.so   0x00007f2b1c3a7a60 _assertionFailure(_:_:file:line:flags:) + 342"]
    for number, (function, line) in enumerate(frames, 1):
        rows.append(f"{number}    hives   0x000055d0c8f0a3b1 {function} + 289 at /home/learner/project/main.swift:{line}")
    return "\n".join(rows) + "\n"


TABLES = {"julia": ("hives.jl", julia, JULIA), "swift": ("main.swift", swift, SWIFT)}
#: What is not followed yet.
MISSED: dict[str, set[str]] = {"julia": set(), "swift": set()}


@pytest.mark.parametrize("language", TABLES)
def test_roots_are_among_the_first_three(language: str, tmp_path: Path) -> None:
    name, written, table = TABLES[language]
    missed: dict[str, tuple[list[int], list[int]]] = {}
    for place, (construct, (marked, message, frames)) in enumerate(table.items()):
        folder = tmp_path / str(place)
        folder.mkdir()
        (folder / name).write_text(re.sub(" +#@", "", marked), encoding="utf-8")
        (jam,) = read_and_diagnose(written(message, frames), root=folder)
        assert jam.snag is not None, construct
        right = [line for line, row in enumerate(marked.split("\n"), 1) if "#@" in row]
        found = [root.line for root in jam.roots[:3]]
        if not set(found) & set(right):
            missed[construct] = (right, found)
    assert set(missed) == MISSED[language], missed


def test_the_tables_are_long() -> None:
    assert all(len(table) >= 10 for _, _, table in TABLES.values())
    assert all(len(names) <= len(TABLES[language][2]) // 10 for language, names in MISSED.items())
