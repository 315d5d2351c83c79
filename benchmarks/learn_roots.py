"""Write the table by which places on the way are ranked as roots, and say how good it is where it was not learned.

    python benchmarks/learn_roots.py [--corpus FOLDER ...] [--table FILE] [--by open|apart|all] [--json FILE] [--strength X]

For every case with a place to change, each place on the way has features (how it was reached, how far, what stands there,
what the kind says); the weights make the true one the likeliest (a conditional logit, drawn towards what is known
beforehand, mostly nothing). Half of the cases, told apart by a sum over their names, teach; the other half judges. `--by all`
teaches by both, for the table that is shipped, once it has been judged; `--by open` and `--by apart` are for what is to be
judged on the other half.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
import re
import warnings
import zlib
from collections import Counter
from pathlib import Path
from typing import NamedTuple

import logit
import numpy as np
from learn import half_of
from scipy.sparse import csr_matrix

import jamkey.follow.likely as likely
from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read
from jamkey.text import decode

ROOT = Path(__file__).parent.parent
#: A feature that fewer cases have is left out.
LEAST = 3
#: What a slip and an older case count when weights are learned.
_SLIP, _OLD = 0.2, 0.5
#: What the table that all cases taught counts in that of Python, whose cases and slips are many, and in that of the others.
_SHARED = {"python": 0.2, "others": 0.4}
#: What is known before any case is seen, of evidence that is too seldom for so few cases: the weights are drawn there
#: and not to zero. What has not run is no cause; what is not awaited, handed on uncalled or warned of is. Each is right
#: in three or more unrelated programs; those that were not are gone.
_BEFORE = {
    "not yet never": -3.0,
    "not yet now": -1.0,
    "not awaited": 1.5,
    "makes told type that is no data": 1.0,
    "hands on what is not called": 1.0,
    "warned": 1.5,
    "nearly told": 0.5,
    "also cause": 0.5,
    "writes what was met": 0.7,
    "snag misspelt": 1.5,
}
#: Parts of the programs, each of which is judged by what the others taught.
_PARTS = 5
#: Versions of one program.
_VERSION = re.compile(r"-py\d+$")


class Seen(NamedTuple):
    """One case: the features of each place, which of them are right, what the kind alone would say."""

    name: str
    runtime: str
    new: bool
    half: str
    places: list[tuple[tuple[str, ...], bool]]
    alone: tuple[bool, bool]
    #: What it counts: a slip put into a real program and an older case, which those who write have long seen, a half.
    weight: float


def look(given: tuple[Path, bool]) -> Seen | None:
    """Rate the places of one case."""
    folder, new = given
    warnings.simplefilter("ignore")
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    project = folder / "src" if (folder / "src").is_dir() else folder / "project"
    root = truth.get("root") or {}
    if truth["phase"] != "run" or not root.get("line") or not project.is_dir():
        return None
    text = decode((folder / "stdout.txt").read_bytes() + (folder / "stderr.txt").read_bytes())
    jams = read(text)
    if not jams:
        return None
    likely._tables = lambda: {"all": {}}  # type: ignore[assignment]  # what the kind says, as it is
    sources = Sources(project)
    jam = diagnose(jams[-1], sources)
    sources.budget = Budget()
    wanted = {(root["file"], root["line"])} | {(other["file"], other["line"]) for other in truth.get("root_also") or []}
    places = [(item.features, (item.file, item.line) in wanted) for item in likely.rated(Scene(jam, sources), jam.roots)]
    right = [(item.file, item.line) in wanted for item in jam.roots[:3]]
    weight = _SLIP if folder.name.startswith("slip-") else 1.0 if new else _OLD
    return Seen(folder.name, truth["runtime"], new, half_of(truth["id"]), places, (right[:1] == [True], any(right)), weight)


def tables(cases: list[Seen], strength: float) -> dict[str, dict[str, float]]:
    """Return the weights for Python's failures and for all others: each is drawn to what the cases of all runtimes teach."""
    real = [case for case in cases if case.weight != _SLIP]
    everything = fit(real, strength)
    others = fit([case for case in real if case.runtime != "python"], strength)
    found = {"all": mixed(others, everything, _SHARED["others"])}
    if python := [case for case in cases if case.runtime == "python"]:
        found["python"] = mixed(fit(python, strength), everything, _SHARED["python"])
    return found


def mixed(one: dict[str, float], other: dict[str, float], share: float) -> dict[str, float]:
    """Return weights between two tables, with a share of the other."""
    names = one.keys() | other.keys()
    found = {name: (1 - share) * one.get(name, 0.0) + share * other.get(name, 0.0) for name in names}
    return {name: float(f"{weight:.3g}") for name, weight in sorted(found.items()) if abs(weight) >= 0.02}


