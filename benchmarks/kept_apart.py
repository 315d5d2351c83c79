"""How often real programs that are broken by one slip are read and mended right; half of it is kept apart.

    python benchmarks/kept_apart.py [--apart] [--quick] [--most N] [--family NAME ...] [--jamkey PATH] [--jobs 2]
                                    [--json FILE] [--list]

Programs by others (`programs.py`) are broken by the operators of `slips/`. Programs and operators are each split in two by a
hash of their names: *open* (rules may be tried on it) and *apart*: an open program meets open operators only, one apart those
apart. The apart half runs only with `--apart` and prints totals, never a case.

Measured of each case, on what `jamkey fix --preview --save` writes: the type that the interpreter names; the innermost line
of the program in its trace (snag); a root on the line of the slip (first, in three; also of those cases alone in which that is
another line than the snag); a key that runs; a key with which the program prints what the healthy one prints (first, in three);
of the first keys whose trial ran, the share that prints something else; seconds. Hang and quiet cases are given the healthy
output with `--expect`.
"""

from __future__ import annotations

import argparse
import ast
import contextlib
import hashlib
import json
import re
import shutil
import statistics
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, NamedTuple

import programs
from programs import Program, side
from slips import SLIPS

from jamkey.model import Edit
from jamkey.text import splice

#: Seconds after which a broken program counts as hanging, and that a mended one may take.
LIMIT = 10.0
#: Seconds for the whole of one `fix --preview`.
PATIENCE = 240.0
COLUMNS = ("type", "snag", "root1", "root3", "away1", "away3", "offered", "runs3", "fix1", "fix3", "wrong")


class Case(NamedTuple):
    """A program with one slip."""

    program: Program
    slip: str
    text: str
    #: Line of the slip; 0 where no line is.
    line: int

    @property
    def mark(self) -> str:
        return hashlib.sha256(f"{self.program.name} {self.slip} {self.text}".encode()).hexdigest()


def candidates(half: str, family: str) -> list[Case]:
    """Return the broken programs of a family, one a program and operator, in an order that the names decide."""
    found = []
    for program in programs.programs():
        if side(program.name) != half:
            continue
        text = program.path.read_text(encoding="utf-8")
        tree = ast.parse(text)
        for name, slip in SLIPS.items():
            if slip.family == family and side(name) == half:
                made = [Case(program, name, changed, line) for changed, line in slip.make(text, tree) if changed != text]
                found += sorted(made, key=lambda case: case.mark)[:1]
    return sorted(found, key=lambda case: case.mark)


def phase_of(case: Case, status: int | None, printed: str, errors: str) -> str | None:
    """Return the phase of a broken program's run; None when the slip did no harm."""
    if status is None:
        return "hang"
    if status == 0:
        return "quiet" if printed != case.program.printed else None
    return "compile" if re.search(r"^(?:SyntaxError|IndentationError|TabError):", errors, re.M) and not printed else "run"


def truth_of(case: Case, errors: str) -> tuple[str, int]:
    """Return the type and the innermost line of the program that the interpreter's own trace tells."""
    last = [
        row for row in errors.splitlines() if re.match(r"[\w.]+(?:Error|Exception|Exit|Warning|Iteration|Interrupt)\b", row)
    ]
    lines = re.findall(rf'File "[^"]*{re.escape(case.program.path.name)}", line (\d+)', errors)
    return (last[-1].partition(":")[0].rpartition(".")[2] if last else ""), int(lines[-1]) if lines else 0


def measured(case: Case, jamkey: str) -> dict[str, Any] | None:
    """Break, read and mend one program; None when the slip did no harm."""
    folder = tempfile.mkdtemp(prefix="jamkey-apart-")
    try:
        return _measured(case, jamkey, Path(folder))
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _measured(case: Case, jamkey: str, folder: Path) -> dict[str, Any] | None:
    name = case.program.path.name
    project = folder / "project"
    project.mkdir()
    (project / name).write_text(case.text, encoding="utf-8")
    status, printed, errors, _ = programs.run(programs.python(), str(project), name, LIMIT)
    phase = phase_of(case, status, printed, errors)
    if phase is None:
        return None
    asked = [jamkey, "fix", "--preview", "--no-keep", "--python", programs.python(), "--limit", f"{LIMIT:.0f}s"]
    if phase in ("hang", "quiet"):
        (folder / "right.txt").write_text(case.program.printed, encoding="utf-8")
        asked += ["--expect", str(folder / "right.txt")]
    env_words = {"MPLBACKEND": "Agg", "PYTHONHASHSEED": "0", "JAMKEY_STATE": str(folder / "state")}
    begin = programs.time.perf_counter()
    with contextlib.suppress(subprocess.TimeoutExpired):
        subprocess.run(
            [*asked, "--save", str(folder / "out.json"), name],
            cwd=project,
            env={**programs.os.environ, **env_words},
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=PATIENCE,
        )
    seconds = programs.time.perf_counter() - begin
    found = json.loads((folder / "out.json").read_text(encoding="utf-8")) if (folder / "out.json").exists() else {}
    jam = (found.get("jams") or [{}])[-1]
    row: dict[str, Any] = {"phase": phase, "family": SLIPS[case.slip].family, "seconds": seconds}
    if phase in ("run", "compile"):
        kind, line = truth_of(case, errors)
        frames, snag = jam.get("frames") or [], jam.get("snag")
        row["type"] = (jam.get("exception_type") or "").rpartition(".")[2] == kind
        if line:
            row["snag"] = snag is not None and frames[snag]["line"] == line
    if case.line:
        lines = [root["line"] for root in jam.get("roots") or []]
        row["root1"], row["root3"] = case.line in lines[:1], case.line in lines[:3]
        if phase == "run" and truth_of(case, errors)[1] != case.line:
            row["away1"], row["away3"] = row["root1"], row["root3"]
    keys = [key for key in jam.get("keys") or [] if key.get("edits")][:3]
    results = [_applied(case, key, folder / f"try{place}") for place, key in enumerate(keys)]
    row["offered"] = bool(keys)
    row["runs3"] = any(ran for ran, _ in results)
    row["fix1"], row["fix3"] = bool(results) and results[0][1], any(right for _, right in results)
    if keys and (keys[0].get("trial") or {}).get("outcome") == "runs":
        row["wrong"] = not results[0][1]
    return row


