"""Write the table of priors that the search for keys starts from, and say how good it is where it was not learned.

    python benchmarks/learn.py [--corpus FOLDER ...] [--write] [--json FILE]

For every case the candidates of the search are made and the one that is the fix (the same tree, or the same text but for
white space) is looked for; nothing is run. A rate is what was right over what was proposed: of a turn, of its family, of a
kind, of a place. Half of the cases, told apart by a sum over their names, teach; the other half judges: in how many cases
the fix is among the candidates, and among the first 10, 50, 200.
"""

from __future__ import annotations

import argparse
import ast
import json
import multiprocessing
import pickle
import re
import shutil
import warnings
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from programs import side

from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.observe.target import command_target, script_target
from jamkey.pipeline import diagnose, read
from jamkey.runs.doubts import doubts
from jamkey.runs.wrong_result import quiet_jam
from jamkey.search.candidates import candidates, kind_of
from jamkey.text import decode

ROOT = Path(__file__).parent.parent
TABLE = ROOT / "src" / "jamkey" / "search" / "priors.json"
_WORD = re.compile(r"\w+")
#: A rate counts like this many proposals of the coarser one above it.
WEIGHT = {"family": 2000, "turn": 300, "family of kind": 400, "turn of kind": 150, "place": 3000}


class Seen(NamedTuple):
    """One case: where the fix stood, what was proposed."""

    name: str
    runtime: str
    half: str
    rank: int | None
    right: tuple[str, str, int, str, int] | None
    proposed: dict[tuple[str, str, int, str, int], int]


def half_of(name: str) -> str:
    """Return which half a case belongs to: versions of one program are kept together."""
    return side(name.rsplit("-py", 1)[0])


def _form(name: str, text: str) -> str | None:
    if name.endswith(".py"):
        try:
            return ast.dump(ast.parse(text))
        except (SyntaxError, ValueError):
            return None
    return "".join(text.split())


def _quiet(folder: Path, project: Path, wanted: str | None) -> Jam | None:
    """Return the jam of a run that raised nothing and printed something else than it should."""
    argv = json.loads((folder / "cmd.json").read_text(encoding="utf-8"))["argv"]
    script = next((word for word in argv[1:] if not word.startswith("-")), None)
    if wanted is None or script is None:
        return None
    printed, errors = ((folder / name).read_bytes() for name in ("stdout.txt", "stderr.txt"))
    target = (
        script_target(str(project / script), [], python=shutil.which(argv[0]))
        if script.endswith(".py")
        else command_target(argv)
    )
    seen = doubts(target, project, limit=60.0, unguarded=True) if script.endswith(".py") else []
    return quiet_jam(target, printed, errors, project, expected=wanted, seen=seen)


def look(folder: Path) -> Seen | None:
    """Make the candidates of one case and look for the fix."""
    warnings.simplefilter("ignore")
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    project = folder / "src" if (folder / "src").is_dir() else folder / "project"
    if truth["phase"] not in ("run", "quiet") or not (folder / "fixed").is_dir() or not project.is_dir():
        return None
    sources = Sources(project)
    if truth["phase"] == "quiet":
        jam = _quiet(folder, project, truth.get("fixed_stdout"))
    else:
        jams = read(decode((folder / "stderr.txt").read_bytes()) or decode((folder / "stdout.txt").read_bytes()))
        jam = diagnose(jams[-1], sources) if jams else None
    if jam is None or jam.snag is None:
        return None
    scene = Scene(jam, sources)
    sources.budget = Budget()
    found = candidates(scene, seconds=8.0, most=10**6)
    fixed = {
        path.relative_to(folder / "fixed").as_posix(): decode(path.read_bytes())
        for path in (folder / "fixed").rglob("*")
        if path.is_file()
    }
    wanted = {name: _form(name, text) for name, text in fixed.items()}
    rank = right = None
    proposed: Counter[tuple[str, str, int, str, int]] = Counter()
    words = {name: _WORD.findall(text) for name, text in fixed.items()}
    for place, item in enumerate(found):
        what = (item.made.turn, kind_of(jam), item.place.distance, item.near, item.rank)
        proposed[what] += 1
        same = rank is None and set(item.texts) == set(wanted)
        # parsed is only what has the same words
        same = same and all(_WORD.findall(text) == words[name] for name, text in item.texts.items())
        if same and all(_form(name, text) == wanted[name] for name, text in item.texts.items()):
            rank, right = place, what
    return Seen(folder.name, truth["runtime"], half_of(truth["id"]), rank, right, dict(proposed))


