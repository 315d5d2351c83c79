"""Write the table of weights by which the search orders its edits, and say how good it is where it was not learned.

    python benchmarks/learn.py [--corpus FOLDER ...] [--seen FILE] [--table FILE] [--by open|apart|all] [--json FILE]

Every case is run on a copy as `fix` runs it, all that turns and kinds propose is gathered, and what is the fix (the
same tree, or the same text but for white space) is looked for; no edit is tried. The weights make the right one the
likeliest (a conditional logit over all that is proposed for one failure, drawn towards zero). Half of the cases, told
apart by a sum over their names, teach and the other half judges, and the other way round: in how many cases the fix
is among what is proposed, and among the first 3, 10, 50, 200. What is shipped is taught by both. The roots that a
case's places are ranked by are those of a table that the other half taught (`learn_roots.py --by open --table FILE`),
as in a program that nobody has seen.
"""

from __future__ import annotations

import argparse
import ast
import contextlib
import json
import multiprocessing
import pickle
import random
import re
import shutil
import tempfile
import warnings
import zlib
from collections import Counter
from collections.abc import Collection, Sequence
from functools import partial
from pathlib import Path
from typing import NamedTuple

import logit
import msgspec
import numpy as np
from programs import python, side
from scipy.sparse import csr_matrix

import jamkey.follow.likely as likely
from jamkey.budget import Budget
from jamkey.errors import JamkeyError
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.observe.target import Target, command_target
from jamkey.pipeline import diagnose, read
from jamkey.runs.fix_loop import Outcome, main_jam, run_captured
from jamkey.search.asking import ASKING
from jamkey.search.candidates import edits_of, gathered, texts_with
from jamkey.search.compiler_asked import keys_of_compiler
from jamkey.search.judge import judged
from jamkey.search.survey import survey
from jamkey.search.weights import Proposed, Weigher
from jamkey.text import decode
from jamkey.trials.warm import can_be_warm, libraries, warm

ROOT = Path(__file__).parent.parent
_WORD = re.compile(r"\w+")
#: Features of programs that do not end.
_HANG = re.compile(r"\bhang\b")
#: Of what is proposed and not the fix, so many are learned from in one case; each stands for as many as were left out.
_MOST = 2500
#: A feature that fewer cases have is left out.
LEAST = 3
#: What a case counts when weights are learned; those who write have long seen the old ones.
_COUNTS = {"new": 1.0, "old": 0.5, "slips": 0.25, "taught": 1.0}
_LIMIT, _HANGS = 60.0, 2.0
#: Versions of one program.
_VERSION = re.compile(r"-py\d+$")


class Seen(NamedTuple):
    """One case: what was proposed, with what speaks for each, and which of them is the fix."""

    name: str
    runtime: str
    half: str
    #: See `sort_of_case`.
    sort: str
    #: Names of features, and for each proposal the numbers of those it has, -1 for none.
    names: list[str]
    rows: np.ndarray
    #: Log of how many each stands for.
    offset: np.ndarray
    right: np.ndarray


def half_of(name: str) -> str:
    """Return which half a case belongs to: versions of one program are kept together."""
    return side(_VERSION.sub("", name))


def sort_of_case(folder: Path, new: Collection[str]) -> str:
    """Return what a case is: new or old, a slip put into a real program, or written to teach (`taught.py`)."""
    if folder.name.startswith("slip-"):
        return "slips"
    if folder.name.startswith("taught-"):
        return "taught"
    return "new" if folder.name in new or f"{folder.parent.name}/{folder.name}" in new else "old"


def form(name: str, text: str) -> str | None:
    """Return what two texts of one meaning share: the tree, or all but white space."""
    if name.endswith(".py"):
        try:
            return ast.dump(ast.parse(text))
        except (SyntaxError, ValueError, RecursionError):
            return None
    return "".join(text.split())


def own_command(folder: Path, project: Path) -> tuple[Target, Outcome] | None:
    """Run a case's command in a copy; None where its program is not here."""
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    given = json.loads((folder / "cmd.json").read_text(encoding="utf-8"))
    argv = [python() if given["argv"][0] == "-" else given["argv"][0], *given["argv"][1:]]
    if truth.get("how") == "stand-in" or not shutil.which(argv[0]):
        return None
    expected = truth.get("fixed_stdout") if truth["phase"] == "quiet" else None
    try:
        target = command_target(argv)
        stdin = (given.get("stdin") or "").encode()
        limit = _HANGS if truth["phase"] == "hang" else _LIMIT
        return target, run_captured(target, project, stdin=stdin, limit=limit, expected=expected)
    except (JamkeyError, OSError):
        return None


