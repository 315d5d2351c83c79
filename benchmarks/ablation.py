"""What is each rule worth? Every place in the code that makes a root or a key, switched off in turn.

    python benchmarks/ablation.py [CORPUS] [--new FILE] [--apart] [--most N] [--quick] [--json FILE]

In one process each failing program (of `kept_apart.py`, and of CORPUS where it is named: its mended programs tell what
is right) is run, diagnosed and its keys searched and tried, while every call of `Diagnosis.root` and `Diagnosis.key`
is noted with the line that made it: that is a rule; so is each turn of the search. What a rule is worth is what is
lost without it: cases whose first root, or whose first key, is right with it and not without it, less those where it
is the other way round. Printed of each: how often it spoke, was right, was worth something, and in how many unrelated
programs it was right; rules right in fewer than three come last. With `--apart` the apart half counts as well; of that
half only these totals are printed.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import interpreters
import kept_apart
import programs
from slips import SLIPS

from jamkey.kinds import base
from jamkey.model import Edit, Key, Root
from jamkey.observe.target import command_target, script_target
from jamkey.runs.fix_loop import main_jam, run_captured, tried
from jamkey.settings import Settings
from jamkey.text import splice

PACKAGE = Path(base.__file__).parent.parent
#: Seconds for the search of one program's keys.
PATIENCE = 4.0


class Case(NamedTuple):
    """A broken project with what is right."""

    program: str
    folder: Path
    argv: list[str]
    stdin: str
    #: (file, line) of the root, more than one where that is as fair.
    roots: set[tuple[str, int]]
    wanted: str


class Note(NamedTuple):
    rule: str
    item: Root | Key


class Notes:
    """The roots and keys of one diagnosis with the lines of ours that made them."""

    def __init__(self) -> None:
        self.found: list[Note] = []
        self.root, self.key = base.Diagnosis.root, base.Diagnosis.key
        notes = self

        def root(self: base.Diagnosis, file: str, line: int, reason: str, known: str, **more: Any) -> None:
            notes.root(self, file, line, reason, known, **more)
            sure = next((root.confidence for root in self.roots if (root.file, root.line) == (file, line)), 0.0)
            notes.found.append(Note(_rule(), Root(file=file, line=line, reason=reason, confidence=sure)))

        def key(self: base.Diagnosis, id: str, *words: Any, **more: Any) -> None:
            before = len(self.keys)
            notes.key(self, id, *words, **more)
            if len(self.keys) > before:
                notes.found.append(Note(_rule(), self.keys[-1]))

        base.Diagnosis.root, base.Diagnosis.key = root, key  # type: ignore[method-assign,assignment]


def _rule() -> str:
    """Return the innermost line of ours that is no builder of kinds/base."""
    frame = sys._getframe(2)
    while frame is not None and frame.f_code.co_filename == base.__file__:
        frame = frame.f_back  # type: ignore[assignment]
    path = Path(frame.f_code.co_filename)
    name = path.relative_to(PACKAGE).as_posix() if path.is_relative_to(PACKAGE) else path.name
    return f"{name}:{frame.f_lineno} {frame.f_code.co_name}"


def of_programs(half: str, most: int, work: Path) -> Iterator[Case]:
    """Yield the failing programs of a half."""
    share = max(most // len({slip.family for slip in SLIPS.values()}), 1)
    for family in sorted({slip.family for slip in SLIPS.values()} - {"hangs", "quiet"}):
        kept = 0
        for case in kept_apart.candidates(half, family):
            if kept >= share:
                break
            folder = work / f"{half}-{case.mark[:12]}"
            if folder.exists():
                continue  # two operators that make the same text
            folder.mkdir()
            name = case.program.path.name
            (folder / name).write_text(case.text, encoding="utf-8")
            status, printed, errors, _ = programs.run(programs.python(), str(folder), name, kept_apart.LIMIT)
            if case.line and kept_apart.phase_of(case, status, printed, errors) in ("run", "compile"):
                kept += 1
                yield Case(case.program.name, folder, [programs.python(), name], "", {(name, case.line)}, case.program.printed)


def of_corpus(corpus: Path, work: Path, new: set[str]) -> Iterator[Case]:
    """Yield the failing Python cases of a corpus that run here, of those named where any are."""
    for told in sorted(corpus.glob("python/*/truth.json")):
        truth = json.loads(told.read_text(encoding="utf-8"))
        command = json.loads((told.parent / "cmd.json").read_text(encoding="utf-8"))
        argv = command["argv"]
        if new and f"python/{told.parent.name}" not in new:
            continue
        if (
            truth["phase"] not in ("run", "compile")
            or shutil.which(argv[0]) is None
            or not argv[1:2]
            or not argv[1].endswith(".py")
        ):
            continue
        mended = work / f"mended-{told.parent.name}"
        shutil.copytree(told.parent / "src", mended)
        if (told.parent / "fixed").is_dir():
            shutil.copytree(told.parent / "fixed", mended, dirs_exist_ok=True)
        done = _run([shutil.which(argv[0]) or "", *argv[1:]], mended, command.get("stdin", ""))
        folder = work / told.parent.name
        shutil.copytree(told.parent / "src", folder)
        roots = {(root["file"], root["line"]) for root in [truth["root"], *truth.get("root_also", [])]}
        if done is not None and done[0] == 0:
            yield Case(
                told.parent.name, folder, [shutil.which(argv[0]) or "", *argv[1:]], command.get("stdin", ""), roots, done[1]
            )


def _run(argv: list[str], folder: Path, stdin: str) -> tuple[int, str] | None:
    env = {**os.environ, "MPLBACKEND": "Agg", "PYTHONHASHSEED": "0"}
    try:
        done = subprocess.run(argv, cwd=folder, input=stdin.encode(), capture_output=True, timeout=20, env=env)
    except subprocess.TimeoutExpired:
        return None
    return done.returncode, done.stdout.decode("utf-8", "replace")


def right_key(case: Case, key: Key) -> bool:
    """Tell whether the program prints what it should with a key."""
    folder = Path(tempfile.mkdtemp(dir=case.folder.parent))
    try:
        shutil.copytree(case.folder, folder / "project")
        for file in {edit.file for edit in key.edits}:
            path = folder / "project" / file
            edits: list[Edit] = [edit for edit in key.edits if edit.file == file]
            path.write_text(splice(path.read_text(encoding="utf-8"), edits), encoding="utf-8")
        return _run(case.argv, folder / "project", case.stdin) == (0, case.wanted)
    except (OSError, ValueError, IndexError):
        return False
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def measure(case: Case, notes: Notes) -> list[tuple[str, str, str, int]]:
    """Return (rule, what, program, worth) of one case: what is spoke, right-root, right-key, root or key."""
    notes.found.clear()
    script = case.argv[1]
    os.chdir(case.folder)
    target = script_target(script, case.argv[2:], python=case.argv[0]) if script.endswith(".py") else command_target(case.argv)
    outcome = run_captured(target, case.folder, stdin=case.stdin.encode(), limit=20)
    jam = main_jam(outcome)
    if jam is None:
        return []
    made = list(notes.found)
    jam = tried(outcome, target, jam, settings=Settings(patience=PATIENCE))
    rows = [(rule, "spoke", case.program, 1) for rule in {note.rule for note in made}]
    roots = [note for note in made if isinstance(note.item, Root)]
    roots.sort(key=lambda note: -note.item.confidence)
    ranked = [(note.rule, (note.item.file, note.item.line) in case.roots) for note in roots]  # type: ignore[union-attr]
    rows += _worth(ranked, "root", case.program)
    makers = {note.item.edits: note.rule for note in made if isinstance(note.item, Key)}
    good = {key.edits: key.trial.outcome == "runs" and right_key(case, key) for key in jam.keys if key.edits}
    ranked = [(makers.get(key.edits, f"turn {key.id.partition('-')[0]}"), good[key.edits]) for key in jam.keys if key.edits]
    rows += [(rule, "spoke", case.program, 1) for rule in {rule for rule, _ in ranked if rule.startswith("turn ")}]
    rows += _worth(ranked, "key", case.program)
    return rows


def _worth(ranked: list[tuple[str, bool]], what: str, program: str) -> list[tuple[str, str, str, int]]:
    """Compare the first of a ranking with the first without each rule."""
    rows = [(rule, f"right-{what}", program, 1) for rule in {rule for rule, right in ranked if right}]
    first = ranked[0][1] if ranked else False
    for rule in {rule for rule, _ in ranked}:
        rest = [right for other, right in ranked if other != rule]
        rows.append((rule, what, program, int(first) - int(rest[0] if rest else False)))
    return rows


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("corpus", type=Path, nargs="?")
    parser.add_argument("--new", type=Path, help="only the cases that this file names")
    parser.add_argument("--apart", action="store_true")
    parser.add_argument("--most", type=int, default=200)
    parser.add_argument("--quick", action="store_true", help="40 programs")
    parser.add_argument("--json", type=Path)
    given = parser.parse_args()
    interpreters.on_path()
    given.corpus = given.corpus.resolve() if given.corpus else None
    new = set(given.new.read_text(encoding="utf-8").split()) if given.new else set()
    sums: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    right_in: dict[str, set[str]] = defaultdict(set)
    notes = Notes()
    os.environ.update(MPLBACKEND="Agg", PYTHONHASHSEED="0")
    with tempfile.TemporaryDirectory(prefix="jamkey-ablation-") as made:
        work = Path(made)
        most = 40 if given.quick else given.most
        cases = list(of_corpus(given.corpus, work, new)) if given.corpus else []
        for half in ("open", "apart") if given.apart else ("open",):
            cases += list(of_programs(half, most, work))
        for case in cases:
            for rule, what, program, worth in measure(case, notes):
                sums[rule][what] += worth
                if what.startswith("right-"):
                    right_in[rule].add(program)
        os.chdir("/")
    rules = sorted(sums, key=lambda rule: (-min(len(right_in[rule]), 3), -sums[rule]["root"] - sums[rule]["key"], rule))
    few = sum(len(right_in[rule]) < 3 for rule in rules)
    print(f"{len(cases)} programs; {len(rules)} rules spoke, {few} are right in fewer than three")
    print(f"{'rule':64}{'spoke':>7}{'right':>7}{'root +':>8}{'key +':>7}")
    for rule in rules:
        print(f"{rule:64}{sums[rule]['spoke']:>7}{len(right_in[rule]):>7}{sums[rule]['root']:>8}{sums[rule]['key']:>7}")
    if given.json:
        text = json.dumps({rule: {**sums[rule], "programs": len(right_in[rule])} for rule in rules}, indent=1)
        given.json.write_text(text + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
