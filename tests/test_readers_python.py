"""Python tracebacks, from text alone."""

from __future__ import annotations

import subprocess
import sys
import textwrap
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.pipeline import read, read_and_diagnose
from jamkey.readers import read_all
from tests.conftest import interpreters

PLAIN = """Traceback (most recent call last):
  File "hives.py", line 12, in <module>
    main()
  File "hives.py", line 8, in main
    print(gain(WEIGHTS))
          ~~~~^^^^^^^^^
  File "/usr/lib/python3.13/statistics.py", line 3, in gain
    return total / 0
           ~~~~~~^~~
ZeroDivisionError: division by zero
"""


def one(text: str) -> Jam:
    jams = read(text)
    assert len(jams) == 1, [jam.headline for jam in jams]
    return jams[0]


def test_plain() -> None:
    jam = one(PLAIN)
    assert (jam.exception_type, jam.message, jam.phase, jam.kind) == (
        "ZeroDivisionError",
        "division by zero",
        "run",
        "bad-arithmetic",
    )
    assert [(f.file, f.line, f.function) for f in jam.frames] == [
        ("hives.py", 12, "<module>"),
        ("hives.py", 8, "main"),
        ("/usr/lib/python3.13/statistics.py", 3, "gain"),
    ]
    assert jam.frames[1].source == "print(gain(WEIGHTS))"
    assert jam.frames[1].marked == (7, 20)
    assert (jam.first_line, jam.last_line) == (1, 10)


@pytest.mark.parametrize("prefix", ["    ", "worker-2 | ", "app[3]: "])
def test_prefixed_lines(prefix: str) -> None:
    text = "".join(prefix + line + "\n" for line in PLAIN.splitlines())
    jam = one("started\n" + text + "done\n")
    assert jam.exception_type == "ZeroDivisionError"
    assert len(jam.frames) == 3
    assert jam.first_line == 2


def test_colours_and_carriage_returns() -> None:
    text = PLAIN.replace("ZeroDivisionError", "\x1b[1;35mZeroDivisionError\x1b[0m").replace("\n", "\r\n")
    assert one(text).exception_type == "ZeroDivisionError"


def test_several_with_other_output_around() -> None:
    log = (
        "2031-05-02 10:00:00 INFO started\n"
        + PLAIN
        + "2031-05-02 10:00:01 INFO next hive\n"
        + PLAIN.replace("ZeroDivisionError: division by zero", "KeyError: 'oak'")
        + "2031-05-02 10:00:02 INFO KeyError: 'x' was handled\n"
        + PLAIN
    )
    jams = read(log)
    assert [(jam.exception_type, jam.count, jam.first_line) for jam in jams] == [
        ("ZeroDivisionError", 2, 2),
        ("KeyError", 1, 13),
    ]


def test_message_over_several_lines() -> None:
    jam = one(PLAIN.replace("division by zero", "bad weights:\n  oak: -3\n  elm: -1"))
    assert jam.message == "bad weights:\n  oak: -3\n  elm: -1"


def test_message_in_a_log_ends_with_its_line() -> None:
    jam = one("2031-05-02 10:00:00 ERROR failed\n" + PLAIN + "plain output goes on\n")
    assert jam.message == "division by zero"


@pytest.mark.parametrize(
    ("sentence", "relation"),
    [
        ("The above exception was the direct cause of the following exception:", "caused-by"),
        ("During handling of the above exception, another exception occurred:", "while-handling"),
    ],
)
def test_chains(sentence: str, relation: str) -> None:
    first = PLAIN.replace("ZeroDivisionError: division by zero", "KeyError: 'oak'")
    jam = one(first + f"\n{sentence}\n\n" + PLAIN)
    assert jam.exception_type == "ZeroDivisionError"
    assert [(link.relation, link.jam.exception_type, link.jam.kind) for link in jam.chain] == [
        (relation, "KeyError", "no-such-key")
    ]


def test_repeated_frames() -> None:
    text = (
        "Traceback (most recent call last):\n"
        '  File "tree.py", line 9, in <module>\n    climb(1)\n'
        '  File "tree.py", line 4, in climb\n    return climb(n + 1)\n'
        '  File "tree.py", line 4, in climb\n    return climb(n + 1)\n'
        "  [Previous line repeated 996 more times]\n"
        "RecursionError: maximum recursion depth exceeded\n"
    )
    jam = one(text)
    assert jam.kind == "too-deep"
    assert [frame.repeated for frame in jam.frames] == [0, 0, 996]


