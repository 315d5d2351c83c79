"""What is right today about the copied cases, read from their saved text: where the root stands, and what the first key writes.

    python -m tests.expected

writes `tests/corpus_expected.json` anew: look at what changed before you commit it. A first key counts as right when the program,
with it, prints what the mended one prints, so this runs every case whose runtime is here.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import tempfile
from pathlib import Path
from typing import Any

from jamkey.errors import JamkeyError
from jamkey.model import Edit, Jam
from jamkey.pipeline import read_and_diagnose
from jamkey.text import splice
from tests.conftest import corpus_cases, interpreters, printed, truth_of

FILE = Path(__file__).with_name("corpus_expected.json")


def cases() -> list[Path]:
    return [case for case in corpus_cases() if truth_of(case)["phase"] in ("run", "compile")]


def last_jam(case: Path) -> Jam:
    """Return the failure of a case, read from its saved text with its sources at hand."""
    for text in printed(case):
        try:
            jam = read_and_diagnose(text, root=case / "src")[-1]
        except JamkeyError:
            continue
        if jam.snag_frame is not None:
            return jam
    raise AssertionError(f"{case.name} is not read")


def rank_of_root(case: Path, jam: Jam) -> int:
    """Return 1 when the first root is right, 3 when one of the first three is, else 0."""
    truth = truth_of(case)
    right = [truth["root"], *truth.get("root_also", [])]
    places = [(place.get("file", truth["root"]["file"]), place.get("cell"), place["line"]) for place in right]
    found = [(root.file, root.cell, root.line) in places for root in jam.roots[:3]]
    return 1 if found[:1] == [True] else 3 if True in found else 0


def first_edits(jam: Jam) -> tuple[Edit, ...]:
    return next((key.edits for key in jam.keys if key.edits), ())


def written(edits: tuple[Edit, ...]) -> list[str]:
    """Return a key in a form that can be kept: file, line and new text of each edit."""
    return [f"{edit.file}:{edit.line} {edit.new_text}" for edit in edits]


def _output(argv: list[str], folder: Path, stdin: str) -> tuple[int, bytes] | None:
    program = interpreters().get(argv[0].removeprefix("python"), "") if argv[0].startswith("python") else shutil.which(argv[0])
    if not program:
        return None
    try:
        done = subprocess.run([program, *argv[1:]], cwd=folder, input=stdin.encode(), capture_output=True, timeout=30)
    except subprocess.TimeoutExpired:
        return None
    return done.returncode, done.stdout


def key_is_right(case: Path, edits: tuple[Edit, ...]) -> bool:
    """Run the mended program, and the broken one with the key; tell whether both end well and print the same."""
    command: dict[str, Any] = json.loads((case / "cmd.json").read_text(encoding="utf-8"))
    if truth_of(case).get("how") != "real" or not edits or any(edit.cell is not None for edit in edits):
        return False
    with tempfile.TemporaryDirectory() as made:
        mended, turned = Path(made) / "mended", Path(made) / "turned"
        for folder in (mended, turned):
            shutil.copytree(case / "src", folder)
        if (case / "fixed").is_dir():
            shutil.copytree(case / "fixed", mended, dirs_exist_ok=True)
        for file in {edit.file for edit in edits}:
            text = (turned / file).read_bytes().decode("utf-8", "surrogateescape")
            changed = splice(text, [edit for edit in edits if edit.file == file])
            (turned / file).write_bytes(changed.encode("utf-8", "surrogateescape"))
        wanted = _output(
            command.get("fixed_argv", command["argv"]), mended, command.get("fixed_stdin", command.get("stdin", ""))
        )
        return wanted is not None and wanted[0] == 0 and _output(command["argv"], turned, command.get("stdin", "")) == wanted


def main() -> None:
    found = {}
    for case in cases():
        jam = last_jam(case)
        row: dict[str, Any] = {"root": rank_of_root(case, jam)}
        edits = first_edits(jam)
        if key_is_right(case, edits):
            row["key"] = written(edits)
        found[f"{case.parent.name}/{case.name}"] = row
    FILE.write_text(json.dumps(found, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
    roots = [row["root"] for row in found.values()]
    print(f"{len(found)} cases: root first {roots.count(1)}, in three {len(roots) - roots.count(0)}, ", end="")
    print(f"first key right {sum('key' in row for row in found.values())}")


if __name__ == "__main__":
    main()
