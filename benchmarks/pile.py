"""Piles of logs with a known answer, and how fast they are read.

    python benchmarks/pile.py --make FOLDER --size 1G --sparse     writes logs and `truth.json` beside them
    python benchmarks/pile.py --size 200M                          measures: sparse and dense, beside a plain search

All is invented. The measure is a ratio within one run: the wall time of `jamkey pile` over that of a plain fixed-string search
of Python over the same mapped file with one pattern; bytes a second for the dense one; memory as the sum over all processes.
"""

from __future__ import annotations

import argparse
import json
import mmap
import os
import random
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path

import psutil

#: Lines between two failures.
EVERY = {"sparse": 2000, "dense": 20}
_UNITS = {"K": 1 << 10, "M": 1 << 20, "G": 1 << 30}
_BLOCK = 2000
_PLACES = ("oak", "willow", "brook", "north", "heath")

#: Lines of one failure each; `{n}` is another number every time, `{p}` a place. The last names what it is: type, own line.
FAILURES: tuple[tuple[str, tuple[str, str, int]], ...] = (
    (
        "Traceback (most recent call last):\n"
        '  File "/srv/apiary/weigh.py", line 41, in <module>\n    main()\n'
        '  File "/srv/apiary/weigh.py", line 33, in main\n    gain = weekly(read(place))\n'
        '  File "/srv/apiary/weigh.py", line 12, in read\n    return [float(cell) for cell in row]\n'
        "ValueError: could not convert string to float: '{n},5'\n",
        ("ValueError", "weigh.py", 12),
    ),
    (
        "Traceback (most recent call last):\n"
        '  File "/srv/apiary/harvest.py", line 58, in <module>\n    print(jars(yields, {p!r}))\n'
        '  File "/srv/apiary/harvest.py", line 27, in jars\n    return yields[place] // SIZE\n'
        "           ~~~~~~^^^^^^^\n"
        "KeyError: '{p}'\n",
        ("KeyError", "harvest.py", 27),
    ),
    (
        "Traceback (most recent call last):\n"
        '  File "/srv/apiary/queens.py", line 19, in <module>\n    oldest(hives[1:])\n'
        '  File "/srv/apiary/queens.py", line 8, in oldest\n    return found[0]\n'
        "           ~~~~~^^^\n"
        "IndexError: list index out of range\n",
        ("IndexError", "queens.py", 8),
    ),
    (
        "Traceback (most recent call last):\n"
        '  File "/srv/apiary/report.py", line 7, in mean\n    return total / count\n'
        "           ~~~~~~^~~~~~~\n"
        "ZeroDivisionError: division by zero\n\n"
        "During handling of the above exception, another exception occurred:\n\n"
        "Traceback (most recent call last):\n"
        '  File "/srv/apiary/report.py", line 31, in <module>\n    write(mean(0, 0))\n'
        '  File "/srv/apiary/report.py", line 10, in mean\n    raise RuntimeError(text)\n'
        "RuntimeError: no weighings of hive {n}\n",
        ("RuntimeError", "report.py", 10),
    ),
    (
        'Exception in thread "main" java.lang.ArrayIndexOutOfBoundsException: Index {n} out of bounds for length 12\n'
        "\tat Frames.heaviest(Frames.java:14)\n\tat Frames.main(Frames.java:22)\n",
        ("java.lang.ArrayIndexOutOfBoundsException", "Frames.java", 14),
    ),
)


def make(folder: Path, size: int, form: str, *, files: int = 1, seed: int = 7) -> dict[str, object]:
    """Write logs of so many bytes in all, and return the true answer, which is written as `truth.json` too.

    Args:
        folder: made when it is not there.
        size: bytes of all logs.
        form: sparse or dense.
        files: so many logs.
        seed: of the random choices.
    """
    folder.mkdir(parents=True, exist_ok=True)
    dice = random.Random(seed)
    families: Counter[tuple[str, str, int]] = Counter()
    first: dict[tuple[str, str, int], str] = {}
    last: dict[tuple[str, str, int], str] = {}
    minute = 0
    written = 0
    blocks = [_block(dice, form, EVERY[form]) for _ in range(16)]
    names = []
    for number in range(files):
        name = f"night-{number:03}.log"
        names.append(name)
        with open(folder / name, "wb") as out:
            while written < size * (number + 1) // files:
                text, met = blocks[dice.randrange(len(blocks))]
                stamp = time.strftime("%Y-%m-%d %H:%M", time.gmtime(1_930_000_000 + 60 * minute))
                for what, second in met:
                    families[what] += 1
                    told = f"{stamp}:{second:02}"
                    first.setdefault(what, told)
                    last[what] = told
                data = text.replace(b"@MINUTE@", stamp.encode()).replace(b"@NUMBER@", b"%d" % dice.randrange(10, 99_999))
                out.write(data)
                written += len(data)
                minute += 1
    truth: dict[str, object] = {
        "bytes": written,
        "failures": families.total(),
        "files": names,
        "families": [
            {"exception_type": kind, "file": file, "line": line, "count": count, "first": first[what], "last": last[what]}
            for what, count in families.most_common()
            for kind, file, line in [what]
        ],
    }
    (folder / "truth.json").write_text(json.dumps(truth, indent=1) + "\n", encoding="utf-8")
    return truth