def test_exception_group() -> None:
    text = textwrap.dedent("""\
          + Exception Group Traceback (most recent call last):
          |   File "gather.py", line 21, in <module>
          |     main()
          | ExceptionGroup: two scales failed (2 sub-exceptions)
          +-+---------------- 1 ----------------
            | Traceback (most recent call last):
            |   File "gather.py", line 8, in weigh
            |     return SCALES[name]
            | KeyError: 'oak'
            +---------------- 2 ----------------
            | Traceback (most recent call last):
            |   File "gather.py", line 9, in weigh
            |     raise ValueError("no power")
            | ValueError: no power
            +------------------------------------
        """)
    jam = one(text)
    assert jam.exception_type == "ExceptionGroup"
    assert jam.kind == "no-such-key"
    assert [(link.relation, link.jam.exception_type) for link in jam.chain] == [
        ("member-of", "KeyError"),
        ("member-of", "ValueError"),
    ]
    assert (jam.frames[-1].line, jam.frames[-1].function) == (8, "weigh")


def test_worker_process() -> None:
    inner = PLAIN.replace("hives.py", "worker.py")
    text = (
        'multiprocessing.pool.RemoteTraceback: \n"""\n'
        + inner
        + '"""\n\nThe above exception was the direct cause of the following exception:\n\n'
        + PLAIN
    )
    jam = one(text)
    assert jam.chain[0].relation == "carried-by"
    assert {frame.file for frame in jam.frames} >= {"worker.py", "hives.py"}


def test_child_process_is_one_failure() -> None:
    text = PLAIN + PLAIN.replace(
        "ZeroDivisionError: division by zero", "subprocess.CalledProcessError: Command '['x']' returned non-zero exit status 1."
    )
    jam = one(text)
    assert jam.kind == "child-failed"
    assert jam.chain[0].jam.exception_type == "ZeroDivisionError"


@pytest.mark.parametrize(
    ("text", "phase", "line"),
    [
        (
            '  File "hives.py", line 4\n    def gain(weights)\n                    ^\nSyntaxError: invalid syntax\n',
            "compile",
            4,
        ),
        (
            "  File \"hives.py\", line 4\n    def gain(weights)\n                     ^\nSyntaxError: expected ':'\n",
            "compile",
            4,
        ),
        ('  File "hives.py", line 5\n    return 1\nIndentationError: expected an indented block\n', "compile", 5),
        ('  File "<string>", line 1\n    1 +\n      ^\nSyntaxError: invalid syntax\n', "compile", 1),
        (
            'Traceback (most recent call last):\n  File "a.py", line 2, in <module>\n    eval("1 +")\n'
            '  File "<string>", line 1\n    1 +\n      ^\nSyntaxError: invalid syntax\n',
            "run",
            1,
        ),
        (
            'Traceback (most recent call last):\n  File "a.py", line 2, in <module>\n    import tariffs\n'
            "  File \"/x/tariffs.py\", line 7\n    ]\n    ^\nSyntaxError: unmatched ']'\n",
            "compile",
            7,
        ),
    ],
)
def test_syntax_errors(text: str, phase: str, line: int) -> None:
    jam = one("building\n" + text)
    assert (jam.kind, jam.phase, jam.frames[-1].line) == ("broken-syntax", phase, line)


def test_a_line_number_without_frames() -> None:
    jam = one("NameError: name 'crate' is not defined on line 6\n")
    assert (jam.kind, jam.frames[0].line, jam.facts["name"]) == ("unknown-name", 6, "crate")


def test_fault_handler() -> None:
    text = (
        "Fatal Python error: Segmentation fault\n\nCurrent thread 0x0001 (most recent call first):\n"
        '  File "/usr/lib/python3.11/ctypes/__init__.py", line 519 in string_at\n'
        '  File "raw.py", line 7 in read_byte\n  File "raw.py", line 15 in <module>\n\nExtension modules: x (total: 1)\n'
    )
    jam = one(text)
    assert (jam.exception_type, jam.kind) == (None, "memory-misuse")
    assert [frame.line for frame in jam.frames] == [15, 7, 519]


