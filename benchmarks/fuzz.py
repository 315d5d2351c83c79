"""Hostile copies of real failures: nothing may raise, escape its view, or take longer than its size allows.

    python benchmarks/fuzz.py [--minutes N | --texts N] [--seed N] [--processes N] [--json FILE]

Mutated: traces of all runtimes (lines cut, repeated, swapped, interleaved with another trace, bytes flipped, hostile
signs put in), the sources beside true traces, notebooks, tables, saved readings, and the journal. Every text is read;
one in eight is also diagnosed beside mutated sources and shown in every view. Checked: no exception but our own; no
terminal escape and no markup from the text in a view; every edit within its file; the slowest second per megabyte.
What fails is printed with its seed, from which `--seed N --texts 1` makes it again.
"""

from __future__ import annotations

import argparse
import functools
import itertools
import json
import multiprocessing
import random
import re
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from jamkey.checks.engine import check_text
from jamkey.errors import JamkeyError
from jamkey.follow.cell_module import rewritten
from jamkey.follow.sources import Sources
from jamkey.journal.store import Journal
from jamkey.model import Jam
from jamkey.pipeline import diagnose, read, read_notebook
from jamkey.text import decode
from jamkey.views import SHELF
from jamkey.views.json import parse

CORPUS = Path(__file__).parent.parent / "tests" / "corpus"
#: What a terminal, a page, a shell, a format or a parser could take for more than text.
HOSTILE = [
    "\x1b[31m",
    "\x1b]8;;http://x\x07",
    "\x1b]0;title\x07",
    "\x9b2J",
    "\x00",
    "\r",
    "\x08" * 9,
    "\u202e",
    "\ufeff",
    "\ud800",
    "<script>alert(1)</script>",
    '"><img src=x onerror=alert(1)>',
    "'" + "\\a" * 60,
    '"""' + "\\" * 60,
    "`" + "\\\n" * 60,
    "(" * 200,
    "/*" * 60,
    "]]>",
    "```\n<b>",
    "{{ 7 * 7 }}",
    "{% raw %}",
    "%s%n%d",
    "${7*7}",
    "(" * 300,
    "[" * 1200,
    "'" * 7,
    '"""',
    "9" * 400,
    "line 99999999999999999999",
    "../" * 40,
    "é" * 30,
    "名前",
    "\\" * 41,
    "a" * 3000,
    " " * 3000,
    "\t" * 50,
    "^" * 500,
    "in " * 300,
]
#: Marks of a terminal's orders: none may be left in what a view gives out.
_ORDERS = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\x80-\x9f\u202a-\u202e\u2066-\u2069]")
_MARKUP = ("<script>alert", "<img src=x")


class Case(NamedTuple):
    """A real failure: what it printed, the files beside it."""

    trace: str
    texts: dict[str, str]


@functools.cache
def cases() -> list[Case]:
    """Return the failures that the mutations start from."""
    found = []
    for truth in sorted(CORPUS.glob("*/*/truth.json")):
        folder = truth.parent
        data = (folder / "stderr.txt").read_bytes() or (folder / "stdout.txt").read_bytes()
        texts = {
            path.relative_to(folder / "project").as_posix(): decode(path.read_bytes())
            for path in sorted((folder / "project").rglob("*"))
            if path.is_file() and path.stat().st_size < 60_000 and b"\0" not in path.read_bytes()
        }
        if data and len(data) < 60_000:
            found.append(Case(decode(data), texts))
    return found


def mutated(text: str, other: str, chance: random.Random) -> str:
    """Return a damaged copy of a text, parts of another in it."""
    lines, more = text.split("\n"), other.split("\n")
    for _ in range(chance.randint(1, 5)):
        place = chance.randrange(len(lines)) if lines else 0
        what = chance.randrange(12)
        if what == 0 and lines:
            del lines[place : place + chance.randint(1, 4)]
        elif what == 1 and lines:
            lines[place:place] = lines[place : place + chance.randint(1, 3)] * chance.choice((1, 2, 30))
        elif what == 2 and lines:
            there = chance.randrange(len(lines))
            lines[place], lines[there] = lines[there], lines[place]
        elif what == 3:
            lines[place:place] = more
        elif what == 4:
            lines = [line for pair in zip(lines, more, strict=False) for line in pair] or lines
        elif what == 5:
            lines[place:place] = chance.sample(more, min(len(more), 3))
        elif what in (6, 7, 8) and lines:
            line = lines[place]
            at = chance.randint(0, len(line))
            lines[place] = line[:at] + chance.choice(HOSTILE) + line[at + chance.choice((0, 0, 1, 9)) :]
        elif what == 9 and lines:
            line = lines[place]
            at = chance.randint(0, len(line))
            lines[place] = line[:at] + chr(chance.choice((0, 7, 27, 34, 39, 40, 58, 60, 92, 123, 0x85, 0x2028))) + line[at:]
        elif what == 10:
            lines = lines[: place + 1]
        elif what == 11:
            lines = lines[place:]
    return "\n".join(lines)


