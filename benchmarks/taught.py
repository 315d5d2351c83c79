"""Make cases, in the form of the corpus, of the programs in `taught/`: small broken programs written to teach the tables.

    python benchmarks/taught.py FOLDER [--python INTERPRETER] [FILE ...]

A block of a file is one program: `=== RUNTIME/NAME COMMAND`, then `--- PATH` with a file's text, then `+++ PATH` with what
mends it: `- ` a line as it is (`-@N ` where it stands there more than once), `+ ` what stands there instead, none to several
lines with that line's indentation (`+|` without it). Each is run as it is and as it is mended; one that prints the same as
mended, or fails then, is told and left out.
"""

from __future__ import annotations

import argparse
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import NamedTuple

TAUGHT = Path(__file__).parent / "taught"
_LIMIT = 15.0
#: Stands before a line that keeps its own indentation.
_AS_IT_IS = "\0"
#: What is printed of programs that never began.
_COMPILES = {
    "python": re.compile(r"^(?:SyntaxError|IndentationError|TabError)\b", re.MULTILINE),
    "java": re.compile(r"\berror: "),
    "c": re.compile(r"\berror: "),
    "javascript": re.compile(r"^SyntaxError\b", re.MULTILINE),
}


class Program(NamedTuple):
    """A broken program, how it is run, and what mends it."""

    runtime: str
    name: str
    argv: list[str]
    files: dict[str, str]
    #: (file, line, new lines)
    fixes: list[tuple[str, int, list[str]]]

    def mended(self) -> dict[str, str]:
        """Return the files that change, mended."""
        rows: dict[str, list[str | None]] = {file: list(self.files[file].split("\n")) for file, _, _ in self.fixes}
        for file, line, new in self.fixes:
            old = self.files[file].split("\n")[line - 1]
            indent = old[: len(old) - len(old.lstrip())]
            rows[file][line - 1] = (
                "\n".join((row[1:] if row.startswith(_AS_IT_IS) else indent + row).rstrip() for row in new) if new else None
            )
        return {file: "\n".join(row for row in lines if row is not None) for file, lines in rows.items()}


def programs(text: str) -> list[Program]:
    """Return the programs of a file's text.

    Raises:
        ValueError: a line that is to be mended stands not there, or more than once.
    """
    found = []
    for block in re.split(r"^=== ", text, flags=re.MULTILINE)[1:]:
        head, _, body = block.partition("\n")
        name, _, command = head.partition(" ")
        files: dict[str, str] = {}
        fixes: list[tuple[str, int, list[str]]] = []
        for part in re.split(r"^(?=--- |\+\+\+ )", body, flags=re.MULTILINE):
            path, _, rest = part[4:].partition("\n")
            if part.startswith("--- "):
                files[path] = rest
            for row in rest.splitlines() if part.startswith("+++ ") else ():
                if row.startswith("-"):
                    fixes.append((path, _line(files[path], row, name), []))
                elif row.startswith("+"):
                    fixes[-1][2].append(_AS_IT_IS + row[2:] if row.startswith("+|") else row[2:])
        runtime, _, short = name.partition("/")
        found.append(Program(runtime, short, shlex.split(command), files, fixes))
    return found


def _line(text: str, row: str, name: str) -> int:
    """Return which line of a text a `- ` line means."""
    numbered = re.match(r"-@(\d+) ", row)
    if numbered is not None:
        return int(numbered[1])
    lines = [number for number, line in enumerate(text.split("\n"), 1) if line.strip() == row[2:].strip()]
    if len(lines) != 1:
        raise ValueError(f"{name}: {row!r} stands on {len(lines)} lines; name one with -@N")
    return lines[0]


def run(program: Program, files: dict[str, str], python: str) -> subprocess.CompletedProcess[bytes] | None:
    """Run a program with these files in a folder of its own; None where it does not end."""
    with tempfile.TemporaryDirectory() as folder:
        write(Path(folder), files)
        argv = [python if word == "python3" and place == 0 else word for place, word in enumerate(program.argv)]
        environment = {**os.environ, "PYTHONDONTWRITEBYTECODE": "1"}
        try:
            return subprocess.run(
                argv, cwd=folder, env=environment, stdin=subprocess.DEVNULL, capture_output=True, timeout=_LIMIT, check=False
            )
        except subprocess.TimeoutExpired:
            return None


def write(folder: Path, files: dict[str, str]) -> None:
    """Write files below a folder."""
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")


def make(program: Program, folder: Path, python: str) -> str:
    """Write the case of a program; return why it is none, else the empty text."""
    broken = run(program, program.files, python)
    after = run(program, {**program.files, **program.mended()}, python)
    if after is None:
        return "does not end when mended"
    if after.returncode != 0:
        return f"fails when mended: {after.stderr.decode(errors='replace')[-200:]}"
    if broken is not None and broken.returncode == 0 and broken.stdout == after.stdout:
        return "does not fail"
    case = folder / program.runtime / f"taught-{program.name}"
    shutil.rmtree(case, ignore_errors=True)
    write(case / "src", program.files)
    write(case / "fixed", program.mended())
    (case / "stdout.txt").write_bytes(broken.stdout if broken is not None else b"")
    (case / "stderr.txt").write_bytes(broken.stderr if broken is not None else b"")
    (case / "cmd.json").write_text(json.dumps({"argv": program.argv}), encoding="utf-8")
    places = [{"file": file, "line": line} for file, line, _ in program.fixes]
    truth = {
        "id": f"taught-{program.name}",
        "runtime": program.runtime,
        "how": "real",
        "phase": phase_of(program, broken),
        "root": places[0],
        "root_also": places[1:],
    }
    if truth["phase"] == "quiet":
        truth["fixed_stdout"] = after.stdout.decode(errors="replace")
    (case / "truth.json").write_text(json.dumps(truth, indent=1), encoding="utf-8")
    return ""


def phase_of(program: Program, broken: subprocess.CompletedProcess[bytes] | None) -> str:
    """Return how a broken program ended: not at all, before it began, while it ran, or well and with a wrong result."""
    if broken is None:
        return "hang"
    if broken.returncode == 0:
        return "quiet"
    return "compile" if never_began(program.runtime, broken.stderr.decode(errors="replace")) else "run"


def never_began(runtime: str, printed: str) -> bool:
    """Tell by what was printed whether a compiler refused the program."""
    pattern = _COMPILES.get(runtime)
    return pattern is not None and pattern.search(printed) is not None


def main() -> None:
    """Make the cases of all files, or of those that are named."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("files", type=Path, nargs="*", default=sorted(TAUGHT.glob("*.txt")))
    parser.add_argument("--python", default=sys.executable, help="an interpreter that has the packages which they import")
    asked = parser.parse_args()
    made = 0
    for path in asked.files:
        for program in programs(path.read_text(encoding="utf-8")):
            why = make(program, asked.folder, asked.python)
            made += not why
            if why:
                print(f"{program.runtime}/{program.name}: {why}")
    print(f"{made} cases")


if __name__ == "__main__":
    main()
