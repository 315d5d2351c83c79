"""Say how good the table is by which what runs is ranked after its trial, and a learned one; write that when asked.

    python benchmarks/learn_outputs.py [--corpus FOLDER ...] [--seen FILE] [--most N] [--patience S] [--write] [--json FILE]

Every case is mended on a copy as `fix` does it, and each edit with which it runs is kept: how likely it was before
its trial, what the output says (`search/outputs.py`), and whether it prints what the mended program prints. The
weights make the right output the likeliest (a conditional logit over all that ran for one failure). Half of the cases
teach and the other half judges, and the other way round. What is shipped was set by hand.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import pickle
import random
import shutil
import tempfile
import warnings
import zlib
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import logit
import msgspec
import numpy as np
from learn import half_of, own_command

import jamkey.follow.likely as likely
from jamkey.errors import JamkeyError
from jamkey.runs.fix_loop import main_jam, tried
from jamkey.search import by_trial, weights
from jamkey.search.outputs import Output, beside_others, features, weigh
from jamkey.search.runners import Tried, output_of
from jamkey.settings import load

ROOT = Path(__file__).parent.parent
TABLE = ROOT / "src" / "jamkey" / "search" / "outputs.json"
#: How firmly weights are drawn to those that stand: so few cases tell them apart.
_STRENGTH = 3.0


class Seen(NamedTuple):
    """One case: what ran, and whether each printed what it should."""

    name: str
    runtime: str
    half: str
    outputs: list[Output]
    right: list[bool]


def printed_when_mended(folder: Path) -> str | None:
    """Return what the mended program prints; None when it does not run here."""
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    if "fixed_stdout" in truth:
        return str(truth["fixed_stdout"])
    with tempfile.TemporaryDirectory(prefix="jamkey-learn-") as made:
        project = Path(made) / "project"
        shutil.copytree(folder / "src", project)
        shutil.copytree(folder / "fixed", project, dirs_exist_ok=True)
        found = own_command(folder, project)
    ended = found[1].ended if found is not None and found[1].status == 0 else None
    return ended.stdout.decode("utf-8", "replace") if ended is not None else None


def look(folder: Path, patience: float) -> Seen | None:
    """Mend one case and keep all that ran."""
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    if truth["phase"] != "run" or truth.get("how") == "stand-in" or not (folder / "fixed").is_dir():
        return None
    wanted = printed_when_mended(folder)
    if wanted is None:
        return None
    kept: list[Output] = []
    judged = by_trial._judged

    def noted(bench: object, running: Sequence[Tried], *rest: object) -> object:
        first = bench.first.stdout.decode("utf-8", "replace")  # type: ignore[attr-defined]
        kept.extend(output_of(item, first) for item in running)
        return judged(bench, running, *rest)  # type: ignore[arg-type]

    by_trial._judged = noted  # type: ignore[assignment]
    try:
        with tempfile.TemporaryDirectory(prefix="jamkey-learn-") as made:
            project = Path(made) / "project"
            shutil.copytree(folder / "src", project)
            with contextlib.chdir(project):
                found = own_command(folder, project)
            jam = main_jam(found[1]) if found is not None else None
            if found is None or jam is None or jam.snag is None:
                return None
            target, outcome = found
            tried(outcome, target, jam, settings=msgspec.structs.replace(load(project), patience=patience))
    except (JamkeyError, OSError):
        return None
    finally:
        by_trial._judged = judged
    right = ["".join(item.stdout.split()) == "".join(wanted.split()) for item in kept]
    return Seen(folder.name, truth["runtime"], half_of(truth["id"]), kept, right)


def fit(cases: Sequence[Seen], before: dict[str, float]) -> dict[str, float]:
    """Return the weights that make the right outputs likeliest, or that none is right where none is; drawn to those before."""
    told = [[*(features(item) for item in beside_others(case.outputs)), {"none": 1.0}] for case in cases]
    names = sorted({name for rows in told for row in rows for name in row} | set(before))
    start = np.array([before.get(name, 0.0) for name in names])
    number = {name: place for place, name in enumerate(names)}
    matrix = np.array([[row.get(name, 0.0) for name in number] for rows in told for row in rows])
    group = np.repeat(np.arange(len(told)), [len(rows) for rows in told])
    right = np.concatenate([np.array([*case.right, not any(case.right)], dtype=float) for case in cases])
    found = logit.fit(matrix, group, right, counts=np.ones(len(told)), strength=_STRENGTH, start=start)
    return {name: float(f"{found[place]:.3g}") for name, place in number.items() if abs(found[place]) >= 0.01}


def usual(cases: Sequence[Seen], table: dict[str, float]) -> float:
    """Return what the output alone adds for a right edit, in the mean."""
    added = [
        weigh(item, table) - table.get("score", 0.0) * item.score
        for case in cases
        for item, right in zip(case.outputs, case.right, strict=True)
        if right
    ]
    return round(float(np.mean(added)), 3) if added else 0.0


def shares(cases: Sequence[Seen], table: dict[str, float]) -> tuple[int, int, int]:
    """Return in how many cases what is right ran, stood first, and among the first three outputs."""
    there = first = three = 0
    for case in cases:
        ranked = by_trial.ranked_outputs(case.outputs, table)
        good = [any(case.right[place] for place in places) for places in ranked]
        there += any(good)
        first += good[:1] == [True]
        three += any(good[:3])
    return there, first, three


def main() -> None:
    """Learn on one half, judge on the other, and the other way round; write the table when asked."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("--corpus", type=Path, nargs="*", default=[ROOT / "tests" / "corpus"])
    parser.add_argument("--new", type=Path, help="only the cases that this file lists")
    parser.add_argument("--most", type=int, default=200)
    parser.add_argument("--patience", type=float, default=8.0)
    parser.add_argument("--seen", type=Path, help="keep what ran in this file, and go on from it")
    parser.add_argument("--roots", type=Path, nargs=2, metavar=("OPEN", "APART"), help="roots' tables that each half taught")
    parser.add_argument("--weights", type=Path, nargs=2, metavar=("OPEN", "APART"), help="the same of the edits")
    parser.add_argument("--write", action="store_true")
    parser.add_argument("--json", type=Path)
    asked = parser.parse_args()
    warnings.simplefilter("ignore")
    folders = sorted(truth.parent for corpus in asked.corpus for truth in corpus.glob("*/*/truth.json"))
    if asked.new:
        listed = set(asked.new.read_text(encoding="utf-8").split())
        folders = [folder for folder in folders if listed & {folder.name, f"{folder.parent.name}/{folder.name}"}]
    random.Random(zlib.crc32(b"outputs")).shuffle(folders)
    seen: dict[str, Seen | None] = pickle.loads(asked.seen.read_bytes()) if asked.seen and asked.seen.exists() else {}
    halves = ("open", "apart")
    for folder in folders[: asked.most]:
        if folder.name in seen:
            continue
        other = 1 if half_of(json.loads((folder / "truth.json").read_text(encoding="utf-8"))["id"]) == halves[0] else 0
        if asked.roots:
            roots = json.loads(asked.roots[other].read_text(encoding="utf-8"))["weights"]
            likely._weights = lambda runtime, roots=roots: roots.get(runtime, roots["all"])  # type: ignore[assignment, misc]
        if asked.weights:
            table = json.loads(asked.weights[other].read_text(encoding="utf-8"))
            weights._table = lambda table=table: table  # type: ignore[assignment, misc]
        seen[folder.name] = look(folder, asked.patience)
        if asked.seen:
            asked.seen.write_bytes(pickle.dumps(seen))
    cases = [case for case in seen.values() if case is not None and case.outputs]
    before = json.loads(TABLE.read_text(encoding="utf-8"))["weights"]
    rows = []
    for taught, judged in ((0, 1), (1, 0)):
        teaching = [case for case in cases if case.half == halves[taught]]
        table = fit(teaching, before) if teaching else before
        for runtime in ("python", "others"):
            own = [
                case for case in cases if case.half == halves[judged] and (case.runtime == "python") == (runtime == "python")
            ]
            there, first, three = shares(own, table)
            row = {"judged": halves[judged], "runtime": runtime, "n": len(own), "there": there, "first": first, "three": three}
            rows.append({**row, "before": shares(own, before)[1:]})
            print("  ".join(f"{key} {value}" for key, value in rows[-1].items()))
    if asked.write:
        table = fit(cases, before)
        made = {"cases": len(cases), "usual": usual(cases, table), "weights": table}
        TABLE.write_text(json.dumps(made, indent=0, sort_keys=True) + "\n", encoding="utf-8")
    if asked.json:
        asked.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