class Failed(Exception):
    """A check that did not hold."""


def _shown(jams: list[Jam], sources: Sources) -> None:
    for ending in SHELF.names():
        text = SHELF.get(ending)(jams, sources)
        if found := _ORDERS.search(text):
            raise Failed(f"{ending} passes {found[0]!r} on")
        if ending == ".html" and any(mark in text for mark in _MARKUP):
            raise Failed(".html passes markup on")
        if ending == ".json":
            parse(text)


def _within(jams: list[Jam], sources: Sources) -> None:
    for key in (key for jam in jams for key in jam.keys):
        for file in {edit.file for edit in key.edits}:
            text = sources.text(file)
            if text is None:
                raise Failed(f"{key.id} edits {file}, which is not there")
            own = [edit for edit in key.edits if edit.file == file and edit.cell is None]
            rows = text.split("\n")
            for edit in own:
                last = edit.end_line - 1 < len(rows) + 1
                if not (1 <= edit.line <= edit.end_line and last and edit.column >= 1 and edit.end_column >= 1):
                    raise Failed(f"{key.id} edits {file} at {edit.line}:{edit.column} to {edit.end_line}:{edit.end_column}")
                if edit.line <= len(rows) and edit.column > len(rows[edit.line - 1]) + 1:
                    raise Failed(f"{key.id} edits {file} behind the end of line {edit.line}")
            rewritten(text, own)