def failure(folder: Path, project: Path, found: tuple[Target, Outcome] | None) -> Jam | None:
    """Return the failure of a case as `fix` works on it; the printed text's where it cannot run here."""
    if found is not None:
        target, outcome = found
        jam = main_jam(outcome)
        told = keys_of_compiler(jam, target, project, limit=_LIMIT) if jam is not None else []
        return msgspec.structs.replace(jam, keys=(*told, *jam.keys)) if jam is not None and told else jam
    jams = read(decode((folder / "stderr.txt").read_bytes()) or decode((folder / "stdout.txt").read_bytes()))
    return diagnose(jams[-1], Sources(project)) if jams else None


def looked_at(scene: Scene, target: Target | None, sources: Sources) -> list[Proposed]:
    """Return all that is proposed, with what the running program says of it, as the search asks for it."""
    if target is None or not can_be_warm(target) or sources.root is None or scene.jam.runtime not in ASKING:
        return gathered(scene, seconds=8.0)
    with warm(sources.root, target, stdin=b"", unguarded=False, load=libraries(sources)) as runner:
        if runner is None or not runner.ready():
            return gathered(scene, seconds=8.0)
        looked = survey(scene, runner, 10.0) if target.is_python else None
        found = gathered(scene, seconds=8.0, survey=looked)
        return judged(scene, found, runner, 10.0, 2.0)


def fixed_texts(folder: Path) -> dict[str, str]:
    """Return the files of a case that its fix changes, as they should be."""
    whole = folder / "fixed"
    return {path.relative_to(whole).as_posix(): decode(path.read_bytes()) for path in whole.rglob("*") if path.is_file()}


def look(folder: Path, new: frozenset[str], roots: dict[str, dict[str, dict[str, float]]], hangs: bool) -> Seen | None:
    """Run one case, gather what is proposed, and find the fix in it."""
    warnings.simplefilter("ignore")
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    if (
        (truth["phase"] == "hang") != hangs
        or (truth["phase"] == "compile" and truth["runtime"] not in ("c", "java"))
        or not (folder / "fixed").is_dir()
    ):
        return None
    half = half_of(truth["id"])
    if roots:
        table = roots["apart" if half == "open" else "open"]
        likely._weights = lambda runtime: table.get(runtime, table["all"])  # type: ignore[assignment]
    with tempfile.TemporaryDirectory(prefix="jamkey-learn-") as made:
        project = Path(made) / "project"
        shutil.copytree(folder / "src", project)
        with contextlib.chdir(project):
            ran = own_command(folder, project)
            jam = failure(folder, project, ran)
        if jam is None or jam.snag is None:
            return None
        sources = Sources(project)
        sources.budget = Budget()
        scene = Scene(jam, sources)
        weigher = Weigher(scene, {})
        found = looked_at(scene, ran[0] if ran is not None else None, sources)
        weigher.learn(found)
        fixed = fixed_texts(folder)
        right = np.array([_is_fix(scene, item, fixed) for item in found], dtype=bool)
        kept = list(range(len(found)))
        wrong = [place for place in kept if not right[place]]
        if len(wrong) > _MOST:
            chosen = set(random.Random(zlib.crc32(folder.name.encode())).sample(wrong, _MOST))
            kept = [place for place in kept if right[place] or place in chosen]
        offset = np.where(right[kept], 0.0, np.log(max(len(wrong) / _MOST, 1.0)))
        numbers: dict[str, int] = {}
        made_of = [[numbers.setdefault(name, len(numbers)) for name in weigher.features(found[place])] for place in kept]
    rows = np.full((len(kept), max(map(len, made_of), default=0)), -1, dtype=np.int32)
    for row, features in enumerate(made_of):
        rows[row, : len(features)] = features
    return Seen(folder.name, truth["runtime"], half, sort_of_case(folder, new), list(numbers), rows, offset, right[kept])


def _is_fix(scene: Scene, item: Proposed, fixed: dict[str, str]) -> bool:
    edits = item.key.edits if item.key is not None else ()
    if not edits and item.made is not None and item.ground is not None:
        if set(fixed) != {item.ground.place.file, *(file for file, _, _ in item.made.more)}:
            return False
        edits = edits_of(item.ground.place.file, item.made)
    if {edit.file for edit in edits} != set(fixed):
        return False
    texts = texts_with(scene, edits)
    if texts is None:
        return False
    # parsed is only what has the same words
    if any(_WORD.findall(text) != _WORD.findall(fixed[name]) for name, text in texts.items()):
        return False
    return all(form(name, text) == form(name, fixed[name]) is not None for name, text in texts.items())


