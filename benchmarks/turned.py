"""Break the mended programs of a corpus by the very turns that the search puts in, and write down what fails as cases.

    python benchmarks/turned.py FOLDER --of CORPUS [--runtime NAME ...] [--each N] [--tries N] [--jobs N]

What a turn does another turn undoes: a conversion left out, a name for another, a bound by one. So every language has as
many failures with a known fix as there are healthy programs in it. What comes of one program stays in its half.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import shutil
import subprocess
import tempfile
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from programs import python

from jamkey.follow.places import Place
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages.trees import is_whole
from jamkey.model import Jam
from jamkey.search.candidates import edits_of, texts_with
from jamkey.text import shorten
from jamkey.turns import SHELF as TURNS
from jamkey.turns.base import Ground, Made

LIMIT = 20.0
#: Languages that are read by tokens.
_WITHOUT_TREES = ("r", "octave")
#: What a compiler or a parser says; such a program does not fail while it runs.
_REFUSED = (": error:", "SyntaxError", "IndentationError", "TabError", "unexpected", "parse error", " near ")


def broken(folder: Path, sources: tuple[str, ...], runtime: str, pick: random.Random) -> list[tuple[str, str, str, int]]:
    """Return (turn, file, text, line), one of each turn's family, in random order; none of them breaks the grammar."""
    whole = Sources(folder)
    found: dict[str, list[tuple[Ground, Made]]] = defaultdict(list)
    for file in sources:
        code = whole.code(file, runtime)
        if code is None:
            continue
        scene = Scene(Jam(runtime=runtime), whole)
        done = set()
        for line in range(1, code.text.count("\n") + 2):
            for statement in code.heads(line):
                if statement.span in done:
                    continue
                done.add(statement.span)
                ground = Ground(scene, Place(file, statement.span.line, 0), code, statement)
                parts = [part for top in (*statement.parts, *statement.targets) for part in top.walk()][:60]
                for turn in TURNS:
                    made = [made for part in parts for made in turn.at_part(part, ground)]
                    for one in (*made, *turn.at_statement(statement, ground)):
                        if not one.more and not one.skips:
                            found[one.turn].append((ground, one))
    families: dict[str, list[tuple[Ground, Made]]] = defaultdict(list)
    for turn in sorted(found):
        families[turn.partition(":")[0]].append(pick.choice(found[turn]))
    made = []
    for family, items in sorted(families.items()):
        for ground, one in pick.sample(items, min(3, len(items))):
            file = ground.place.file
            texts = texts_with(ground.scene, edits_of(file, one))
            ending = os.path.splitext(file)[1].lower()
            if texts and (runtime in _WITHOUT_TREES or is_whole(texts[file], ground.language, ending)):
                made.append((family, file, texts[file], one.span.line))
    pick.shuffle(made)
    return made


def write_of(folder: Path, into: Path, each: int, tries: int) -> int:
    """Break a case's mended program and write down what fails while it runs; return how many."""
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    command = json.loads((folder / "cmd.json").read_text(encoding="utf-8"))
    runtime = truth["runtime"]
    argv = [python() if command["argv"][0] == "-" else command["argv"][0], *command["argv"][1:]]
    if (
        "fixed_argv" in command
        or truth.get("how") == "stand-in"
        or not (folder / "fixed").is_dir()
        or not shutil.which(argv[0])
    ):
        return 0
    kept = 0
    with tempfile.TemporaryDirectory(prefix="jamkey-turned-") as scratch:
        whole, here = Path(scratch) / "whole", Path(scratch) / "project"
        shutil.copytree(folder / "src", whole)
        shutil.copytree(folder / "fixed", whole, dirs_exist_ok=True)
        right = _run(argv, command, whole, here)
        if right is None or right.returncode:
            return 0
        endings = {path.suffix for path in (folder / "src").rglob("*") if path.is_file()} - {".csv", ".json", ".txt"}
        files = tuple(sorted(p.relative_to(whole).as_posix() for p in whole.rglob("*") if p.is_file() and p.suffix in endings))
        seen = set()
        for family, file, text, line in broken(whole, files, runtime, random.Random(folder.name))[:tries]:
            if family in seen:
                continue
            (Path(scratch) / "changed").mkdir(exist_ok=True)
            changed = Path(scratch) / "changed"
            shutil.rmtree(changed)
            shutil.copytree(whole, changed)
            (changed / file).write_text(text, encoding="utf-8")
            done = _run(argv, command, changed, here)
            told = done.stderr.decode("utf-8", "replace") if done is not None else ""
            if done is None or not done.returncode or any(word in told for word in _REFUSED):
                continue
            seen.add(family)
            target = into / runtime / f"slip-{folder.name}-{family}".replace(" ", "-")
            shutil.rmtree(target, ignore_errors=True)
            shutil.copytree(changed, target / "src", ignore=shutil.ignore_patterns("__pycache__"))
            (target / "fixed" / file).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(whole / file, target / "fixed" / file)
            (target / "stdout.txt").write_bytes(done.stdout)
            (target / "stderr.txt").write_bytes(done.stderr.replace(str(here).encode(), b"/home/learner/project"))
            shutil.copy(folder / "cmd.json", target / "cmd.json")
            facts = {
                "id": truth["id"],
                "runtime": runtime,
                "phase": "run",
                "how": "real",
                "kind": None,
                "exception_type": None,
                "message": shorten(told.strip().split("\n")[-1], 100),
                "snag": None,
                "root": {"file": file, "line": line},
            }
            (target / "truth.json").write_text(json.dumps(facts), encoding="utf-8")
            kept += 1
            if kept >= each:
                break
    return kept


def _run(argv: list[str], command: dict[str, str], project: Path, here: Path) -> subprocess.CompletedProcess[bytes] | None:
    shutil.rmtree(here, ignore_errors=True)
    shutil.copytree(project, here)
    given = (command.get("stdin") or "").encode()
    try:
        return subprocess.run(argv, cwd=here, input=given, capture_output=True, timeout=LIMIT, check=False)
    except (subprocess.TimeoutExpired, OSError):
        return None


def main() -> None:
    """Write the cases."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--of", type=Path, required=True)
    parser.add_argument("--runtime", nargs="*", default=["c", "java", "javascript", "lua", "octave", "r"])
    parser.add_argument("--each", type=int, default=3)
    parser.add_argument("--tries", type=int, default=12)
    parser.add_argument("--jobs", type=int, default=2)
    asked = parser.parse_args()
    folders = sorted(truth.parent for name in asked.runtime for truth in asked.of.glob(f"{name}/*/truth.json"))
    with ThreadPoolExecutor(asked.jobs) as pool:
        kept = sum(pool.map(lambda folder: write_of(folder, asked.folder, asked.each, asked.tries), folders))
    print(f"{kept} cases in {asked.folder}")


if __name__ == "__main__":
    main()