def test_interrupt_is_a_hang() -> None:
    jam = one(PLAIN.replace("ZeroDivisionError: division by zero", "KeyboardInterrupt"))
    assert (jam.phase, jam.kind, jam.message) == ("hang", "interrupted", "")


@pytest.mark.parametrize(
    "text",
    ["", "all is well\n", "NameError: name 'x' is not defined\n", "Traceback to the roots\n", 'File "x.csv", line 3 of 9\n'],
)
def test_nothing_to_read(text: str) -> None:
    assert read(text) == []


def test_cut_off_trace_keeps_its_frames() -> None:
    jam = one(PLAIN[: PLAIN.index('  File "/usr')])
    assert (jam.exception_type, len(jam.frames)) == (None, 2)


PROGRAMS = {
    "unknown-name": "def gain(weights):\n    return totl\n\ngain([1])\n",
    "missing-value": "rows = [3, 1].sort()\nfor row in rows:\n    print(row)\n",
    "no-such-member": "hive = 'oak'\nhive.uper()\n",
    "no-such-key": "{'oak': 1}['elm']\n",
    "index-out-of-range": "[1, 2][5]\n",
    "wrong-type": "'oak' + 3\n",
    "fixed-value": "t = (1, 2)\nt[0] = 5\n",
    "unreadable-value": "int('n/a')\n",
    "wrong-arguments": "def weigh(hive):\n    pass\n\nweigh()\n",
    "wrong-count": "a, b = 1, 2, 3\n",
    "bad-arithmetic": "1 / 0\n",
    "file-access": "open('no-such-file.csv')\n",
    "no-such-module": "import no_such_module_here\n",
    "unset-name": "def f():\n    print(n)\n    n = 1\n\nf()\n",
    "not-callable": "x = 3\nx()\n",
    "bad-index": "[1]['a']\n",
    "too-deep": "def f(n):\n    return f(n + 1)\n\nf(1)\n",
    "wrong-order": "d = {1: 2}\nfor k in d:\n    d[k + 1] = 0\n",
    "raised-on-purpose": "assert 1 > 2, 'no'\n",
    "broken-syntax": "def f(:\n    pass\n",
}


@pytest.mark.parametrize("version", sorted(interpreters()))
def test_every_interpreter_says_it_its_own_way(version: str, tmp_path: object) -> None:
    """One program a kind, run by every Python found: the kind is read whatever the wording."""
    for kind, text in PROGRAMS.items():
        done = subprocess.run(
            [interpreters()[version], "-c", f"exec(compile({text!r}, 'hives.py', 'exec'))"],
            capture_output=True,
            text=True,
            check=False,
            cwd=str(tmp_path),
        )
        assert done.returncode == 1
        jam = one(done.stderr)
        assert jam.kind == kind, (version, jam.headline)
        assert jam.exception_type in done.stderr


def test_the_running_interpreter_is_among_them() -> None:
    assert interpreters()[f"3.{sys.version_info.minor}"] == sys.executable


TEST_RUN = """=================================== FAILURES ===================================
___________________________________ test_mean __________________________________

    def test_mean():
>       assert mean([{"kilos": 3}, {"kilos": 4}]) == 4
E       AssertionError: assert 3.5 == 4
E        +  where 3.5 = mean([{'kilos': 3}, {'kilos': 4}])

test_hives.py:6: AssertionError
_____________________________ Scales.test_key __________________________________

    def test_key():
>       mean([{"kilo": 3}])

test_hives.py:10:
_ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _ _

hive = {'kilo': 3}

    def kilos(hive):
>       return hive["kilos"]
E       KeyError: 'kilos'

hives.py:2: KeyError
=========================== short test summary info ============================
"""


def test_the_plain_output_of_a_test_runner() -> None:
    first, second = read(TEST_RUN)
    assert (first.exception_type, first.message) == ("AssertionError", "assert 3.5 == 4")
    assert (first.frames[0].file, first.frames[0].line, first.frames[0].function) == ("test_hives.py", 6, "test_mean")
    assert (second.exception_type, second.message, second.kind) == ("KeyError", "'kilos'", "no-such-key")
    assert [(frame.file, frame.line, frame.function) for frame in second.frames] == [
        ("test_hives.py", 10, "test_key"),
        ("hives.py", 2, "kilos"),
    ]