def table(cases: list[Seen], halves: set[str]) -> dict[str, object]:
    """Return the rates that halves of the cases teach, each drawn towards the coarser one by what that one weighs."""
    hits: Counter[str] = Counter()
    tries: Counter[str] = Counter()
    for case in cases:
        for (turn, kind, distance, near, rank), count in case.proposed.items():
            family = turn.partition(":")[0]
            right = int(case.right == (turn, kind, distance, near, rank))
            whole = near == "statement"
            taught = (
                "all",
                f"family {family}",
                f"turn {turn}",
                f"family of kind {family}|{kind}",
                f"turn of kind {turn}|{kind}",
            )
            for key in (
                *(taught if case.half in halves else ()),
                # the roots' table was learned on the open half: what a rank is worth, the other tells
                *([f"rank {rank}", f"rank {rank} distance {min(distance, 8)}"] if case.half == "apart" else []),
                *([] if whole or case.half not in halves else ["parts", f"near {near}"]),
            ):
                tries[key] += count
                hits[key] += right
    base = hits["all"] / max(tries["all"], 1)

    apart = [case for case in cases if case.half == "apart"]
    base_apart = sum(case.right is not None for case in apart) / max(sum(sum(case.proposed.values()) for case in apart), 1)

    def rate(key: str, above: float, weight: int) -> float:
        return (hits[key] + weight * above) / (tries[key] + weight)

    rates: dict[str, float] = {"all": base}
    for key in tries:
        if key.startswith("family ") and not key.startswith("family of kind "):
            rates[key] = rate(key, base, WEIGHT["family"])
    for key in tries:
        if key.startswith("turn ") and not key.startswith("turn of kind "):
            family = key[5:].partition(":")[0]
            rates[key] = rate(key, rates[f"family {family}"], WEIGHT["turn"])
    for key in tries:
        if key.startswith("family of kind "):
            family = key[15:].partition("|")[0]
            rates[key] = rate(key, rates[f"family {family}"], WEIGHT["family of kind"]) / rates[f"family {family}"]
    for key in tries:
        if key.startswith("turn of kind ") and hits[key]:
            turn = key[13:].rpartition("|")[0]
            rates[key] = rate(key, rates[f"turn {turn}"], WEIGHT["turn of kind"]) / rates[f"turn {turn}"]
    parts = hits["parts"] / max(tries["parts"], 1)
    for key in tries:
        if key.startswith("rank ") and "distance" in key:
            rank = key.partition(" distance")[0]
            rates[key] = rate(key, rate(rank, base_apart, WEIGHT["place"]), WEIGHT["place"]) / base_apart
        elif key.startswith("near "):
            rates[key] = rate(key, parts, WEIGHT["place"]) / parts
    return {
        "cases": sum(case.half in halves for case in cases),
        "rates": {key: float(f"{value:.4g}") for key, value in sorted(rates.items())},
    }


def main() -> None:
    """Learn on one half, judge on the other; write the table when asked."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument(
        "--corpus", type=Path, nargs="*", default=[ROOT / "tests" / "corpus"], help="folders; `slipped.py` makes more"
    )
    parser.add_argument("--write", action="store_true")
    parser.add_argument(
        "--all", action="store_true", help="teach by both halves: for the table that is shipped, once it has been judged"
    )
    parser.add_argument("--seen", type=Path, help="keep what was proposed in this file, or take it from there")
    parser.add_argument("--json", type=Path)
    parser.add_argument(
        "--ranks", type=Path, help="take what a rank is worth from this table: the roots' table was not the open half's"
    )
    asked = parser.parse_args()
    folders = sorted(truth.parent for corpus in asked.corpus for truth in corpus.glob("*/*/truth.json"))
    if asked.seen and asked.seen.exists():
        seen = pickle.loads(asked.seen.read_bytes())
    else:
        with multiprocessing.Pool() as pool:
            seen = [case for case in pool.imap_unordered(look, folders, chunksize=4) if case is not None]
        if asked.seen:
            asked.seen.write_bytes(pickle.dumps(seen))
    made = table(seen, {"open", "apart"} if asked.all else {"open"})
    if asked.ranks:
        kept = json.loads(asked.ranks.read_text(encoding="utf-8"))["rates"]
        made["rates"] |= {key: rate for key, rate in kept.items() if key.startswith("rank ")}  # type: ignore[operator]
    if asked.write:
        TABLE.write_text(json.dumps(made, indent=0, sort_keys=True) + "\n", encoding="utf-8")
    rows = []
    for half in ("open", "apart"):
        for runtime in ("python", *sorted({case.runtime for case in seen} - {"python"})):
            own = [case for case in seen if case.half == half and case.runtime == runtime]
            if not own:
                continue
            ranks = [case.rank for case in own]
            row = {"half": half, "runtime": runtime, "cases": len(own), "there": sum(rank is not None for rank in ranks)}
            row |= {f"in {most}": sum(rank is not None and rank < most for rank in ranks) for most in (3, 10, 50, 200, 1000)}
            rows.append(row)
            print("  ".join(f"{key} {value}" for key, value in row.items()))
    if asked.json:
        asked.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
