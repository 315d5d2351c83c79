"""What the journal costs: `jamkey tally` over 10,000 readings, against the start of its libraries, and the size of a page.

usage: python benchmarks/journal.py [--readings N] [--rounds N]

Invented readings are written to a journal in a scratch folder. The time of the command is compared with an interpreter that
only loads the libraries which the command needs; both medians of alternating rounds.
"""

from __future__ import annotations

import argparse
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

KINDS = ("missing-value", "unknown-name", "wrong-type", "no-such-key", "index-out-of-range", "file-access", "broken-syntax")
TABLE = "import click, msgspec, rich.console, rich.table, sqlite3, statistics, json"
PLOT = TABLE + ", matplotlib.figure, matplotlib.backends.backend_agg"


def fill(state: Path, count: int) -> None:
    from jamkey.journal.kept import Reading
    from jamkey.journal.store import Journal

    random.seed(1)
    now = time.time()
    times = sorted(now - random.random() * 300 * 86_400 for _ in range(count))
    rows = [
        Reading(
            time=when,
            folder="/apiary",
            target=f"python\0{random.randrange(40)}.py",
            door="run",
            runtime="python",
            kind=(kind := random.choice(KINDS)),
            type="TypeError",
            headline="TypeError: invented",
            file=f"hive{random.randrange(60)}.py",
            line=random.randrange(1, 300),
            advice=f"advice on {kind}",
            ended=when + random.lognormvariate(5, 1) if random.random() < 0.8 else None,
        )
        for when in times
    ]
    with Journal(state / "journal.sqlite") as journal:
        journal.add(rows, None)


def timed(command: list[str], env: dict[str, str]) -> float:
    start = time.perf_counter()
    subprocess.run(command, env=env, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - start


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--readings", type=int, default=10_000)
    parser.add_argument("--rounds", type=int, default=7)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        env = {**os.environ, "JAMKEY_STATE": name}
        fill(folder, options.readings)
        command = [str(Path(sys.executable).parent / "jamkey"), "tally"]
        print(f"{'':34}{'libraries':>11}{'tally':>10}{'beyond':>10}")
        for label, imports, words in (
            ("table", TABLE, []),
            ("by file, CSV", TABLE, ["--by", "file", "--save", f"{name}/t.csv"]),
            ("plot", PLOT, ["--save", f"{name}/t.png"]),
        ):
            plain, whole = [], []
            for _ in range(options.rounds):
                plain.append(timed([sys.executable, "-c", imports], env))
                whole.append(timed([*command, *words], env))
            base, cost = statistics.median(plain), statistics.median(whole)
            print(f"{f'{options.readings:,} readings, {label}':34}{base:10.2f}s{cost:9.2f}s{cost - base:9.2f}s")
        size = (folder / "journal.sqlite").stat().st_size
        print(f"journal: {size / 1e6:.1f} MB")
        apiary = folder / "apiary"
        subprocess.run([command[0], "demo", "--bare", "--folder", str(apiary)], env=env, check=True)
        for script in sorted(apiary.glob("[1-7]_*.py")):
            subprocess.run(
                [command[0], "run", "--save", "page.html", script.name], cwd=apiary, env=env, capture_output=True, check=False
            )
            print(f"page of {script.name}: {(apiary / 'page.html').stat().st_size / 1000:.0f} KB")
    return 0


if __name__ == "__main__":
    sys.exit(main())
