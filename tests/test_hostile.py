"""Text from anywhere: cut off, damaged, endless, made to hurt. No exception, and an end."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read
from jamkey.views import SHELF
from tests.conftest import SOURCE, corpus_cases

sys.path.insert(0, str(SOURCE.parent / "benchmarks"))
from linear import LOGS, PASTES, TRACES  # type: ignore[import-not-found]

TRACE = (
    'Traceback (most recent call last):\n  File "hives.py", line 6, in <module>\n    print(gain([31.2]))\n'
    "  File \"hives.py\", line 3, in gain\n    return totl\nNameError: name 'totl' is not defined\n"
)
FRAGMENTS = [
    "Traceback (most recent call last):",
    '  File "a.py", line 3, in f',
    '  File "a.py", line 3',
    "    x = 1",
    "    ^^^",
    "KeyError: 'x'",
    "SyntaxError: invalid syntax",
    "  + Exception Group Traceback (most recent call last):",
    "  | ",
    "  +-+---------------- 1 ----------------",
    "    | ",
    "    +---------------- 2 ----------------",
    '"""',
    "",
    "  [Previous line repeated 9 more times]",
    "The above exception was the direct cause of the following exception:",
    "During handling of the above exception, another exception occurred:",
    "TypeError: x is not a function",
    "    at f (/a/b.js:3:4)",
    "    at Array.map (<anonymous>)",
    "/a/b.js:3",
    "  ^",
    "Node.js v20.1.0",
    "[AggregateError: no] {",
    "  [cause]: Error: y",
    "}",
    "f@http://x/y.js:3:4",
    "Fatal Python error: Segmentation fault",
    '  File "a.py", line 9 in g',
    "2031-01-01 10:00:00 ERROR x",
    "\x1b[31mred\x1b[0m",
    "\x1b]8;;",
    "\x00",
    "\ud800",
    "Command '['x']' returned",
]


@settings(max_examples=400)
@given(st.lists(st.sampled_from(FRAGMENTS), max_size=25))
def test_any_order_of_lines(lines: list[str]) -> None:
    for jam in read("\n".join(lines)):
        done = diagnose(jam, Sources(texts={"a.py": "def f():\n    return x\n    y = 1\n", "b.js": "let a = 1;\nb();\nf(\n"}))
        assert done.meaning
        SHELF.get(".txt")([done], Sources())


@settings(max_examples=150)
@given(st.text(max_size=400))
def test_any_text(text: str) -> None:
    read(text)
    read(TRACE + text + TRACE)


@settings(max_examples=60, suppress_health_check=[HealthCheck.too_slow])
@given(st.text(alphabet="abcdef():[]{}'\"=,.+-*/ \n\t#\\5é", max_size=200), st.integers(1, 12))
def test_any_source(source: str, line: int) -> None:
    """A trace whose source is not what the trace says, or not even code."""
    for message in (
        "NameError: name 'a' is not defined",
        "TypeError: unsupported operand type(s) for +: 'int' and 'str'",
        "KeyError: 'b'",
        "IndexError: list index out of range",
        "SyntaxError: invalid syntax",
        "AttributeError: 'NoneType' object has no attribute 'c'",
        "TypeError: f() missing 1 required positional argument: 'b'",
        "ValueError: could not convert string to float: 'a,b'",
        "ZeroDivisionError: division by zero",
        "UnboundLocalError: local variable 'a' referenced before assignment",
    ):
        text = f'Traceback (most recent call last):\n  File "a.py", line {line}, in f\n    a\n    ^\n{message}\n'
        for jam in read(text):
            assert diagnose(jam, Sources(texts={"a.py": source})).meaning


@pytest.mark.parametrize("case", corpus_cases()[::4], ids=lambda case: case.name)
def test_damaged_copies(case: Path) -> None:
    data = (case / "stderr.txt").read_bytes()
    for step in (7, 61):
        damaged = bytearray(data)
        for place in range(0, len(damaged), step):
            damaged[place] ^= 0x55
        read(damaged.decode("utf-8", "replace"))
        read(data[: len(data) // 2].decode("utf-8", "replace"))


#: Made to hurt: what each of these costs over its size is measured in benchmarks/linear.py.
UNITS = [*TRACES, *LOGS, *PASTES]


@pytest.mark.parametrize("unit", UNITS, ids=lambda unit: repr(unit[:24]))
def test_much_of_it_is_read_all_the_same(unit: str) -> None:
    for jam in read(unit * (100_000 // len(unit)))[:3]:
        assert len(str(SHELF.get(".txt")([diagnose(jam)], Sources()))) < 200_000


@pytest.mark.long
def test_a_hundred_thousand_frames() -> None:
    frames = '  File "deep.py", line 4, in dig\n    return dig(n + 1)\n' * 100_000
    jams = read("Traceback (most recent call last):\n" + frames + "RecursionError: maximum recursion depth exceeded\n")
    jam = diagnose(jams[0], Sources(texts={"deep.py": "def dig(n):\n\n\n    return dig(n + 1)\n"}))
    assert (jam.kind, jam.snag_frame.line if jam.snag_frame else None) == ("too-deep", 4)


@pytest.mark.long
def test_a_message_of_eight_megabytes() -> None:
    text = TRACE.replace("name 'totl'", "name '" + "x" * 8_000_000 + "'")
    jam = diagnose(read(text)[0])
    shown = SHELF.get(".txt")([jam], Sources())
    assert len(shown) < 10_000


def test_a_source_line_of_ten_megabytes() -> None:
    source = "x = [" + "1, " * 3_000_000 + "]\nprint(totl)\ntotal = 1\n"
    jam = read(TRACE.replace("line 3", "line 2"))[0]
    assert diagnose(jam, Sources(texts={"hives.py": source[:3_000_000] + "\n"})).meaning


@pytest.mark.spread(2)
@pytest.mark.parametrize("elided", [False, True], ids=["all calls", "some left out"])
def test_twenty_thousand_calls_of_r_in_a_long_script(elided: bool) -> None:
    """What there is no time for is said."""
    names = " -> ".join(f"f{number}" for number in range(20_000))
    calls = names.replace("f1 ->", "f1 ... f2 ->") if elided else names
    text = f"Error in zz(x) : object 'kg' not found\nCalls: {calls}\nExecution halted\n"
    source = "".join(f"g{number} <- function(h) {{\n  k <- f{number}(h)\n  k + 1\n}}\n" for number in range(3000))
    jam = diagnose(read(text)[-1], Sources(texts={"hives.R": source}))
    assert jam.kind == "unknown-name"
    assert jam.snag is not None or jam.left_out
