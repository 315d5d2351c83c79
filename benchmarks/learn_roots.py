"""Write the table by which places on the way are ranked as roots, and say how good it is where it was not learned.

    python benchmarks/learn_roots.py [--corpus FOLDER ...] [--table FILE] [--by open|apart|all] [--json FILE] [--strength X]

For every case with a place to change, each place on the way has features (how it was reached, how far, what stands there,
what the kind says); the weights make the true one the likeliest (a conditional logit, drawn towards what is known
beforehand, mostly nothing). Every case is read twice: its saved text alone, and run here, with
the values of its frames, where its runtime is to be had (`--seen FILE` keeps what was gathered). Half of the cases, told apart
by a sum over their names, teach; the other half judges. `--by all`
teaches by both, for the table that is shipped, once it has been judged; `--by open` and `--by apart` are for what is to be
judged on the other half.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import multiprocessing
import pickle
import re
import shutil
import tempfile
import warnings
import zlib
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import logit
import numpy as np
from learn import half_of, own_command, sort_of_case
from scipy.sparse import csr_matrix

import jamkey.follow.likely as likely
from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Jam, Root
from jamkey.pipeline import diagnose, read
from jamkey.runs.fix_loop import main_jam
from jamkey.text import decode

ROOT = Path(__file__).parent.parent
#: A feature that fewer cases have is left out.
LEAST = 3
#: What a case counts when weights are learned, by `sort_of_case`.
_COUNTS = {"new": 1.0, "old": 0.5, "slips": 0.2, "taught": 0.4}
#: What the table that all cases taught counts in that of Python, whose cases and slips are many, and in that of the others.
_SHARED = {"python": 0.2, "others": 0.4}
#: How much more Python's weights are drawn to what is known beforehand: most of its cases are slips of few sorts.
_FIRMER = 2.0
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
#: Cases that are told apart in the figures.
GROUPS = [
    (sort, runtimes, how)
    for sort in _COUNTS
    for how in ("text", "live")
    for runtimes in ("python", "others")
    if sort != "slips" or how == "text"
]
#: Parts of the programs, each of which is judged by what the others taught.
_PARTS = 5
#: Versions of one program.
_VERSION = re.compile(r"-py\d+$")


class Seen(NamedTuple):
    """One reading of a case: the features of each place, which of them are right, what the kind alone would say."""

    name: str
    #: `text`, or `live` where it was run.
    how: str
    runtime: str
    #: See `sort_of_case`.
    sort: str
    half: str
    places: list[tuple[tuple[str, ...], bool]]
    alone: tuple[bool, bool]


#: What the last reading rated, for that is not kept in a jam.
_RATED: list[tuple[str | None, list[likely.Rated]]] = []
_rated = likely.rated


def _noted(scene: Scene, roots: Sequence[Root]) -> list[likely.Rated]:
    found = _rated(scene, roots)
    _RATED.append((scene.jam.message, found))
    return found


def look(given: tuple[Path, str]) -> list[Seen]:
    """Rate the places of one case, as it was saved and as it runs here; slips are only read."""
    found = [_look(*given, "text"), _look(*given, "live") if given[1] != "slips" else None]
    return [case for case in found if case is not None]


def _look(folder: Path, sort: str, how: str) -> Seen | None:
    warnings.simplefilter("ignore")
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    project = folder / "src" if (folder / "src").is_dir() else folder / "project"
    root = truth.get("root") or {}
    if truth["phase"] != "run" or not root.get("line") or not project.is_dir():
        return None
    likely._weights = lambda runtime: {}  # type: ignore[assignment]  # what the kind says, as it is
    likely.rated = _noted  # type: ignore[assignment]
    _RATED.clear()
    if how == "live":
        return _live(folder, project, truth, sort)
    jams = read(decode((folder / "stdout.txt").read_bytes() + (folder / "stderr.txt").read_bytes()))
    return _seen(folder, project, truth, sort, how, diagnose(jams[-1], Sources(project))) if jams else None


def _live(folder: Path, project: Path, truth: dict[str, Any], sort: str) -> Seen | None:
    with tempfile.TemporaryDirectory(prefix="jamkey-learn-") as made:
        copy = Path(made) / "project"
        shutil.copytree(project, copy)
        with contextlib.chdir(copy):
            ran = own_command(folder, copy)
        jam = main_jam(ran[1]) if ran is not None else None
        return _seen(folder, copy, truth, sort, "live", jam) if jam is not None and jam.snag is not None else None


def _seen(folder: Path, project: Path, truth: dict[str, Any], sort: str, how: str, jam: Jam) -> Seen:
    sources = Sources(project)
    sources.budget = Budget()
    root = truth["root"]
    wanted = {(root["file"], root["line"])} | {(other["file"], other["line"]) for other in truth.get("root_also") or []}
    # as they were rated when the kind had told what it knows
    own = [rated for message, rated in _RATED if message == jam.message]
    rated = own[-1] if own else likely.rated(Scene(jam, sources), jam.roots)
    places = [(item.features, (item.file, item.line) in wanted) for item in rated]
    right = [(item.file, item.line) in wanted for item in jam.roots[:3]]
    return Seen(folder.name, how, truth["runtime"], sort, half_of(truth["id"]), places, (right[:1] == [True], any(right)))


def tables(cases: list[Seen], strength: float) -> dict[str, dict[str, float]]:
    """Return the weights for Python's failures and for all others: each is drawn to what the cases of all runtimes teach."""
    real = [case for case in cases if case.sort != "slips"]
    everything = fit(real, strength)
    others = fit([case for case in real if case.runtime != "python"], strength)
    found = {"all": mixed(others, everything, _SHARED["others"])}
    if python := [case for case in cases if case.runtime == "python"]:
        found["python"] = mixed(fit(python, _FIRMER * strength), everything, _SHARED["python"])
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
    counts = np.array([_COUNTS[case.sort] / programs[_VERSION.sub("", case.name)] for case in cases])

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
    """Return how good the table is on each fifth of the programs when all else taught it: less chance than halves."""
    judged: dict[tuple[str, str, str], list[tuple[int, tuple[float, ...]]]] = {}
    for part in range(_PARTS):
        weights = tables([case for case in seen if part_of(case) != part], strength)
        for sort, runtimes, how in GROUPS:
            own = [case for case in group(seen, sort, runtimes, how) if part_of(case) == part]
            judged.setdefault((sort, runtimes, how), []).append((len(own), shares(own, weights)))
    rows: list[dict[str, object]] = []
    for (sort, runtimes, how), parts in judged.items():
        count = sum(number for number, _ in parts)
        if count:
            means = [round(sum(number * values[place] for number, values in parts) / count, 1) for place in range(5)]
            rows.append(told("parts", sort, runtimes, how, count, means))
    return rows


