"""What `jamkey run` costs over the plain interpreter, as ratios within one run.

usage: python benchmarks/overhead.py [--rounds N] [--python PATH] [--out FILE]

Rounds of plain and watched runs alternate; the median of each is compared. The interpreter measured is the real one,
not a shim. `import jamkey` is compared with an empty start of the same interpreter.
"""

from __future__ import annotations

import argparse
import compileall
import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import jamkey

SCRIPTS = {
    "healthy, empty": "",
    "healthy, one second": "import time\nend = time.perf_counter() + 1.0\nn = 0\nwhile time.perf_counter() < "
    "end:\n    n += 1\n",
    "crash, small": (
        "WEIGHTS = {'north': [31.2, 32.0], 'oak': [28.9, 28.1]}\n\n\ndef gain(weights):\n    total = 0.0\n"
        "    for before, after in zip(weights, weights[1:]):\n        total += after - before\n    return totl\n\n\n"
        "for hive in WEIGHTS:\n    print(hive, gain(WEIGHTS[hive]))\n"
    ),
}
_WORK = "import time\nend = time.perf_counter() + 2.0\nwhile time.perf_counter() < end:\n    pass\n"
#: Broken scripts that `jamkey fix --yes` mends: the text, and how many runs of it the mending is compared with.
MENDED = {
    "fix, one bug, two seconds": (_WORK + "weights = [31.2, 32.0]\nprint(sum(weigths))\n", 1),
    "fix, four jams in a row": (
        _WORK.replace("2.0", "0.5") + "weights = [31.2, 32.0]\ntotal = sum(weigths)\nprint('mean: ' + total / "
        "len(weights))\nprint(math.ceil(total))\nprint(weights[2])\n",
        4,
    ),
}
BARS = {
    "fix, one bug, two seconds": 4.0,
    "fix, four jams in a row": 4.0,
    "healthy, empty": 3.0,
    "healthy, one second": 1.05,
    "crash, small": 10.0,
    "import jamkey": 3.0,
}


def timed(command: list[str], folder: str) -> float:
    start = time.perf_counter()
    subprocess.run(command, cwd=folder, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    return time.perf_counter() - start


def compare(plain: list[str], watched: list[str], folder: str, rounds: int) -> dict[str, float]:
    first, second = [], []
    for command in (plain, watched):
        timed(command, folder)  # caches warm
    for _ in range(rounds):
        first.append(timed(plain, folder))
        second.append(timed(watched, folder))
    base, cost = statistics.median(first), statistics.median(second)
    return {"plain_seconds": round(base, 4), "watched_seconds": round(cost, 4), "ratio": round(cost / base, 3)}


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=15)
    parser.add_argument("--python", default=sys.executable, help="interpreter of the scripts")
    parser.add_argument("--out", type=Path, default=Path("benchmarks/results/overhead.json"))
    options = parser.parse_args()
    # as installed by pip, which compiles: an editable checkout may have no byte code yet
    compileall.compile_dir(str(Path(jamkey.__file__).parent), quiet=2)
    report: dict[str, dict[str, float]] = {}
    command = [str(Path(sys.executable).parent / "jamkey"), "run", "--python", options.python]
    with tempfile.TemporaryDirectory() as folder:
        for name, text in SCRIPTS.items():
            Path(folder, "hives.py").write_text(text, encoding="utf-8")
            rounds = max(options.rounds // 3, 3) if "second" in name else options.rounds
            report[name] = compare([options.python, "hives.py"], [*command, "hives.py"], folder, rounds)
        for name, (text, runs) in MENDED.items():
            plain, mended = [], []
            for _ in range(3):
                Path(folder, "hives.py").write_text(text, encoding="utf-8")
                plain.append(runs * timed([options.python, "hives.py"], folder))
                mended.append(timed([*command[:1], "fix", "--yes", "--python", options.python, "hives.py"], folder))
                if (
                    timed([options.python, "hives.py"], folder)
                    and subprocess.run([options.python, "hives.py"], cwd=folder).returncode
                ):
                    print(f"{name}: not mended", file=sys.stderr)
            base, cost = statistics.median(plain), statistics.median(mended)
            report[name] = {"plain_seconds": round(base, 4), "watched_seconds": round(cost, 4), "ratio": round(cost / base, 3)}
        report["import jamkey"] = compare(
            [sys.executable, "-c", ""], [sys.executable, "-c", "import jamkey"], folder, options.rounds
        )
    print(f"{'':28}{'plain':>10}{'jamkey':>10}{'ratio':>8}{'bar':>8}")
    for name, row in report.items():
        print(f"{name:28}{row['plain_seconds']:9.4f}s{row['watched_seconds']:9.4f}s{row['ratio']:8.2f}{BARS[name]:8.2f}")
    options.out.parent.mkdir(parents=True, exist_ok=True)
    options.out.write_text(json.dumps(report, indent=1), encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