def _applied(case: Case, key: dict[str, Any], folder: Path) -> tuple[bool, bool]:
    """Apply a key to the broken program; tell whether it runs then, and prints what it should."""
    name = case.program.path.name
    folder.mkdir()
    edits = [Edit(**{word: edit[word] for word in Edit.__struct_fields__ if word in edit}) for edit in key["edits"]]
    try:
        changed = splice(case.text, [edit for edit in edits if Path(edit.file).name == name])
    except (ValueError, IndexError):
        return False, False
    (folder / name).write_text(changed, encoding="utf-8")
    status, printed, _, _ = programs.run(programs.python(), str(folder), name, LIMIT)
    return status == 0, status == 0 and printed == case.program.printed


def rows_of(half: str, families: list[str], most: int, jamkey: str, jobs: int) -> Iterator[tuple[Case, dict[str, Any]]]:
    """Measure the cases, the same number of every family as far as there are."""
    share = max(most // len(families), 1)
    with ThreadPoolExecutor(jobs) as pool:
        for family in families:
            waiting = iter(candidates(half, family))
            kept = 0
            while kept < share:
                batch = [case for _, case in zip(range(jobs), waiting, strict=False)]
                if not batch:
                    break
                for case, row in zip(batch, pool.map(lambda case: measured(case, jamkey), batch), strict=True):
                    if row is not None and kept < share:
                        kept += 1
                        yield case, row


def table(rows: list[dict[str, Any]], by: str) -> dict[str, dict[str, float | int | None]]:
    """Return the shares in percent, by phase or family."""
    groups: dict[str, list[dict[str, Any]]] = defaultdict(list)
    for row in rows:
        groups[row[by]].append(row)
        groups["all"].append(row)
    made: dict[str, dict[str, float | int | None]] = {}
    for name, part in groups.items():
        made[name] = {"n": len(part)}
        for column in COLUMNS:
            values = [row[column] for row in part if column in row]
            made[name][column] = round(100 * sum(values) / len(values), 1) if values else None
        made[name]["seconds"] = round(statistics.median(row["seconds"] for row in part), 2)
    return made


def shown(made: dict[str, dict[str, float | int | None]]) -> None:
    """Print a table."""
    names = ("n", *COLUMNS, "seconds")
    print(f"{'':12}" + "".join(f"{name:>9}" for name in names))
    for group, shares in sorted(made.items(), key=lambda item: item[0] == "all"):
        print(f"{group:12}" + "".join(f"{'-' if shares[name] is None else shares[name]:>9}" for name in names))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--apart", action="store_true")
    parser.add_argument("--quick", action="store_true", help="60 cases")
    parser.add_argument("--most", type=int, default=300)
    parser.add_argument("--family", nargs="*")
    parser.add_argument("--jamkey", default=str(Path(sys.executable).with_name("jamkey")))
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--json", type=Path)
    parser.add_argument("--list", action="store_true", help="name the cases of the open half that are not right")
    given = parser.parse_args()
    half = "apart" if given.apart else "open"
    families = given.family or sorted({slip.family for slip in SLIPS.values()})
    rows = []
    for case, row in rows_of(half, families, 60 if given.quick else given.most, given.jamkey, given.jobs):
        rows.append(row)
        if given.list and half == "open" and not (row["fix1"] and row.get("root1", True)):
            wrong = " ".join(name for name in COLUMNS if row.get(name) is False)
            print(f"{row['phase']:8}{case.slip:34}{case.program.name} line {case.line}: not {wrong}", flush=True)
    if not rows:
        sys.exit("no case: python benchmarks/programs.py fetches the programs")
    made = {by: table(rows, by) for by in ("phase", "family")}
    for by in made:
        print(f"\n{half}, by {by}")
        shown(made[by])
    if given.json:
        given.json.write_text(json.dumps(made, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
