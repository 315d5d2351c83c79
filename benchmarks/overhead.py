"""What `jamkey run` costs over the plain interpreter, as ratios within one run.

usage: python benchmarks/overhead.py [--rounds N] [--python PATH] [--against JAMKEY] [--old-start] [--out FILE]

Rounds of plain and watched runs alternate; the median of each is compared. The interpreter measured is the real one,
not a shim. `import jamkey` is compared with an empty start of the same interpreter. `--against` takes the command of
another version, which then runs in the same rounds; `--old-start` starts both by the script that an older pip wrote.
"""

from __future__ import annotations

import argparse
import compileall
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

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


def compare(plain: list[str], watched: list[str], against: list[str], folder: str, rounds: int) -> dict[str, float]:
    """Return the medians of commands that alternate; the third may be empty."""
    commands = [command for command in (plain, watched, against) if command]
    for command in commands:
        timed(command, folder)  # caches warm
    times = [[timed(command, folder) for command in commands] for _ in range(rounds)]
    base, cost, *other = (statistics.median(column) for column in zip(*times, strict=True))
    row = {"plain_seconds": round(base, 4), "watched_seconds": round(cost, 4), "ratio": round(cost / base, 3)}
    return {**row, "against_seconds": round(other[0], 4), "to_against": round(cost / other[0], 3)} if other else row


def compiled(jamkey: str) -> str:
    """Compile a command's package, as pip does when it installs; return the interpreter that it runs on."""
    interpreter = Path(jamkey).read_text(encoding="utf-8").split("\n", 1)[0].removeprefix("#!")
    where = subprocess.run(
        [interpreter, "-c", "import jamkey; print(jamkey.__path__[0])"], capture_output=True, text=True, check=True
    ).stdout.strip()
    compileall.compile_dir(where, quiet=2)
    return interpreter


def old_start(jamkey: str, folder: str, name: str) -> str:
    """Write the start script of an older pip, which loads `re`; return its path."""
    path = Path(folder, name)
    path.write_text(
        f"#!{compiled(jamkey)}\n# -*- coding: utf-8 -*-\nimport re\nimport sys\nfrom jamkey.__main__ import main\n"
        "if __name__ == '__main__':\n    sys.argv[0] = re.sub(r'(-script\\.pyw|\\.exe)?$', '', sys.argv[0])\n"
        "    sys.exit(main())\n",
        encoding="utf-8",
    )
    path.chmod(0o755)
    return str(path)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=15)
    parser.add_argument("--python", default=sys.executable, help="interpreter of the scripts")
    parser.add_argument("--against", help="the command of another version")
    parser.add_argument("--old-start", action="store_true", help="started by the script of an older pip")
    parser.add_argument("--out", type=Path, default=Path("benchmarks/results/overhead.json"))
    options = parser.parse_args()
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    # as installed by pip, which compiles: an editable checkout may have no byte code yet
    programs = [str(Path(sys.executable).parent / "jamkey"), *([options.against] if options.against else [])]
    for program in programs:
        compiled(program)
    report: dict[str, dict[str, float]] = {}
    with tempfile.TemporaryDirectory() as starts, tempfile.TemporaryDirectory() as folder:
        if options.old_start:
            programs = [old_start(program, starts, f"jamkey{number}") for number, program in enumerate(programs)]
        words = ["run", "--python", options.python, "hives.py"]
        for name, text in SCRIPTS.items():
            Path(folder, "hives.py").write_text(text, encoding="utf-8")
            rounds = max(options.rounds // 3, 3) if "second" in name else options.rounds
            own, other = [programs[0], *words], [programs[1], *words] if options.against else []
            report[name] = compare([options.python, "hives.py"], own, other, folder, rounds)
        for name, (text, runs) in MENDED.items():
            plain, mended = [], []
            for _ in range(3):
                Path(folder, "hives.py").write_text(text, encoding="utf-8")
                plain.append(runs * timed([options.python, "hives.py"], folder))
                mended.append(timed([programs[0], "fix", "--yes", "--python", options.python, "hives.py"], folder))
                if (
                    timed([options.python, "hives.py"], folder)
                    and subprocess.run([options.python, "hives.py"], cwd=folder).returncode
                ):
                    print(f"{name}: not mended", file=sys.stderr)
            base, cost = statistics.median(plain), statistics.median(mended)
            report[name] = {"plain_seconds": round(base, 4), "watched_seconds": round(cost, 4), "ratio": round(cost / base, 3)}
        report["import jamkey"] = compare(
            [sys.executable, "-c", ""], [sys.executable, "-c", "import jamkey"], [], folder, options.rounds
        )
    print(f"{'':28}{'plain':>10}{'jamkey':>10}{'ratio':>8}{'bar':>8}{'against':>10}{'to it':>8}")
    for name, row in report.items():
        line = f"{name:28}{row['plain_seconds']:9.4f}s{row['watched_seconds']:9.4f}s{row['ratio']:8.2f}{BARS[name]:8.2f}"
        print(line + (f"{row['against_seconds']:9.4f}s{row['to_against']:8.2f}" if "to_against" in row else ""))
    options.out.parent.mkdir(parents=True, exist_ok=True)
    options.out.write_text(json.dumps(report, indent=1), encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
