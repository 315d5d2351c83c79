"""Write the kept-apart yardstick's broken programs as cases of the corpus' form, for what learns from cases.

    python benchmarks/slipped.py FOLDER [--half open] [--phase run|quiet|hang] [--most N] [--jobs N] [--of CORPUS]

With `--of` the own mended programs of a corpus are broken otherwise than they were, by the open operators alone; what
comes of one stays in the half of its case. Only slips that raise while the program runs, or those that raise nothing
and print something else, or those after which it does not end; their line is known. stdout.txt and stderr.txt.
"""

from __future__ import annotations

import argparse
import ast
import hashlib
import itertools
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))
import kept_apart
import programs


def write(case: kept_apart.Case, folder: Path, phase: str = "run") -> bool:
    """Run one broken program and write it down; False when it is no case."""
    name = case.program.path.name
    with tempfile.TemporaryDirectory(prefix="jamkey-slipped-") as made:
        project = Path(made)
        (project / name).write_text(case.text, encoding="utf-8")
        status, printed, errors, _ = programs.run(programs.python(), str(project), name, kept_apart.LIMIT)
        if kept_apart.phase_of(case, status, printed, errors) != phase or not case.line:
            return False
        kind, line = kept_apart.truth_of(case, errors)
        if not line and phase == "run":
            return False
        target = folder / "python" / f"slip-{case.mark[:12]}"
        shutil.rmtree(target, ignore_errors=True)
        (target / "src").mkdir(parents=True)
        (target / "fixed").mkdir()
        (target / "src" / name).write_text(case.text, encoding="utf-8")
        (target / "fixed" / name).write_text(case.program.path.read_text(encoding="utf-8"), encoding="utf-8")
        (target / "stdout.txt").write_text(printed, encoding="utf-8")
        (target / "stderr.txt").write_text(errors.replace(str(project), "/home/learner/project"), encoding="utf-8")
        (target / "cmd.json").write_text(json.dumps({"argv": ["-", name], "stdin": ""}), encoding="utf-8")
        truth = {
            "id": f"{case.program.name}-{case.slip}",
            "runtime": "python",
            "phase": phase,
            "how": "real",
            "kind": None,
            "exception_type": kind or None,
            "message": "",
            "snag": {"file": name, "line": line} if line else None,
            "root": {"file": name, "line": case.line},
        }
        if phase == "quiet":
            truth["fixed_stdout"] = case.program.printed
        (target / "truth.json").write_text(json.dumps(truth), encoding="utf-8")
        return True


def broken(folder: Path, phase: str, half: str) -> Iterator[tuple[str, str, str, int]]:
    """Yield (operator, file, text with a slip, its line) for a case's mended program, in an order that their texts decide."""
    found = []
    for path in sorted({*(folder / "src").rglob("*.py"), *(folder / "fixed").rglob("*.py")}):
        whole = folder / ("fixed" if (folder / "fixed") in path.parents else "src")
        name = path.relative_to(whole).as_posix()
        if whole.name == "src" and (folder / "fixed" / name).exists():
            continue
        text = path.read_text(encoding="utf-8", errors="replace")
        try:
            tree = ast.parse(text)
        except (SyntaxError, ValueError):
            continue
        for operator, slip in kept_apart.SLIPS.items():
            if programs.side(operator) != half or (phase == "hang" and slip.family != "hangs"):
                continue
            for changed, line in slip.make(text, tree):
                if changed != text and line:
                    found.append((hashlib.sha256(f"{operator} {changed}".encode()).hexdigest(), operator, name, changed, line))
    seen = set()
    for _, operator, name, changed, line in sorted(found):
        if operator not in seen:
            seen.add(operator)
            yield operator, name, changed, line


