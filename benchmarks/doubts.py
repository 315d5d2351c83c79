"""What a watched run doubts: in healthy programs by others, which it should leave alone, and in ones broken without a word.

    python benchmarks/doubts.py [--apart] [--most N] [--cases FOLDER ...] [--json FILE] [--list]

*Healthy*: the programs of `programs.py` (the half that is open, or with `--apart` the other) are run plainly and watched;
told are the doubts per program, and how many times as long a watched run takes (start of the sandbox and copy included),
for those that take half a second or more by themselves also apart. *Broken*: cases of the corpus' form whose phase is
`quiet` (FOLDER; `slipped.py --phase quiet` makes some): whether a doubt names a line that is to be changed, first or
among three. Of the apart half only totals are printed.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import statistics
import tempfile
import time
from collections import Counter
from pathlib import Path
from typing import Any

import interpreters
import programs
from programs import side

from jamkey.observe.target import command_target, script_target
from jamkey.runs.doubts import watched
from jamkey.runs.fix_loop import main_jam, run_captured


def healthy(half: str, most: int, listed: bool) -> dict[str, Any]:
    """Watch healthy programs; return the figures."""
    own = [program for program in programs.programs() if side(program.name) == half][:most]
    codes: Counter[str] = Counter()
    counts, ratios, long_ratios = [], [], []
    for program in own:
        with tempfile.TemporaryDirectory(prefix="jamkey-doubts-") as made:
            shutil.copy(program.path, made)
            name = program.path.name
            os.chdir(made)
            begin = time.perf_counter()
            programs.run(programs.python(), made, name)
            plain = time.perf_counter() - begin
            target = script_target(name, [], python=programs.python())
            begin = time.perf_counter()
            found = watched(target, Path(made), limit=120.0).findings
            ratio = (time.perf_counter() - begin) / plain
            os.chdir("/")
        counts.append(len(found))
        codes.update(finding.rule for finding in found)
        (long_ratios if plain >= 0.5 else ratios).append(ratio)
        if listed and half == "open":
            for finding in found:
                print(f"{program.name}:{finding.line} {finding.rule}: {finding.reason}")
    return {
        "programs": len(own),
        "with a doubt": sum(count > 0 for count in counts),
        "doubts": sum(counts),
        "by rule": dict(codes.most_common()),
        "times as long": round(statistics.median(ratios), 1) if ratios else None,
        "times as long, from half a second on": round(statistics.median(long_ratios), 1) if long_ratios else None,
    }


def broken(folders: list[Path], half: str | None, listed: bool) -> dict[str, Any]:
    """Watch programs that are wrong without a word; return the figures, Python's and the other runtimes' apart."""
    counts: dict[str, Counter[str]] = {"python": Counter(), "others": Counter()}
    for folder in folders:
        for told in sorted(folder.glob("*/*/truth.json")):
            truth = json.loads(told.read_text(encoding="utf-8"))
            given = json.loads((told.parent / "cmd.json").read_text(encoding="utf-8"))
            argv = [programs.python() if given["argv"][0] == "-" else given["argv"][0], *given["argv"][1:]]
            if truth["phase"] != "quiet" or shutil.which(argv[0]) is None or not truth.get("root"):
                continue
            wanted = {(root["file"], root["line"]) for root in [truth["root"], *truth.get("root_also", [])]}
            with tempfile.TemporaryDirectory(prefix="jamkey-doubts-") as made:
                project = Path(made) / "project"
                shutil.copytree(told.parent / "src", project)
                os.chdir(project)
                stdin = (given.get("stdin") or "").encode()
                outcome = run_captured(command_target(argv), project, stdin=stdin, limit=60.0, doubts=True)
                os.chdir("/")
            jam = main_jam(outcome)
            places = [(root.file, root.line) for root in jam.roots] if jam is not None else []
            count = counts["python" if told.parent.parent.name == "python" else "others"]
            count["cases"] += 1
            count["first"] += places[:1] != [] and places[0] in wanted
            count["in three"] += any(place in wanted for place in places[:3])
            if listed and half != "apart" and not any(place in wanted for place in places[:3]):
                print(f"{told.parent.name}: wanted {sorted(wanted)}, found {places[:3]}")
    return {name: dict(count) for name, count in counts.items()}


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--apart", action="store_true")
    parser.add_argument("--most", type=int, default=40)
    parser.add_argument("--cases", type=Path, nargs="*", default=[])
    parser.add_argument("--json", type=Path)
    parser.add_argument("--list", action="store_true")
    given = parser.parse_args()
    interpreters.on_path()
    os.environ["MPLBACKEND"] = "Agg"
    half = "apart" if given.apart else "open"
    cases = [folder.resolve() for folder in given.cases]
    report = {"half": half, "healthy": healthy(half, given.most, given.list) if given.most else None}
    report["broken"] = broken(cases, half, given.list)
    for what in ("healthy", "broken"):
        print(what, json.dumps(report[what]))
    if given.json:
        given.json.write_text(json.dumps(report, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