TRACE = [
    "Traceback (most recent call last):",
    '  File "hives.py", line 9, in <module>',
    "    weigh(oak)",
    '  File "hives.py", line 4, in weigh',
    "    return kilos / weeks",
    "           ~~~~~~^~~~~~~",
    "ZeroDivisionError: division by zero",
]
OTHER = [
    line.replace("hives.py", "jars.py").replace("ZeroDivisionError: division by zero", "KeyError: 'oak'") for line in TRACE
]


def both(jams: list[Jam]) -> list[tuple[str | None, str, int | None, int]]:
    return [(jam.exception_type, jam.frames[-1].file, jam.frames[-1].line, len(jam.frames)) for jam in jams]


def test_a_container_puts_time_and_stream_before_every_line() -> None:
    lines = [f"2026-11-25T10:00:{number:02}.0{number}Z stderr F {line}" for number, line in enumerate(TRACE)]
    lines[2:2] = ["2026-11-25T10:00:01.5Z stdout F weighed north"]
    (jam,) = read_all("\n".join(["2026-11-25T09:59:59Z stdout F begins", *lines, "2026-11-25T10:01:00Z stderr F done"]))
    assert both([jam]) == [("ZeroDivisionError", "hives.py", 4, 2)]
    assert (jam.message, jam.first_line, jam.last_line) == ("division by zero", 2, 9)


def test_the_lines_of_two_workers_lie_across_one_another() -> None:
    one, two = [f"[w1] {line}" for line in TRACE], [f"[w2] {line}" for line in OTHER]
    mixed = [*one[:3], *two[:2], *one[3:4], *two[2:6], *one[4:], two[6], "[w1] weighed north", "[w2] jars counted"]
    assert both(read_all("\n".join(mixed))) == [("ZeroDivisionError", "hives.py", 4, 2), ("KeyError", "jars.py", 4, 2)]


def test_a_chain_in_a_workers_strand_is_one_failure() -> None:
    chain = [*TRACE, "", "During handling of the above exception, another exception occurred:", "", *OTHER]
    lines = [f"worker-4  | {line}" for line in chain]
    lines[4:4] = ["worker-1  | weighs"]
    (jam,) = read_all("\n".join(lines))
    assert (jam.exception_type, jam.chain[0].jam.exception_type, jam.chain[0].relation) == (
        "KeyError",
        "ZeroDivisionError",
        "while-handling",
    )


def test_lines_of_the_log_fall_between_those_of_a_trace() -> None:
    log = "2026-11-25 10:00:00,113 INFO hive.scales: heartbeat"
    for places in ((1,), (2, 4), (3, 5, 6)):
        lines = list(TRACE)
        for place in reversed(places):
            lines[place:place] = [log, log]
        (jam,) = read_all("\n".join([log, *lines, log, *["weighed"] * 3]))
        assert both([jam]) == [("ZeroDivisionError", "hives.py", 4, 2)], places


def test_a_trace_that_is_cut_off_takes_nothing_of_what_follows() -> None:
    log = "2026-11-25 10:00:00,113 INFO hive.scales: heartbeat"
    found = read_all("\n".join([*TRACE[:4], log, log, *OTHER, log]))
    assert both(found) == [(None, "hives.py", 4, 2), ("KeyError", "jars.py", 4, 2)]


def test_a_log_line_behind_a_message_is_no_part_of_it() -> None:
    for message, after in (
        ("NameError: name 'totl' is not defined", "weighing starts"),
        ("ValueError: no weight", "12:02 weighing starts"),
    ):
        (jam,) = read_all("\n".join([*TRACE[:-1], message, after]))
        assert jam.message == message.partition(": ")[2]


def test_what_a_log_could_not_write_is_placed_where_it_was_asked_to(tmp_path: Path) -> None:
    program = "import logging\n\ndef weigh(kilos):\n    logging.warning('weighed:', kilos)\n\nweigh(3)\nweigh(4)\n"
    (tmp_path / "hives.py").write_text(program)
    done = subprocess.run([sys.executable, "hives.py"], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    assert done.returncode == 0
    [*_, jam] = read_and_diagnose(done.stderr, root=tmp_path)
    assert jam.exception_type == "TypeError"
    assert [frame.line for frame in jam.frames if frame.owner == "yours"] == [7, 4]
    assert jam.snag_frame is not None
    assert (jam.snag_frame.line, jam.snag_frame.function) == (4, "weigh")