def _block(dice: random.Random, form: str, every: int) -> tuple[bytes, list[tuple[tuple[str, str, int], int]]]:
    """Return the lines of one minute, with what failed in which second."""
    lines: list[str] = []
    met: list[tuple[tuple[str, str, int], int]] = []
    for number in range(_BLOCK):
        second = number * 60 // _BLOCK
        head = f"@MINUTE@:{second:02},{dice.randrange(1000):03}"
        place = dice.choice(_PLACES)
        if number % every == every // 2:
            text, what = dice.choice(FAILURES)
            lines.append(f"{head} ERROR apiary.jobs: step failed for {place}\n")
            lines.append(text.replace("{n}", "@NUMBER@").replace("{p!r}", repr(place)).replace("{p}", place))
            met.append((what, second))
        lines.append(
            dice.choice(
                (
                    f"{head} INFO apiary.scale: {place} reading {dice.uniform(8, 60):.2f} kg kept in {dice.randrange(90)} ms\n",
                    f"{head} DEBUG apiary.cache: hit for {place} ({dice.randrange(900)} rows)\n",
                    f"{head} WARNING apiary.radio: {place} answered late ({dice.randrange(9000)} ms), trying again\n",
                    f"{head} ERROR apiary.scale: {place} gave no reading (no exception, sensor asleep)\n",
                )
            )
        )
    return "".join(lines).encode(), met


def _search(file: Path) -> float:
    """Return the seconds of a plain search for one text that is not there, the best of three."""
    best = float("inf")
    for _ in range(3):
        with open(file, "rb") as raw, mmap.mmap(raw.fileno(), 0, access=mmap.ACCESS_READ) as data:
            begin = time.perf_counter()
            assert data.find(b"Traceback (most recent calls last)") < 0
            best = min(best, time.perf_counter() - begin)
    return best


def _pile(folder: Path, workers: int) -> tuple[float, float, dict[str, object]]:
    """Return seconds, megabytes of all its processes at the most, and the answer."""
    top = 0.0
    ended = threading.Event()
    call = [sys.executable, "-m", "jamkey", "pile", str(folder), "--json", "--workers", str(workers), "--no-keep"]
    begin = time.perf_counter()
    done = subprocess.Popen(call, stdout=subprocess.PIPE, cwd=folder)

    def watch() -> None:
        nonlocal top
        while not ended.wait(0.05):
            try:
                root = psutil.Process(done.pid)
                used = sum(one.memory_full_info().uss for one in (root, *root.children(recursive=True)))
                top = max(top, used / 1e6)
            except psutil.Error:
                continue

    watcher = threading.Thread(target=watch)
    watcher.start()
    out, _ = done.communicate()
    seconds = time.perf_counter() - begin
    ended.set()
    watcher.join()
    answer: dict[str, object] = json.loads(out)
    return seconds, top, answer


def right(answer: dict[str, object], truth: dict[str, object]) -> bool:
    """Tell whether an answer's families are the true ones, with their counts and times."""
    told = {
        (
            family["exception_type"],
            family["count"],
            family["first"][:19].replace("T", " "),
            family["last"][:19].replace("T", " "),
        )
        for family in answer["families"]  # type: ignore[attr-defined]
    }
    wanted = {
        (family["exception_type"], family["count"], family["first"], family["last"])
        for family in truth["families"]  # type: ignore[attr-defined]
    }
    return told == wanted and answer["failures"] == truth["failures"]


def measure(size: int, forms: list[str]) -> list[dict[str, object]]:
    """Make piles in a folder of their own, read them, and return a row for each."""
    rows: list[dict[str, object]] = []
    for form in forms:
        folder = Path(tempfile.mkdtemp(prefix="pile-"))
        try:
            truth = make(folder, size, form)
            log = folder / "night-000.log"
            plain = _search(log)
            one, _, _ = _pile(folder, 1)
            two, memory, answer = _pile(folder, 2)
            rows.append(
                {
                    "pile": form,
                    "MB": round(os.path.getsize(log) / 1e6),
                    "failures": truth["failures"],
                    "right": right(answer, truth),
                    "plain search s": round(plain, 2),
                    "one process s": round(one, 2),
                    "two processes s": round(two, 2),
                    "over plain search": round(two / plain, 1),
                    "MB a second": round(os.path.getsize(log) / 1e6 / two, 1),
                    "two over one": round(one / two, 2),
                    "memory MB": round(memory),
                }
            )
        finally:
            shutil.rmtree(folder, ignore_errors=True)
    return rows


def _size(text: str) -> int:
    return int(float(text[:-1]) * _UNITS[text[-1]]) if text[-1:] in _UNITS else int(text)


def main() -> None:
    """Make a pile, or measure."""
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("--make", metavar="FOLDER", type=Path, help="only write a pile there")
    options.add_argument("--size", type=_size, default=_size("200M"), help="bytes, such as 200M or 1G")
    options.add_argument("--files", type=int, default=1, help="so many logs")
    form = options.add_mutually_exclusive_group()
    form.add_argument("--sparse", action="store_true", help="a failure in 2,000 lines")
    form.add_argument("--dense", action="store_true", help="a failure in 20 lines")
    options.add_argument("--json", action="store_true")
    chosen = options.parse_args()
    forms = ["dense"] if chosen.dense else ["sparse"] if chosen.sparse else ["sparse", "dense"]
    if chosen.make:
        truth = make(chosen.make, chosen.size, forms[0], files=chosen.files)
        print(f"{truth['bytes']:,} bytes, {truth['failures']:,} failures: {chosen.make}")
        return
    rows = measure(chosen.size, forms)
    if chosen.json:
        print(json.dumps(rows, indent=1))
        return
    for row in rows:
        print("  ".join(f"{name} {value}" for name, value in row.items()))


if __name__ == "__main__":
    main()
