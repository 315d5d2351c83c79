"""How many of a log's traces are found and read, by the way they stand in it.

usage: python benchmarks/pile.py FOLDER

FOLDER holds pile.log and pile-truth.json: several hundred traces among other lines (see the corpus' FORMAT.md). A
trace counts as found when a failure begins on one of its lines, and its type, message and snag count when they are
the true ones. Equal failures are counted once in what `read` returns; here they are compared before that. The time is
that of `read` and `diagnose` of all."""

from __future__ import annotations

import json
import sys
import time
from collections import defaultdict
from pathlib import Path

from jamkey.follow.frames import locate
from jamkey.follow.sources import Sources
from jamkey.pipeline import read
from jamkey.readers import python as reader
from jamkey.settings import Settings
from jamkey.text import decode


def main() -> int:
    folder = Path(sys.argv[1])
    truth = json.loads((folder / "pile-truth.json").read_text(encoding="utf-8"))
    text = decode((folder / "pile.log").read_bytes())
    start = time.perf_counter()
    jams = read(text)
    seconds = time.perf_counter() - start
    counted = sum(jam.count for jam in jams)
    reader._counted = list
    jams = [locate(jam, Sources(), Settings()) for jam in read(text)]
    rows: dict[str, list[int]] = defaultdict(lambda: [0] * 5)
    for trace in truth["traces"]:
        here = [jam for jam in jams if trace["first_line"] <= (jam.first_line or 0) <= trace["last_line"]]
        right = [jam for jam in here if jam.exception_type == trace["exception_type"]]
        said = [jam for jam in right if trace["message"] is None or jam.message == trace["message"]]
        snag = trace["snag"]
        placed = [
            jam
            for jam in right
            if jam.snag_frame is not None and jam.snag_frame.line == snag["line"] and jam.snag_frame.file.endswith(snag["file"])
        ]
        for name in (trace["form"], "all"):
            for place, fits in enumerate((True, here, right, said, placed)):
                rows[name][place] += bool(fits)
    print(f"{'form':14}{'traces':>8}{'found':>8}{'type':>8}{'message':>9}{'snag':>8}")
    for name in [*sorted(set(rows) - {"all"}), "all"]:
        total, *parts = rows[name]
        print(f"{name:14}{total:8}" + "".join(f"{part:{width}}" for part, width in zip(parts, (8, 8, 9, 8), strict=True)))
    print(f"{len(text) / 1e6:.1f} MB read in {seconds:.2f} s; {counted} failures in all")
    return 0


if __name__ == "__main__":
    sys.exit(main())
