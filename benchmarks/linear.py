"""Time over size: hostile text of every reader, eight times as much of it, against the smaller piece in the same run.

usage: python benchmarks/linear.py [--quick] [--json FILE]

One row a place that reads text: the unit that grew most, how much slower a byte became (1.0 is linear), and the slowest
megabyte. `--quick` takes every third unit. Exit status 1 where a byte became more than four times as slow.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from jamkey.phrases.signs import kind_by_signs
from jamkey.piles.cut import Cut
from jamkey.pipeline import read
from jamkey.readers.pasted import mended, unwrapped
from jamkey.secrets import masked

SMALL, TIMES, WORST = 40_000, 8, 4.0
TRACES = [
    "Error in gain(kilos)\n",
    "Error in gain(kilos) : no kilos\n",
    "Traceback (most recent call last):\n  File \"a.py\", line 3, in f\n    totl\nNameError: name 'totl' is not defined\n",
    '  File "a.py", line 3, in f\n    return f(n + 1)\n',
    "Traceback (most recent call last):\n",
    "x" * 300 + "\n",
    '  File "' * 20 + "\n",
    "    at f (" * 20 + "\n",
    "\x1b[" + "1;" * 60 + "\n",
    "\x1b]" * 60 + "\n",
    "  | " * 30 + "\n",
    "Error: " * 30 + "\n",
    "a@http://" * 20 + "\n",
    "^ ~ " * 40 + "\n",
    "\n",
    " \n\t\n",
    ". do hives\nvariable x not found\nr(111);\n",
    "\tat a.b.c(D.java:1)\n",
    "Error in f(x) : " * 20 + "\nCalls: a -> b\n",
    "    #0 0x1f in f /a/b.c:1\n==1==ERROR: AddressSanitizer: x\n",
    "/usr/bin/ld: " * 40 + "a.c:1: undefined reference to\n",
    "error: called from\n    f at line 3 column 4\n",
    "lua: a.lua:1: x\nstack traceback:\n\ta.lua:1: in function 'f'\n",
    "ERROR: LoadError: x\nStacktrace:\n [1] f\n   @ Main ./a.jl:1\n",
    ". do a\nr(1);\n",
    "The above exception was the direct cause of the following exception:\n\n",
    "Error in `f()`:\n! x\nCaused by error in `g()`:\n! y\n",
    "Error in `f()`:\n! x\nBacktrace:\n  1. |-f(x)\n",
    "Error in `" * 40 + "`:\n! x\n",
    'main.obj : error LNK2019: unresolved external symbol "' + "a::" * 60 + '"\n',
    "main.obj : error LNK2019: " + "in function " * 20 + "\n",
    "libc++abi: terminating due to uncaught exception of type " + "a::" * 60 + "\n",
    "Assertion failed: (" + "), function " * 20 + "\n",
    "* thread #1, stop reason = x\n  * frame #0: 0x1 " + "`a at " * 30 + "\n",
    "gcc" * 60 + ": error: a: \n",
    "python" * 30 + ": No module named " + "a." * 30 + "!\n",
    "can't open file '" * 20 + "\n",
    "hives.js:1 Uncaught " * 20 + "\n",
    "    a https://b" * 20 + "\n",
    "[ERROR] a.java:[" * 20 + "\n",
    "    nested task error: x\n",
    "UndefVarError: x\n\nStacktrace:\n [1] f\n",
    "DimensionMismatch: \n",
    'Error\n\n\nTraceback\n[a "b.lua"]:1: in function f\n',
    "(node:1) UnhandledPromiseRejectionWarning: ",
    "Caused by: x.Y: z\n\tat ",
    "Quitting from lines 1-2 (a.Rmd)\n",
]
LOGS = [
    '{"exception.type": "E", "a": "\\n    at f (x.js:1:2)"} ',
    "\tat x.Y.z(Y.java:1) ",
    "  Traceback (most recent call last):\n",
    "SyntaxError: ",
    "error: x\n\n",
    "[w1] Traceback (most recent call last):\n[w2]   File ",
    "The above exception was the direct cause of the following exception:\nTraceback (most recent call last):\n",
    "{" * 40 + '"exception',
]
SECRETS = ["token", "token=", "a" * 50 + "@", "://a:", "password: ", "bearer ", "'"]
PASTES = [
    "Traceback (most recent call last):\n\n  File a:1 in f\n",
    "> " * 6 + "x\n",
    'X: y\nTraceback:\nFile "a", line 1\n',
    'Exception has occurred: X\ny\n  File "a", line 1, in f\n',
    '[ERROR] X\nTraceback (most recent call last):\n  File "a", line 1\n',
    'Exception Type: X\nTraceback (most recent call last):\n  File "a", line 1\n',
    'File "\n',
    "\nat a(\n",
    "x\n\n",
    "“File “\n",
    "word " * 14 + "\n",
]
SIGNS = ["length has expected columns number of "]


def _cut(text: str) -> None:
    data = b"\n" + text.encode() + b"\n"
    for _ in Cut(data, 1, len(data)):
        pass


def _pasted(text: str) -> None:
    mended(text)
    unwrapped(text)


WHAT: dict[str, tuple[Callable[[str], object], Sequence[str]]] = {
    "a trace is read": (read, TRACES),
    "a log is cut": (_cut, LOGS),
    "secrets are masked": (masked, SECRETS),
    "a paste is mended": (_pasted, PASTES),
    "a message is looked at": (kind_by_signs, SIGNS),
}


def seconds(work: Callable[[str], object], text: str) -> float:
    start = time.perf_counter()
    work(text)
    return time.perf_counter() - start


def main() -> int:
    parser = argparse.ArgumentParser(description="Time over size of hostile text.")
    parser.add_argument("--quick", action="store_true", help="every third unit")
    parser.add_argument("--json", metavar="FILE", help="also write the rows")
    words = parser.parse_args()
    rows = []
    print(f"{'':26}{'units':>6}{'grew':>7}{'s/MB':>8}  by")
    for name, (work, units) in WHAT.items():
        measured = []
        for unit in units[:: 3 if words.quick else 1]:
            small = unit * (SMALL // len(unit))
            first = min(seconds(work, small) for _ in range(3))
            second = min(seconds(work, small * TIMES) for _ in range(2))
            measured.append((second / TIMES / max(first, 1e-4), second / (len(small) * TIMES) * 1e6, unit))
        grew, _, unit = max(measured)
        slowest = max(row[1] for row in measured)
        rows.append(
            {"what": name, "units": len(measured), "grew": round(grew, 2), "slowest_megabyte": round(slowest, 3), "by": unit}
        )
        print(f"{name:26}{len(measured):6}{grew:7.2f}{slowest:8.2f}  {unit[:40]!r}")
    if words.json:
        Path(words.json).write_text(json.dumps(rows, indent=1), encoding="utf-8")
    return int(any(float(str(row["grew"])) > WORST for row in rows))


if __name__ == "__main__":
    sys.exit(main())