def fit(cases: list[Seen], strength: float) -> dict[str, float]:
    """Return the weights that make the right places likeliest."""
    cases = [case for case in cases if any(right for _, right in case.places)]
    count: Counter[str] = Counter()
    for case in cases:
        count.update({feature for features, _ in case.places for feature in features})
    kept = {feature for feature, seen in count.items() if seen >= LEAST} | _BEFORE.keys()
    names = {feature: place for place, feature in enumerate(sorted(kept))}
    rows, columns, groups, truth = [], [], [], []
    row = 0
    for group, case in enumerate(cases):
        for features, right in case.places:
            for feature in features:
                if feature in names:
                    rows.append(row)
                    columns.append(names[feature])
            groups.append(group)
            truth.append(right)
            row += 1
    matrix = csr_matrix((np.ones(len(rows)), (rows, columns)), shape=(row, len(names)))
    group, right = np.array(groups), np.array(truth)
    # versions of one program count as one
    programs = Counter(_VERSION.sub("", case.name) for case in cases)
    counts = np.array([case.weight / programs[_VERSION.sub("", case.name)] for case in cases])

    start = np.array([_BEFORE.get(name, 0.0) for name in names])
    found = logit.fit(matrix, group, right, counts=counts, strength=strength, start=start)
    return {name: float(f"{found[place]:.3g}") for name, place in names.items() if abs(found[place]) >= 0.02}


def shares(cases: list[Seen], taught: dict[str, dict[str, float]]) -> tuple[float, float, float, float, float]:
    """Return the percentages: right first and in three by the table, by the kind alone, and there at all."""
    first = three = there = 0
    for case in cases:
        weights = taught.get(case.runtime, taught["all"])
        ranked = sorted(case.places, key=lambda item: -likely.weigh(item[0], weights))
        first += bool(ranked and ranked[0][1])
        three += any(right for _, right in ranked[:3])
        there += any(right for _, right in ranked)
    alone = [sum(case.alone[place] for case in cases) for place in (0, 1)]
    return tuple(round(100 * value / max(len(cases), 1), 1) for value in (first, three, *alone, there))  # type: ignore[return-value]


def apart_by_parts(seen: list[Seen], strength: float) -> list[dict[str, object]]:
    """Return how good the table is on each fifth of the programs when the other four taught it: less chance than halves."""
    judged: dict[tuple[str, str], list[tuple[int, tuple[float, ...]]]] = {}
    for part in range(_PARTS):
        weights = tables([case for case in seen if part_of(case) != part], strength)
        for new_ones in (True, False):
            for python in (True, False):
                own = [c for c in seen if part_of(c) == part and c.new == new_ones and (c.runtime == "python") == python]
                key = ("new" if new_ones else "old", "python" if python else "others")
                judged.setdefault(key, []).append((len(own), shares(own, weights)))
    rows: list[dict[str, object]] = []
    for (cases, runtimes), parts in judged.items():
        count = sum(number for number, _ in parts)
        means = [round(sum(number * values[place] for number, values in parts) / max(count, 1), 1) for place in range(5)]
        row: dict[str, object] = {"half": "parts", "cases": cases, "runtime": runtimes, "n": count}
        row |= dict(zip(("root1", "root3", "alone1", "alone3", "there"), means, strict=True))
        rows.append(row)
        print("  ".join(f"{key} {value}" for key, value in row.items()))
    return rows


def part_of(case: Seen) -> int:
    """Return which part a program belongs to; its versions are kept together."""
    return zlib.crc32(_VERSION.sub("", case.name).encode()) % _PARTS


def main() -> None:
    """Learn on one half, judge on the other; write the table when asked."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument(
        "--corpus", type=Path, nargs="*", default=[ROOT / "tests" / "corpus"], help="folders; `slipped.py` makes more"
    )
    parser.add_argument("--table", type=Path, help="write the weights there")
    parser.add_argument("--by", choices=("open", "apart", "all"), default="all", help="which cases teach what is written")
    parser.add_argument("--json", type=Path)
    parser.add_argument("--strength", type=float, default=3.0)
    asked = parser.parse_args()
    new: set[str] = set()
    for listed in [folder / "NEW.txt" for folder in asked.corpus]:
        new |= set(listed.read_text(encoding="utf-8").split()) if listed.exists() else set()
    folders = sorted(truth.parent for corpus in asked.corpus for truth in corpus.glob("*/*/truth.json"))
    given = [(folder, folder.name in new or f"{folder.parent.name}/{folder.name}" in new) for folder in folders]
    with multiprocessing.Pool() as pool:
        seen = [case for case in pool.imap_unordered(look, given, chunksize=4) if case is not None]
    seen.sort(key=lambda case: (case.runtime, case.name))
    weights = tables([case for case in seen if case.half == "open"], asked.strength)
    rows = []
    for half in ("open", "apart"):
        for new_ones in (True, False):
            for runtimes in ("python", "others"):
                own = [
                    c
                    for c in seen
                    if c.half == half and c.new == new_ones and (c.runtime == "python") == (runtimes == "python")
                ]
                if own:
                    values = shares(own, weights)
                    row = {"half": half, "cases": "new" if new_ones else "old", "runtime": runtimes, "n": len(own)}
                    row |= dict(zip(("root1", "root3", "alone1", "alone3", "there"), values, strict=True))
                    rows.append(row)
                    print("  ".join(f"{key} {value}" for key, value in row.items()))
    rows += apart_by_parts(seen, asked.strength)
    if asked.table:
        weights = tables([case for case in seen if asked.by in ("all", case.half)], asked.strength)
        asked.table.write_text(
            json.dumps({"cases": len(seen), "weights": weights}, indent=0, sort_keys=True) + "\n", encoding="utf-8"
        )
    if asked.json:
        asked.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
