"""Count how often what the kinds offer as a key, and take for a root, is right; keys' shares go into `kinds/priors.json`.

    python benchmarks/learn_priors.py [--corpus FOLDER ...] [--write] [--seen FILE] [--json FILE]

Every case is read twice, its saved text alone and run here where its runtime is to be had, while every call of
`Diagnosis.root` and `Diagnosis.key` is noted: under which name, how far down among its like, and whether it is the line
(or makes the very text) of the case's fix. A program counts once for a name, whatever its versions and readings, and less
where the name was told of a later choice or of a word less alike, as the kinds take it then. With the table of one half of
the programs the first roots and keys of the other half are judged, beside those of the table as it was known beforehand;
what `--write` writes is counted on both, and only for keys: which of the roots is the likeliest is learned over what the
kinds tell of them (`learn_roots.py`), and counting before that as well made it no better.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import multiprocessing
import pickle
import shutil
import tempfile
import warnings
from collections import defaultdict
from collections.abc import Iterable
from pathlib import Path
from typing import Any, NamedTuple

from learn import _VERSION, fixed_texts, form, half_of, own_command

from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.kinds import base, priors
from jamkey.model import Key
from jamkey.pipeline import diagnose, read
from jamkey.runs.fix_loop import main_jam
from jamkey.search.candidates import texts_with
from jamkey.text import decode

ROOT = Path(__file__).parent.parent
TABLE = Path(priors.__file__).parent / "priors.json"


class Told(NamedTuple):
    """One root or key that a kind told."""

    kind: str
    #: `roots` or `keys`.
    what: str
    name: str
    #: What the kind makes of the table's share: less for a later choice.
    factor: float
    right: bool


class Case(NamedTuple):
    """One reading of a case."""

    program: str
    half: str
    told: list[Told]


class _Notes:
    """What is told while one failure is read."""

    def __init__(self) -> None:
        self.found: list[tuple[str, str, str, float, Any]] = []
        root, key, notes = base.Diagnosis.root, base.Diagnosis.key, self.found

        def noted_root(self: base.Diagnosis, file: str, line: int, reason: str, known: str, **more: Any) -> None:
            notes.append((self.kind, "roots", known, _factor(self.kind, "roots", known, more), (file, line)))
            root(self, file, line, reason, known, **more)

        def noted_key(self: base.Diagnosis, id: str, *words: Any, **more: Any) -> None:
            before = len(self.keys)
            key(self, id, *words, **more)
            if len(self.keys) > before and "sure" not in more:  # what a search thinks is the search's to count
                known = more.get("known") or id
                notes.append((self.kind, "keys", known, _factor(self.kind, "keys", known, more), self.keys[-1]))

        base.Diagnosis.root, base.Diagnosis.key = noted_root, noted_key  # type: ignore[method-assign,assignment]


def _factor(kind: str, what: Any, known: str, more: dict[str, Any]) -> float:
    """Return what is made of the table's share of a name."""
    given = {name: more[name] for name in ("rank", "near") if name in more}
    whole = priors.confidence(kind, what, known)
    return priors.confidence(kind, what, known, **given) / whole if whole else 1.0


def entry_of(kind: str, what: str, name: str, table: dict[str, Any]) -> tuple[str, str] | None:
    """Return the kind and the name under which the table knows what was told."""
    for own in (kind, priors.ANY):
        known = table.get(own, {}).get(what, {})
        begin = name
        while begin:
            if begin in known:
                return own, begin
            begin = begin.rpartition("-")[0]
    return None


_NOTES: list[_Notes] = []


def look(folder: Path) -> list[Case]:
    """Read a case as text and as run here."""
    warnings.simplefilter("ignore")
    if not _NOTES:
        _NOTES.append(_Notes())
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    project = folder / "src" if (folder / "src").is_dir() else folder / "project"
    if truth["phase"] not in ("run", "compile") or not project.is_dir() or not (truth.get("root") or {}).get("line"):
        return []
    made = []
    for how in ("text", "live"):
        with tempfile.TemporaryDirectory(prefix="jamkey-priors-") as place:
            copy = Path(place) / "project"
            shutil.copytree(project, copy)
            _NOTES[0].found.clear()
            with contextlib.chdir(copy):
                told = _read(folder, copy, truth) if how == "text" else _run(folder, copy, truth)
        if told:
            made.append(Case(_VERSION.sub("", folder.name), half_of(truth["id"]), told))
    return made


def _read(folder: Path, copy: Path, truth: dict[str, Any]) -> list[Told]:
    jams = read(decode((folder / "stdout.txt").read_bytes() + (folder / "stderr.txt").read_bytes()))
    _NOTES[0].found.clear()
    if not jams:
        return []
    sources = Sources(copy)
    jam = diagnose(jams[-1], sources)
    return _judged(folder, Scene(jam, sources), truth)


def _run(folder: Path, copy: Path, truth: dict[str, Any]) -> list[Told]:
    ran = own_command(folder, copy)
    jam = main_jam(ran[1]) if ran is not None else None
    if jam is None or jam.snag is None:
        return []
    # of several failures in one output the main one only
    _NOTES[0].found.clear()
    sources = Sources(copy)
    sources.budget = Budget()
    return _judged(folder, Scene(diagnose(jam, sources), sources), truth)


