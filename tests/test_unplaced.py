"""Traces that name no line, or only some: whose code a frame is, and which line of the program is meant."""

from __future__ import annotations

import pytest

from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read

JULIA = """\
ERROR: LoadError: DimensionMismatch: matrix A has dimensions (3,2), vector B has length 3
Stacktrace:
 [1] gemv!(y::Vector{Float64}, tA::Char, A::Matrix{Float64}, x::Vector{Float64})
   @ LinearAlgebra /opt/julia-1.10.4/share/julia/stdlib/v1.10/LinearAlgebra/src/matmul.jl:404
 [2] *
   @ StaticArrays ~/.julia/packages/StaticArrays/EHHaF/src/matrix_multiply.jl:57 [inlined]
 [3] gain(kilos::Matrix{Float64}, weights::Vector{Float64})
   @ Main ~/project/hives.jl:2
 [4] top-level scope
   @ ~/project/hives.jl:4
in expression starting at /home/me/project/hives.jl:4
"""
SWIFT = """\
Swift/RangeReplaceableCollection.swift:623: Fatal error: Can't remove last element from an empty collection

💣 Program crashed: Illegal instruction at 0x00007f5d2a1c83d4

Thread 0 "hives" crashed:

0 0x00007f5d2a1c83d4 _assertionFailure(_:_:file:line:flags:) + 244 in libswiftCore.so
1 [inlined] RangeReplaceableCollection<>.removeLast() in hives at /<compiler-generated>
2 Queue.next() + 71 in hives at /home/me/project/Sources/hives/main.swift:3:23
3 main + 219 in hives at /home/me/project/Sources/hives/main.swift:6:20
"""
#: what -> (printed, files, places of the frames that are the user's, outermost first)
TABLE: dict[str, tuple[str, dict[str, str], list[tuple[str, int]]]] = {
    "the library of the runtime, Julia": (
        JULIA,
        {"hives.jl": "function gain(kilos, weights)\n    kilos * weights\nend\nprintln(gain(ones(3, 2), [1.0, 2.0, 3.0]))\n"},
        [("hives.jl", 4), ("hives.jl", 2)],
    ),
    "frames without an address, Swift": (
        SWIFT,
        {
            "Sources/hives/main.swift": "struct Queue {\n    var items: [Int] = []\n"
            "    mutating func next() -> Int { return items.removeLast() }\n}\nvar q = Queue()\nprint(q.next())\n"
        },
        [("Sources/hives/main.swift", 6), ("Sources/hives/main.swift", 3)],
    ),
    "the check that the message quotes, R": (
        "Error in weighed(hives) : all(hives$kilos > 0) is not TRUE\nCalls: weighed -> stopifnot\nExecution halted\n",
        {
            "main.R": 'source("checks.R")\nhives <- data.frame(kilos = c(3, -1))\nweighed(hives)\n',
            "checks.R": "weighed <- function(hives) {\n  stopifnot(is.data.frame(hives))\n  stopifnot(all(hives$kilos > 0))\n  hives\n}\n",
        },
        [("main.R", 3), ("checks.R", 3)],
    ),
    "the exception that the program raises, Objective-C": (
        "hives: Uncaught exception HiveException, reason: negative weight -3\n",
        {
            "main.m": "#import <Foundation/Foundation.h>\n\nint main(void) {\n    int kilos = -3;\n    if (kilos < 0)\n"
            '        [NSException raise: @"HiveException" format: @"negative weight %d", kilos];\n    return 0;\n}\n'
        },
        [("main.m", 6)],
    ),
}


@pytest.mark.parametrize("what", TABLE)
def test_the_users_frames(what: str) -> None:
    printed, files, places = TABLE[what]
    jam = diagnose(read(printed)[-1], Sources(texts=files))
    assert [(frame.file.removeprefix("~/project/"), frame.line) for frame in jam.frames if frame.owner == "yours"] == places
    assert jam.snag_frame is not None
    assert jam.snag_frame.line == places[-1][1]


def test_of_two_lines_that_could_have_raised_none_is_named() -> None:
    printed, files, _ = TABLE["the exception that the program raises, Objective-C"]
    row = files["main.m"].split("\n")[5]
    twice = {"main.m": files["main.m"].replace(row, f"{row}\n{row}")}
    assert diagnose(read(printed)[-1], Sources(texts=twice)).snag is None


@pytest.mark.parametrize("said", ["is.data.frame(hives) is not TRUE", "all(hives$kilos > 0) is not TRUE"])
def test_the_quoted_check_decides(said: str) -> None:
    _, files, _ = TABLE["the check that the message quotes, R"]
    printed = f"Error in weighed(hives) : {said}\nCalls: weighed -> stopifnot\nExecution halted\n"
    jam = diagnose(read(printed)[-1], Sources(texts=files))
    assert jam.snag_frame is not None
    assert jam.snag_frame.line == (2 if "frame" in said else 3)