def fit(
    cases: Sequence[Seen],
    strength: float,
    known: dict[str, float] | None = None,
    start: dict[str, float] | None = None,
    new_turns: Sequence[str] = (),
) -> dict[str, float]:
    """Return the weights that make the fixes likeliest; where others are known, those of hangs beside them.

    Where a start is given it stays as it is, and only what is said of turns that it does not know is learned beside it.
    """
    cases = [case for case in cases if case.right.any()]
    count: Counter[str] = Counter()
    for case in cases:
        count.update(case.names[number] for number in np.unique(case.rows) if number >= 0)
    names = sorted(name for name, seen in count.items() if seen >= LEAST and (known is None or _HANG.search(name)))
    if start is not None:
        names = sorted(_of_new_turns(cases, start, new_turns) & set(names))
    numbers = {name: place for place, name in enumerate(names)}
    blocks, groups, offsets, rights = [], [], [], []
    for group, case in enumerate(cases):
        places = np.array([numbers.get(name, -1) for name in case.names] + [-1], dtype=np.int64)
        blocks.append(places[case.rows])  # -1 leads to the last one
        groups.append(np.full(len(case.rows), group))
        beside = known if known is not None else start
        offsets.append(case.offset + (scores(case, beside) if beside is not None else 0.0))
        rights.append(case.right)
    width = max(block.shape[1] for block in blocks)
    whole = np.concatenate([np.pad(block, ((0, 0), (0, width - block.shape[1])), constant_values=-1) for block in blocks])
    held = whole >= 0
    row = np.repeat(np.arange(len(whole)), held.sum(axis=1))
    matrix = csr_matrix((np.ones(len(row), dtype=np.float32), (row, whole[held])), shape=(len(whole), len(numbers)))
    group, offset, right = np.concatenate(groups), np.concatenate(offsets), np.concatenate(rights)
    programs = Counter(_VERSION.sub("", case.name) for case in cases)
    counts = np.array([_COUNTS[case.sort] / programs[_VERSION.sub("", case.name)] for case in cases])

    found = logit.fit(matrix, group, right, counts=counts, strength=strength, offset=offset)
    return (start or {}) | {name: float(f"{found[place]:.3g}") for name, place in numbers.items() if abs(found[place]) >= 0.02}


def _of_new_turns(cases: Sequence[Seen], start: dict[str, float], new_turns: Sequence[str]) -> set[str]:
    """Return the features that only edits have which are made by turns that a table does not know."""
    families = {name.split(" ")[1] for name in start if name.startswith("turn ")}
    new: set[str] = set()
    others: set[str] = set()
    for case in cases:
        is_new = [
            name.startswith("turn ")
            and (
                name.split(" ")[1].partition(":")[0] not in families
                or name.startswith(tuple(f"turn {turn}" for turn in new_turns))
            )
            for name in case.names
        ]
        made = np.array([*is_new, False])[case.rows].any(axis=1)
        new |= {case.names[number] for number in np.unique(case.rows[made]) if number >= 0}
        others |= {case.names[number] for number in np.unique(case.rows[~made]) if number >= 0}
    # what a watched run saw speaks of edits of all turns
    odd = {name for case in cases for name in case.names if name.startswith("odd ")} if "odd" in new_turns else set()
    return (new - others - start.keys()) | (odd - start.keys())


def scores(case: Seen, weights: dict[str, float]) -> np.ndarray:
    """Return what the weights say of each proposal of a case."""
    known = np.array([weights.get(name, 0.0) for name in case.names] + [0.0])
    total: np.ndarray = known[case.rows].sum(axis=1)
    return total


def rank_of(case: Seen, weights: dict[str, float]) -> float | None:
    """Return how many of a case's proposals are taken for likelier than the fix; None where it is not among them."""
    if not case.right.any():
        return None
    score = scores(case, weights)
    best = score[case.right].max()
    return float(np.exp(case.offset)[(score > best) & ~case.right].sum())


def _table(ranks: Sequence[float | None]) -> dict[str, object]:
    known = [rank for rank in ranks if rank is not None]
    row: dict[str, object] = {"n": len(ranks), "there": len(known)}
    return row | {f"in {most}": sum(rank < most for rank in known) for most in (1, 3, 10, 50, 200, 1000)}


