"""`cells` on 1,000,000 rows x 10 columns: wall time over reading the same file with pandas, and peak memory.

usage: python benchmarks/cells.py [ROWS]

Both run as processes of their own, in this one run; the middle of three.
"""

from __future__ import annotations

import random
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path


def table(path: Path, rows: int) -> None:
    """Write hive weights with an odd cell in a thousand."""
    pick = random.Random(7)
    with open(path, "w", encoding="utf-8") as out:
        out.write("hive,weighed,kilos,gain,frames,rain,wind,healthy,note,yield\n")
        for row in range(rows):
            kilos = f"{20 + pick.random() * 30:.1f}" if row % 1000 else f"{20 + pick.random() * 30:.1f} kg"
            out.write(
                f"hive "
                f"{row % 400},2026-{row % 12 + 1:02d}-{row % 28 + 1:02d},{kilos},{pick.random():.2f},{row % 11},"
                f"{pick.random():.1f},{row % 30},yes,calm,{row % 97}\n"
            )


def timed(words: list[str]) -> tuple[float, float]:
    start = time.perf_counter()
    subprocess.run(words, stdout=subprocess.DEVNULL, check=False)
    return time.perf_counter() - start, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024


def main() -> int:
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hives.csv"
        table(path, rows)
        ours = [timed([sys.executable, "-m", "jamkey", "cells", "--json", str(path)]) for _ in range(3)]
        memory = max(peak for _, peak in ours)
        read = [timed([sys.executable, "-c", f"import pandas; pandas.read_csv({str(path)!r})"])[0] for _ in range(3)]
    mine, plain = statistics.median(seconds for seconds, _ in ours), statistics.median(read)
    print(f"{rows:,} rows: cells {mine:.2f} s, pandas {plain:.2f} s, ratio {mine / plain:.2f}; peak memory {memory:.0f} MB")
    return 0


if __name__ == "__main__":
    sys.exit(main())