#: what -> (printed, the program, the lines among which its root must be): of these nobody says where they failed.
NOWHERE: dict[str, tuple[str, dict[str, str], list[int]]] = {
    "what a call of the program's is named by": (
        "terminate called after throwing an instance of 'std::invalid_argument'\n  what():  stoi\nAborted\n",
        {
            "main.cpp": "#include <iostream>\n#include <string>\n\nint kilos(const std::string &text) {\n"
            '    return std::stoi(text);\n}\n\nint main() {\n    std::cout << "hives" << std::endl;\n'
            '    std::cout << kilos("none") << std::endl;\n}\n'
        },
        [5, 10],
    ),
    "a loop one too far, with the library's inner name": (
        "terminate called after throwing an instance of 'std::out_of_range'\n  what():  vector::_M_range_check: __n (which is 2) "
        ">= this->size() (which is 2)\nAborted (core dumped)\n",
        {
            "main.cpp": "#include <iostream>\n#include <vector>\n\nint main() {\n    std::vector<int> kilos = {31, 32};\n"
            '    int sum = 0;\n    std::cout << "hives" << std::endl;\n    for (std::size_t i = 0; i <= kilos.size(); i++)\n'
            "        sum += kilos.at(i);\n    std::cout << sum << std::endl;\n}\n"
        },
        [8, 9],
    ),
    "memory": (
        "Segmentation fault (core dumped)\n",
        {
            "main.c": '#include <stdio.h>\n#include <string.h>\n\nint main(void) {\n    char *hive = "north";\n'
            '    printf("%s\\n", hive);\n    hive[0] = 78;\n    printf("%s\\n", hive);\n    return 0;\n}\n'
        },
        [5, 7],
    ),
}


@pytest.mark.parametrize("what", NOWHERE)
def test_where_nobody_says_the_line_the_likeliest_are_named_and_no_line_is_spoken_of(what: str) -> None:
    printed, files, wanted = NOWHERE[what]
    jam = diagnose(read(printed)[-1], Sources(texts=files))
    assert jam.snag is None
    assert {root.line for root in jam.roots[:3]} & set(wanted)
    assert "line" not in f"{jam.meaning} {jam.look_at}".replace("the line that failed", "")


def test_another_language_s_files_are_no_place() -> None:
    jam = diagnose(read("Segmentation fault (core dumped)\n")[-1], Sources(texts={"hives.py": "kilos = 1\nprint(kilos)\n"}))
    assert jam.roots == ()


NOTES = "north hive, full\nnorth hive, weak\noak hive, full\nnorth hyve, empty\nelm hive, full\n"


@pytest.mark.parametrize(
    ("name", "program", "printed"),
    [
        (
            "hives.py",
            "kilos = [31, 32]\nprint(kilos[2])\n",
            'Traceback (most recent call last):\n  File "hives.py", line 2, in <module>\n    print(kilos[2])\n          ~~~~~^^^\n'
            "IndexError: list index out of range\n",
        ),
        (
            "hives.lua",
            "local kilos = { 31, 32 }\nprint(kilos[3] + 1)\n",
            "lua5.4: hives.lua:2: attempt to perform arithmetic on a nil value (field '?')\nstack traceback:\n"
            "\thives.lua:2: in main chunk\n\t[C]: in ?\n",
        ),
    ],
)
def test_data_that_the_program_never_names_is_not_blamed(name: str, program: str, printed: str) -> None:
    jam = diagnose(read(printed)[-1], Sources(texts={name: program, "notes.txt": NOTES}))
    assert jam.roots
    assert all(root.file == name for root in jam.roots)
    assert all(edit.file == name for key in jam.keys for edit in key.edits)


def test_data_whose_name_the_program_is_told_is_looked_at() -> None:
    program = "import sys\n\nfor row in open(sys.argv[1]):\n    print(float(row) + 1)\n"
    printed = (
        'Traceback (most recent call last):\n  File "hives.py", line 4, in <module>\n    print(float(row) + 1)\n'
        "          ^^^^^^^^^^\nValueError: could not convert string to float: '3o\\n'\n"
    )
    texts = {"hives.py": program, "kilos.txt": "31\n32\n29\n3o\n30\n28\n"}
    jam = diagnose(read(printed)[-1], Sources(texts=texts))
    assert ("kilos.txt", 4) in [(root.file, root.line) for root in jam.roots]
