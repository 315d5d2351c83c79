"""Traces as frameworks, debuggers and log services lay them out are read as the interpreter's own are."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.pipeline import read
from jamkey.readers.pasted import LAID_OUT
from jamkey.readers.python_words import HEADER
from jamkey.readers.reports import put_back
from jamkey.text import decode
from tests.conftest import CORPUS, jamkey

#: As the interpreter prints it.
TRACE = """Traceback (most recent call last):
  File "/apiary/hives.py", line 12, in <module>
    weigh(hives)
  File "/apiary/hives.py", line 9, in weigh
    return sum(hive["kilos"] for hive in hives)
  File "/apiary/hives.py", line 9, in <genexpr>
    return sum(hive["kilos"] for hive in hives)
KeyError: 'kilos'
"""

_PLACE = re.compile(r'  File "(.*)", line (\d+), in (.*)')


def _parts(trace: str) -> tuple[list[str], str, str]:
    rows = trace.rstrip("\n").split("\n")
    kind, _, message = rows[-1].partition(": ")
    return rows[1:-1], kind, message


def _framework(trace: str) -> str:
    frames, kind, message = _parts(trace)
    head = "Environment:\n\n\nRequest Method: GET\nRequest URL: http://127.0.0.1:8000/hives/\n\n"
    return f"{head}{HEADER}\n" + "\n".join(frames) + f"\n\nException Type: {kind} at /hives/\nException Value: {message}\n"


def _service(trace: str) -> str:
    frames, kind, message = _parts(trace)
    return f"START of 8a-1\n[ERROR] {kind}: {message}\n{HEADER}\n" + "\n".join(frames) + "\nEND of 8a-1\n"


def _above(trace: str) -> str:
    frames, kind, message = _parts(trace)
    return f"{kind}: {message}\nTraceback:\n" + "\n".join(row[2:] if _PLACE.match(row) else row for row in frames) + "\n"


def _debugger(trace: str) -> str:
    """The innermost frame first, the words above."""
    frames, kind, message = _parts(trace)
    pairs = [frames[place : place + 2] for place in range(0, len(frames), 2)]
    return f"Exception has occurred: {kind}\n{message}\n" + "\n".join("\n".join(pair) for pair in reversed(pairs)) + "\n"


LAYOUTS: dict[str, Callable[[str], str]] = {
    "a web framework": _framework,
    "a log service": _service,
    "the words above": _above,
    "a debugger": _debugger,
}


def told(jam: Jam) -> tuple[object, ...]:
    """Return what a trace says."""
    places = [(frame.file, frame.line, frame.function, (frame.source or "").strip()) for frame in jam.frames]
    return jam.exception_type, jam.message, jam.kind, places


@pytest.mark.spread(1)
@pytest.mark.parametrize("layout", LAYOUTS)
def test_every_layout_says_the_same(layout: str) -> None:
    (plain,) = read(TRACE)
    (other,) = read(LAYOUTS[layout](TRACE))
    if layout == "a debugger":
        # it tells frames of the same line by their order alone
        assert told(other)[:3] == told(plain)[:3] and other.frames[0].function == "<module>"
    else:
        assert told(other) == told(plain)


@pytest.mark.spread(1)
@pytest.mark.parametrize("layout", ["a web framework", "a log service", "the words above"])
def test_traces_of_the_corpus_too(layout: str) -> None:
    """Any trace of whole frames with a message of one line."""
    tried = 0
    for case in (told.parent for told in sorted(CORPUS.glob("python/*/truth.json"))):
        text = decode((case / "stderr.txt").read_bytes())
        whole = re.fullmatch(
            r'Traceback \(most recent call last\):\n(?:  File "[^"\n]*\.py", line \d+, in \S+\n    \S.*\n)+(\w+): .*\n?', text
        )
        if whole is None:
            continue
        tried += 1
        assert told(read(LAYOUTS[layout](text))[-1]) == told(read(text)[-1]), case.name
    assert tried >= 5


def test_what_needs_nothing_stays_as_it_is() -> None:
    for case in (told.parent for told in sorted(CORPUS.glob("python/*/truth.json"))):
        text = decode((case / "stdout.txt").read_bytes() + (case / "stderr.txt").read_bytes())
        if not any(sign in text for sign in LAID_OUT):
            assert put_back(text)[0] == text, case.name


def test_lines_are_counted_as_they_were_given() -> None:
    text = "weighing\nweighing\n" + _service(TRACE)
    (jam,) = read(text)
    rows = text.split("\n")
    assert jam.first_line is not None and rows[jam.first_line - 1] == HEADER


def test_no_words_are_taken_from_another_failure() -> None:
    """A trace that was cut off has none; what stands above it is the end of the one before."""
    cut = TRACE.rsplit("KeyError", 1)[0]
    first, second = read("[ERROR] weighing\n" + TRACE + cut)
    assert first.exception_type == "KeyError"
    assert second.exception_type is None
    # nor where the log tells of something that was caught
    own = TRACE.replace("KeyError: 'kilos'", "HiveGone: no queen")
    (jam,) = read("[ERROR] ValueError: caught\n" + own)
    assert (jam.exception_type, jam.message) == ("HiveGone", "no queen")


def test_a_debugger_that_lists_the_outermost_first() -> None:
    frames, kind, message = _parts(TRACE)
    (jam,) = read(f"Exception has occurred: {kind}\n{message}\n" + "\n".join(frames) + "\n")
    assert [frame.function for frame in jam.frames] == ["<module>", "weigh", "<genexpr>"]


def test_the_cell_of_a_notebook_that_a_service_runs() -> None:
    text = f"""{"-" * 75}
KeyError                                  Traceback (most recent call last)
File <command-1234567>, line 3
      1 import pandas as pd
      2 hives = pd.DataFrame({{"kilos": [31.2]}})
----> 3 hives["kilo"]

File /services/python/lib/python3.10/site-packages/pandas/core/frame.py:3807, in DataFrame.__getitem__(self, key)
   3805 if self.columns.nlevels > 1:
   3806     return self._getitem_multilevel(key)
-> 3807 indexer = self.columns.get_loc(key)

KeyError: 'kilo'
"""
    (jam,) = read(text)
    assert (jam.frames[0].file, jam.frames[0].line, jam.frames[0].source) == ("In[1234567]", 3, 'hives["kilo"]')


SCREEN = """Error

main.lua:12: attempt to index field 'hive' (a nil value)


Traceback

[love "callbacks.lua"]:228: in function 'handler'
main.lua:12: in function 'draw'
[love "callbacks.lua"]:168: in function <[love "callbacks.lua"]:144>
[C]: in function 'xpcall'
"""


def test_the_screen_of_an_engine(tmp_path: Path) -> None:
    (tmp_path / "screen.txt").write_text(SCREEN, encoding="utf-8")
    shown = jamkey("read", "screen.txt", cwd=tmp_path)
    assert "main.lua, line 12, in draw" in shown.out
    (jam,) = read(SCREEN)
    (console,) = read(
        "Error: " + SCREEN.split("\n")[2] + "\nstack traceback:\n\tmain.lua:12: in function 'draw'\n\t[C]: in ?\n"
    )
    assert (jam.kind, jam.runtime) == (console.kind, console.runtime) == ("missing-value", "lua")
