"""`trail` of one name over the plain run, on a loop-heavy script.

usage: python benchmarks/trail.py [PYTHON ...]

Each interpreter runs the script plain and under the recorder in this one run; the middle of three.
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SCRIPT = """
def weigh(hive, day):
    kilos = 20.0
    for step in range(40):
        kilos = kilos + (hive * 7 + day * 3 + step) % 11 * 0.01
    return kilos


def season(days):
    best = 0.0
    for day in range(days):
        for hive in range(60):
            kilos = weigh(hive, day)
            if kilos > best:
                best = kilos
    return best


print(season(700))
"""


def timed(words: list[str], folder: str) -> float:
    start = time.perf_counter()
    subprocess.run(words, cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True)
    return time.perf_counter() - start


def main() -> int:
    for python in sys.argv[1:] or [sys.executable]:
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "season.py").write_text(SCRIPT, encoding="utf-8")
            plain = statistics.median(timed([python, "season.py"], folder) for _ in range(3))
            ours = statistics.median(
                timed([sys.executable, "-m", "jamkey", "trail", "--python", python, "season.py", "best"], folder)
                for _ in range(3)
            )
        print(f"{python}: plain {plain:.2f} s, trail {ours:.2f} s, ratio {ours / plain:.2f}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