def main() -> None:
    """Learn on one half, judge on the other, and the other way round; write the table when asked."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument(
        "--corpus", type=Path, nargs="*", default=[ROOT / "tests" / "corpus"], help="folders; `slipped.py` makes more"
    )
    parser.add_argument("--table", type=Path, help="write the weights there")
    parser.add_argument("--by", choices=("open", "apart", "all"), default="all", help="which cases teach what is written")
    parser.add_argument("--seen", type=Path, help="keep what was proposed in this file, or take it from there")
    parser.add_argument("--json", type=Path)
    parser.add_argument("--strength", type=float, default=3.0)
    parser.add_argument("--roots", type=Path, nargs=2, metavar=("OPEN", "APART"), help="tables that each half taught")
    parser.add_argument("--jobs", type=int, default=0)
    parser.add_argument("--hangs", type=Path, help="programs that do not end, and only what is said of them, beside this table")
    parser.add_argument(
        "--start", type=Path, help="keep this table, and learn beside it what is said of turns that it does not know"
    )
    parser.add_argument(
        "--new",
        nargs="*",
        default=[],
        help="turns that count as new beside those of families it does not know; `odd` for what a watched run saw",
    )
    asked = parser.parse_args()
    folders = sorted(truth.parent for corpus in asked.corpus for truth in corpus.glob("*/*/truth.json"))
    new: set[str] = set()
    for listed in [folder / "NEW.txt" for folder in asked.corpus]:
        new |= set(listed.read_text(encoding="utf-8").split()) if listed.exists() else set()
    roots = {}
    if asked.roots:
        tables = (json.loads(file.read_text(encoding="utf-8"))["weights"] for file in asked.roots)
        roots = dict(zip(("open", "apart"), tables, strict=True))
    if asked.seen and asked.seen.exists():
        seen = pickle.loads(asked.seen.read_bytes())
    else:
        with multiprocessing.Pool(asked.jobs or None) as pool:
            work = partial(look, new=frozenset(new), roots=roots, hangs=asked.hangs is not None)
            seen = [case for case in pool.imap_unordered(work, folders, chunksize=2) if case is not None]
        if asked.seen:
            asked.seen.write_bytes(pickle.dumps(seen))
    seen.sort(key=lambda case: (case.runtime, case.name))
    beside: dict[str, float] | None = None
    if asked.hangs:
        beside = {
            name: value
            for name, value in json.loads(asked.hangs.read_text(encoding="utf-8"))["weights"].items()
            if not _HANG.search(name)
        }
        print("before:", _table([rank_of(case, beside) for case in seen]))
    start: dict[str, float] | None = None
    if asked.start:
        start = json.loads(asked.start.read_text(encoding="utf-8"))["weights"]
        print("before:", _table([rank_of(case, start) for case in seen]))
    ranks: dict[str, float | None] = {}
    # what was written to teach teaches with either half, and is judged by what the corpus alone taught: of hangs it has too few
    always = "taught" if beside is None else ""
    for taught, other in (("open", "apart"), ("apart", "open")):
        judging = "" if start is not None else always
        teaching = [case for case in seen if case.half == taught or case.sort == judging]
        weights = fit(teaching, asked.strength, beside, start, asked.new)
        weights |= beside or {}
        ranks |= {case.name: rank_of(case, weights) for case in seen if case.half == other and case.sort != judging}
    if always and start is None:
        weights = fit([case for case in seen if case.sort != always], asked.strength)
        ranks |= {case.name: rank_of(case, weights) for case in seen if case.sort == always}
    rows = []
    for half in ("apart", "open"):
        for what in (f"{runtime} {sort}" for runtime in ("python", "others") for sort in _COUNTS):
            runtime, _, sort = what.partition(" ")
            own = [
                ranks[case.name]
                for case in seen
                if case.half == half and (case.runtime == "python") == (runtime == "python") and case.sort == sort
            ]
            if own:
                row: dict[str, object] = {"judged": half, "cases": what, **_table(own)}
                rows.append(row)
                print("  ".join(f"{key} {value}" for key, value in row.items()))
    if asked.table:
        taught_by = [case for case in seen if case.sort == "taught" or asked.by in ("all", case.half)]
        there = [case.right.any() for case in taught_by if case.sort != "old"]
        made = {
            "cases": len(taught_by),
            "there": round(float(np.mean(there)), 3) if there else 0.5,
            "weights": fit(taught_by, asked.strength, beside, start, asked.new) | (beside or {}),
        }
        if start is not None:
            made |= {name: json.loads(asked.start.read_text(encoding="utf-8"))[name] for name in ("cases", "there")}
        if asked.hangs:
            made |= {name: json.loads(asked.hangs.read_text(encoding="utf-8"))[name] for name in ("cases", "there")}
        asked.table.write_text(json.dumps(made, indent=0, sort_keys=True) + "\n", encoding="utf-8")
    if asked.json:
        asked.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
