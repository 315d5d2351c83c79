"""Write the kept-apart yardstick's broken programs as cases of the corpus' form, for what learns from cases.

    python benchmarks/slipped.py FOLDER [--half open] [--phase run|quiet] [--most N] [--jobs N]

Only slips that raise while the program runs, or those that raise nothing and print something else; their line is known.
stdout.txt and stderr.txt.
"""

from __future__ import annotations

import argparse
import json
import shutil
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

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
        (target / "cmd.json").write_text(json.dumps({"argv": ["python3.11", name], "stdin": ""}), encoding="utf-8")
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


def main() -> None:
    """Write the cases of one half."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--half", default="open")
    parser.add_argument("--phase", default="run", choices=("run", "quiet"))
    parser.add_argument("--most", type=int, default=400)
    parser.add_argument("--jobs", type=int, default=2)
    asked = parser.parse_args()
    families = sorted({slip.family for slip in kept_apart.SLIPS.values()})
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