def group(seen: list[Seen], sort: str, runtimes: str, how: str) -> list[Seen]:
    """Return the cases of one sort, of Python or of the others, as text or as run."""
    own = [case for case in seen if (case.sort, case.how) == (sort, how)]
    return [case for case in own if (case.runtime == "python") == (runtimes == "python")]


def told(half: str, sort: str, runtimes: str, how: str, count: int, values: Sequence[float]) -> dict[str, object]:
    """Print a row of figures and return it."""
    row: dict[str, object] = {"half": half, "cases": sort, "runtime": runtimes, "how": how, "n": count}
    row |= dict(zip(("root1", "root3", "alone1", "alone3", "there"), values, strict=True))
    print("  ".join(f"{key} {value}" for key, value in row.items()))
    return row


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
    parser.add_argument("--seen", type=Path, help="keep what was gathered in this file, and begin with it where it is there")
    asked = parser.parse_args()
    new: set[str] = set()
    for listed in [folder / "NEW.txt" for folder in asked.corpus]:
        new |= set(listed.read_text(encoding="utf-8").split()) if listed.exists() else set()
    folders = sorted(truth.parent for corpus in asked.corpus for truth in corpus.glob("*/*/truth.json"))
    given = [(folder, sort_of_case(folder, new)) for folder in folders]
    seen: list[Seen]
    if asked.seen and asked.seen.exists():
        seen = pickle.loads(asked.seen.read_bytes())
    else:
        with multiprocessing.Pool() as pool:
            seen = [case for cases in pool.imap_unordered(look, given, chunksize=4) for case in cases]
        if asked.seen:
            asked.seen.write_bytes(pickle.dumps(seen))
    seen.sort(key=lambda case: (case.runtime, case.name, case.how))
    rows = []
    # what was written to teach teaches with either half, and is judged by what the corpus alone taught
    for half, other in (("open", "apart"), ("apart", "open")):
        weights = tables([case for case in seen if case.half == half or case.sort == "taught"], asked.strength)
        for sort, runtimes, how in GROUPS:
            own = [case for case in group(seen, sort, runtimes, how) if case.half == other]
            if own and sort != "taught":
                rows.append(told(other, sort, runtimes, how, len(own), shares(own, weights)))
    weights = tables([case for case in seen if case.sort != "taught"], asked.strength)
    for sort, runtimes, how in GROUPS:
        if sort == "taught" and (own := group(seen, sort, runtimes, how)):
            rows.append(told("all", sort, runtimes, how, len(own), shares(own, weights)))
    rows += apart_by_parts(seen, asked.strength)
    if asked.table:
        weights = tables([case for case in seen if case.sort == "taught" or asked.by in ("all", case.half)], asked.strength)
        asked.table.write_text(
            json.dumps({"cases": len(seen), "weights": weights}, indent=0, sort_keys=True) + "\n", encoding="utf-8"
        )
    if asked.json:
        asked.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