def _trace(chance: random.Random) -> str:
    first, second = chance.choice(cases()), chance.choice(cases())
    text = mutated(first.trace, second.trace, chance)
    if chance.random() < 0.0005:  # a long one, for the time it takes
        text = (text + "\n") * (1_000_000 // (len(text) + 1) + 1)
        text = text[:1_000_000]
    jams = read(text)
    if chance.random() < 0.125:
        texts = {
            name: mutated(source, chance.choice(list(second.texts.values()) or [""]), chance)
            if chance.random() < 0.7
            else source
            for name, source in first.texts.items()
        }
        sources = Sources(texts=texts)
        done = [diagnose(jam, sources) for jam in jams[:3]]
        _within(done, sources)
        if done:
            _shown(done, sources)
    return text


def _source(chance: random.Random) -> str:
    """A true trace beside damaged sources."""
    first, second = chance.choice(cases()), chance.choice(cases())
    texts = {
        name: mutated(source, chance.choice(list(second.texts.values()) or [""]), chance)
        for name, source in first.texts.items()
    }
    sources = Sources(texts=texts)
    done = [diagnose(jam, sources) for jam in read(first.trace)[:2]]
    _within(done, sources)
    for name, source in list(texts.items())[:1]:
        check_text(source, name)
    return first.trace + "".join(texts.values())


def _notebook(chance: random.Random) -> str:
    """A notebook whose last cell failed, damaged as text and as structure."""
    first, second = chance.choice(cases()), chance.choice(cases())
    code = [mutated(source, second.trace, chance) for source in first.texts.values()]
    output = {"output_type": "error", "ename": "KeyError", "evalue": "'x'", "traceback": first.trace.split("\n")}
    cells = [{"cell_type": "code", "source": text, "outputs": [output], "metadata": {}, "execution_count": 1} for text in code]
    text = json.dumps({"cells": cells, "metadata": {}, "nbformat": 4, "nbformat_minor": 5}, indent=1)
    if chance.random() < 0.5:
        text = mutated(text, second.trace, chance)
    read_notebook(text, name="n.ipynb")
    return text


def _saved(chance: random.Random) -> str:
    """A saved reading, damaged: it is read again, or refused in one line."""
    first = chance.choice(cases())
    sources = Sources(texts=first.texts)
    text = SHELF.get(".json")([diagnose(jam, sources) for jam in read(first.trace)[:1]], sources)
    damaged = mutated(text, first.trace, chance)
    parse(damaged)
    return damaged


def _journal(chance: random.Random) -> str:
    """A journal with bytes of it overwritten: it is put aside, and the next reading is kept."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "journal.db"
        with Journal(path):
            pass
        data = bytearray(path.read_bytes())
        for _ in range(chance.randint(1, 40)):
            data[chance.randrange(len(data))] = chance.randrange(256)
        path.write_bytes(data[: chance.choice((len(data), len(data) // 2, 100, 0))])
        with Journal(path) as journal:
            journal.last()
    return "x" * len(data)


SORTS: list[tuple[Callable[[random.Random], str], float]] = [
    (_trace, 0.93),
    (_source, 0.04),
    (_notebook, 0.02),
    (_saved, 0.0099),
    (_journal, 0.0001),
]


def one(seed: int) -> tuple[str, float, str]:
    """Make and try one text; return its sort, seconds per megabyte (0 for short ones) and what failed."""
    chance = random.Random(seed)
    sort = chance.choices([sort for sort, _ in SORTS], [share for _, share in SORTS])[0]
    start = time.perf_counter()
    try:
        text = sort(chance)
    except JamkeyError:
        return sort.__name__, 0.0, ""
    except RecursionError:
        return sort.__name__, 0.0, "recursion"
    except Exception:
        return sort.__name__, 0.0, traceback.format_exc(limit=-4)
    seconds = time.perf_counter() - start
    size = len(text)
    return sort.__name__, seconds / (size / 1e6) if size > 200_000 and sort is _trace else 0.0, ""


class Share(NamedTuple):
    """What one process is to try: every so-maniest seed, up to a number of texts or until a moment."""

    first: int
    step: int
    end: int | None
    until: float | None


class Told(NamedTuple):
    """What one process found."""

    tried: Counter[str]
    failed: dict[str, list[int]]
    slowest: tuple[float, int]


def _some(share: Share) -> Told:
    tried: Counter[str] = Counter()
    failed: dict[str, list[int]] = {}
    slowest = (0.0, 0)
    for seed in itertools.count(share.first, share.step):
        if (share.end is not None and seed >= share.end) or (share.until is not None and time.monotonic() >= share.until):
            break
        sort, pace, error = one(seed)
        tried[sort.strip("_")] += 1
        slowest = max(slowest, (pace, seed))
        if error:
            failed.setdefault(error, []).append(seed)
    return Told(tried, failed, slowest)


def main() -> int:
    """Run, print what failed and the figures; exit 1 when anything failed."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("--minutes", type=float, default=0.0)
    parser.add_argument("--texts", type=int, default=0)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--processes", type=int, default=multiprocessing.cpu_count())
    parser.add_argument("--json", type=Path)
    asked = parser.parse_args()
    until = time.monotonic() + asked.minutes * 60 if asked.minutes else None
    if not asked.texts and until is None:
        asked.texts = 5000
    end = asked.seed + asked.texts if asked.texts else None
    shares = [Share(asked.seed + place, asked.processes, end, until) for place in range(asked.processes)]
    tried: Counter[str] = Counter()
    failed: dict[str, list[int]] = {}
    slowest = (0.0, 0)
    with multiprocessing.Pool(asked.processes) as pool:
        for told in pool.imap_unordered(_some, shares):
            tried += told.tried
            slowest = max(slowest, told.slowest)
            for error, seeds in told.failed.items():
                failed.setdefault(error, []).extend(seeds)
    for error, seeds in sorted(failed.items(), key=lambda item: -len(item[1])):
        print(f"{len(seeds)} x, seeds {seeds[:5]}\n{error}", file=sys.stderr)
    total = sum(tried.values())
    print(f"{total:,} texts ({', '.join(f'{name} {count:,}' for name, count in tried.most_common())})")
    print(f"failed: {sum(map(len, failed.values()))}; slowest megabyte: {slowest[0]:.2f} s (seed {slowest[1]})")
    if asked.json:
        asked.json.write_text(
            json.dumps({"texts": total, "failed": sum(map(len, failed.values())), "slowest_megabyte": slowest[0]}, indent=1)
            + "\n"
        )
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