def write_of(folder: Path, into: Path, phase: str, each: int, half: str) -> int:
    """Break a case's mended program and write down what comes of it; return how many."""
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    command = json.loads((folder / "cmd.json").read_text(encoding="utf-8"))
    if truth["runtime"] != "python" or truth.get("how") == "stand-in" or not (folder / "fixed").is_dir():
        return 0
    made = 0
    with tempfile.TemporaryDirectory(prefix="jamkey-slipped-") as scratch:
        whole = Path(scratch) / "whole"
        shutil.copytree(folder / "src", whole)
        shutil.copytree(folder / "fixed", whole, dirs_exist_ok=True)
        right = _run(command, whole)
        if right is None or right.returncode:
            return 0
        for operator, name, changed, line in itertools.islice(broken(folder, phase, half), 6 * each):
            here = Path(scratch) / "project"
            shutil.rmtree(here, ignore_errors=True)
            shutil.copytree(whole, here)
            (here / name).write_text(changed, encoding="utf-8")
            done = _run(command, here, _HANGS if phase == "hang" else _LIMIT)
            if _ended(done, right) != phase:
                continue
            done = done or subprocess.CompletedProcess([], 0, b"", b"")
            lines = re.findall(rf'File "[^"]*{re.escape(name)}", line (\d+)', done.stderr.decode("utf-8", "replace"))
            target = into / "python" / f"slip-{folder.name}-{operator}".replace(" ", "-")
            shutil.rmtree(target, ignore_errors=True)
            shutil.copytree(whole, target / "src", ignore=shutil.ignore_patterns("__pycache__"))
            (target / "src" / name).write_text(changed, encoding="utf-8")
            (target / "fixed" / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(whole / name, target / "fixed" / name)
            (target / "stdout.txt").write_bytes(done.stdout)
            (target / "stderr.txt").write_bytes(done.stderr.replace(str(here).encode(), b"/home/learner/project"))
            shutil.copy(folder / "cmd.json", target / "cmd.json")
            told = {
                "id": truth["id"],
                "runtime": "python",
                "phase": phase,
                "how": "real",
                "kind": None,
                "exception_type": None,
                "message": "",
                "snag": {"file": name, "line": int(lines[-1])} if lines else None,
                "root": {"file": name, "line": line},
            }
            if phase == "quiet":
                told["fixed_stdout"] = right.stdout.decode("utf-8", "replace")
            (target / "truth.json").write_text(json.dumps(told), encoding="utf-8")
            made += 1
            if made >= each:
                break
    return made


def _ended(done: subprocess.CompletedProcess[bytes] | None, right: subprocess.CompletedProcess[bytes]) -> str:
    """Return the phase of a run; empty for one that did what it should, or never began."""
    if done is None:
        return "hang"
    if b"SyntaxError" in done.stderr or b"IndentationError" in done.stderr:
        return ""
    return "run" if done.returncode else "quiet" if done.stdout != right.stdout else ""


#: Seconds that a program may take; what takes so many does not end.
_LIMIT, _HANGS = 20.0, 6.0


def _run(command: dict[str, Any], folder: Path, limit: float = _LIMIT) -> subprocess.CompletedProcess[bytes] | None:
    given = (command.get("stdin") or "").encode()
    env = {**os.environ, "MPLBACKEND": "Agg", "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        return subprocess.run(
            command["argv"], cwd=folder, input=given, capture_output=True, timeout=limit, check=False, env=env
        )
    except (subprocess.TimeoutExpired, OSError):
        return None


def main() -> None:
    """Write the cases of one half."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--half", default="open")
    parser.add_argument("--phase", default="run", choices=("run", "quiet", "hang"))
    parser.add_argument("--most", type=int, default=400)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--of", type=Path, help="break the mended programs of this corpus")
    parser.add_argument("--each", type=int, default=1, help="so many of one program, with --of")
    asked = parser.parse_args()
    if asked.of:
        folders = sorted(truth.parent for truth in asked.of.glob("python/*/truth.json"))
        with ThreadPoolExecutor(asked.jobs) as pool:
            kept = sum(pool.map(lambda folder: write_of(folder, asked.folder, asked.phase, asked.each, asked.half), folders))
        print(f"{kept} cases in {asked.folder}")
        return
    families = ["hangs"] if asked.phase == "hang" else sorted({slip.family for slip in kept_apart.SLIPS.values()})
    lists = [kept_apart.candidates(asked.half, family) for family in families]
    mixed = [
        case for row in zip(*(items + [None] * (1000 - len(items)) for items in lists), strict=False) for case in row if case
    ]
    kept = 0
    with ThreadPoolExecutor(asked.jobs) as pool:
        for start in range(0, len(mixed), 8):
            kept += sum(pool.map(lambda case: write(case, asked.folder, asked.phase), mixed[start : start + 8]))
            if kept >= asked.most:
                break
    print(f"{kept} cases in {asked.folder}")


if __name__ == "__main__":
    main()