def _judged(folder: Path, scene: Scene, truth: dict[str, Any]) -> list[Told]:
    lines = {(root["file"], root["line"]) for root in [truth["root"], *(truth.get("root_also") or [])]}
    fixed = fixed_texts(folder)
    found = []
    for kind, what, name, factor, item in list(_NOTES[0].found):
        right = _is_fix(scene, item, fixed) if isinstance(item, Key) else item in lines
        found.append(Told(kind, what, name, factor, right))
    return found


def _is_fix(scene: Scene, key: Key, fixed: dict[str, str]) -> bool:
    if not key.edits or {edit.file for edit in key.edits} != set(fixed):
        return False
    texts = texts_with(scene, key.edits)
    return texts is not None and all(form(name, text) == form(name, fixed[name]) is not None for name, text in texts.items())


def counted(cases: Iterable[Case], table: dict[str, Any]) -> dict[str, Any]:
    """Return the table with what the cases say: in how many programs a name was told (weighed), and was right."""
    told: dict[tuple[str, str, str], dict[str, tuple[float, bool]]] = defaultdict(dict)
    for case in cases:
        for item in case.told:
            place = entry_of(item.kind, item.what, item.name, table)
            if place is not None:
                known = told[place[0], item.what, place[1]]
                factor, right = known.get(case.program, (0.0, False))
                known[case.program] = max(factor, item.factor), right or item.right
    found: dict[str, Any] = {}
    for kind, groups in table.items():
        for what, names in groups.items():
            for name, (before, *_) in names.items():
                seen = told.get((kind, what, name), {}).values()
                right, weight = sum(right for _, right in seen), round(sum(factor for factor, _ in seen), 1)
                # who is right oftener than it was weighed for is right each time
                found.setdefault(kind, {}).setdefault(what, {})[name] = [before, right, max(weight, right)]
    return found


def judged(cases: list[Case], table: dict[str, Any]) -> dict[str, float]:
    """Return the percentages of readings with a root (a key) whose first, and one of whose first three, is right by a table."""
    rows: dict[str, list[bool]] = defaultdict(list)
    for case in cases:
        for what in ("roots", "keys"):
            ranked = sorted(
                ((_share(item, table), item.right) for item in case.told if item.what == what), key=lambda pair: -pair[0]
            )
            if ranked:
                rows[f"{what} first"].append(ranked[0][1])
                rows[f"{what} in three"].append(any(right for _, right in ranked[:3]))
    return {name: round(100 * sum(values) / len(values), 1) for name, values in rows.items()}


def _share(item: Told, table: dict[str, Any]) -> float:
    place = entry_of(item.kind, item.what, item.name, table)
    return (priors.Prior(*table[place[0]][item.what][place[1]]).share if place is not None else 0.5) * item.factor


def written(table: dict[str, Any]) -> str:
    """Return the table as text, a name a line."""
    kinds = []
    for kind, groups in sorted(table.items()):
        inner = [
            f'  "{what}": {{\n'
            + ",\n".join(f"   {json.dumps(name)}: {json.dumps(row)}" for name, row in sorted(names.items()))
            + "\n  }"
            for what, names in sorted(groups.items())
        ]
        kinds.append(f" {json.dumps(kind)}: {{\n" + ",\n".join(inner) + "\n }")
    return "{\n" + ",\n".join(kinds) + "\n}\n"


def main() -> None:
    """Count, judge, write."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument(
        "--corpus", type=Path, nargs="*", default=[ROOT / "tests" / "corpus"], help="folders; `taught.py` makes more"
    )
    parser.add_argument("--write", action="store_true", help="write the table of the package")
    parser.add_argument("--seen", type=Path, help="keep what was gathered in this file, and begin with it where it is there")
    parser.add_argument("--json", type=Path)
    asked = parser.parse_args()
    folders = sorted(truth.parent for corpus in asked.corpus for truth in corpus.glob("*/*/truth.json"))
    if asked.seen and asked.seen.exists():
        cases: list[Case] = pickle.loads(asked.seen.read_bytes())
    else:
        with multiprocessing.Pool() as pool:
            cases = [case for found in pool.imap_unordered(look, folders, chunksize=4) for case in found]
        if asked.seen:
            asked.seen.write_bytes(pickle.dumps(cases))
    cases.sort(key=lambda case: case.program)
    table = json.loads(TABLE.read_text(encoding="utf-8"))
    before = counted([], table)
    rows = []
    for half, other in (("open", "apart"), ("apart", "open")):
        own = [case for case in cases if case.half == other]
        taught = counted([case for case in cases if case.half == half], table)
        for how, weights in (("beforehand", before), (f"counted on {half}", taught)):
            rows.append({"judged on": other, "table": how, "readings": len(own), **judged(own, weights)})
            print("  ".join(f"{key} {value}" for key, value in rows[-1].items()))
    if asked.write:
        whole = counted(cases, table)
        kept = {
            kind: {what: (whole if what == "keys" else before)[kind][what] for what in groups} for kind, groups in table.items()
        }
        TABLE.write_text(written(kept), encoding="utf-8")
    if asked.json:
        asked.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
