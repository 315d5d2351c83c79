"""How often the reading is right, over a folder of cases in the corpus format.

usage: python benchmarks/accuracy.py FOLDER [--text-only] [--only SUBSTRING] [--list] [--out FILE]
                                     [--python NAME=PATH ...]

FOLDER holds <runtime>/<case>/ (or <case>/ directly). Two modes, both reported:
  text   the saved stderr.txt is read with the sources at hand, nothing is run
  live   the program is run by `jamkey fix --preview --save`, where its interpreter is installed; a key counts as
         right when the program with it exits with 0 and prints exactly what the `fixed/` program prints

Prints a table and writes JSON. An interpreter named in cmd.json is sought on the path; --python python3.8=/x/bin/python3.8
names one, --python data=... one that has the data libraries.
"""

from __future__ import annotations

import argparse
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from jamkey.errors import JamkeyError
from jamkey.follow.cell_module import rewritten
from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose
from jamkey.text import decode, encoding_of
from jamkey.views.json import parse

ENV = {"MPLBACKEND": "Agg", "PYTHONHASHSEED": "0", "PYTHONDONTWRITEBYTECODE": "1", "LC_ALL": "C.UTF-8", "OMP_NUM_THREADS": "1"}
MEASURES = ("type", "message", "phase", "kind", "snag", "root-1", "root-3", "fix-1", "fix-3")


def cases(folder: Path) -> list[Path]:
    return sorted(path.parent for path in folder.rglob("truth.json") if (path.parent / "src").is_dir())


def judge(jams: list[Jam], truth: dict) -> dict[str, bool]:
    jam = jams[-1] if jams else None
    if jam is None:
        return dict.fromkeys(("type", "message", "phase", "kind", "snag", "root-1", "root-3"), False)
    frame = jam.snag_frame
    snags = [truth["snag"], *truth.get("snag_also_acceptable", ())]
    root = (truth["root"]["file"], truth["root"].get("cell"), truth["root"]["line"])
    roots = [(r.file, r.cell, r.line) for r in jam.roots]
    return {
        "type": jam.exception_type == truth["exception_type"],
        "message": same_message(jam.message or "", truth["message"] or ""),
        "phase": jam.phase == truth["phase"],
        "kind": jam.kind == truth["kind"],
        "snag": frame is not None
        and (frame.file, frame.cell, frame.line) in [(s["file"], s.get("cell"), s["line"]) for s in snags],
        "root-1": roots[:1] == [root],
        "root-3": root in roots[:3],
    }


def same_message(found: str, wanted: str) -> bool:
    """The truth of some runtimes names the part of the message that tells; Python's and JavaScript's is whole."""
    return found.strip() == wanted.strip() or (bool(wanted.strip()) and wanted.strip() in found)


def text_mode(case: Path, truth: dict) -> dict[str, bool]:
    jams: list[Jam] = []
    printed = [(case / name).read_bytes() for name in ("stderr.txt", "stdout.txt")]
    # some runtimes print their failures to standard output, or the place there and the message here
    for data in (printed[0], b"\n".join(printed[::-1])):
        try:
            jams = read_and_diagnose(decode(data), root=case / "src")
        except JamkeyError:
            continue
        if jams[-1].snag_frame is not None:
            break
    return judge(jams, truth)


class Interpreters:
    """Finds what cmd.json names; a shim that answers with an error is none."""

    def __init__(self, named: dict[str, str]) -> None:
        self.named = named
        self.known: dict[str, str | None] = {}

    def find(self, name: str, needs: list[str]) -> str | None:
        key = name + ",".join(needs)
        if key not in self.known:
            self.known[key] = self._find(name, needs)
        return self.known[key]

    def _find(self, name: str, needs: list[str]) -> str | None:
        path = self.named.get("data" if needs else name) or shutil.which(self.named.get(name, name))
        if path is None:
            return None
        modules = {"scikit-learn": "sklearn"}
        if not needs and not name.startswith(("python", "pypy")):
            return path
        check = ["-c", "import " + ", ".join(modules.get(n, n) for n in needs)] if needs else ["--version"]
        try:
            done = subprocess.run([path, *check], capture_output=True, timeout=60)
        except OSError:
            return None
        return path if done.returncode == 0 else None


def run(argv: list[str], folder: Path, stdin: str, env: dict[str, str]) -> tuple[int, str]:
    try:
        done = subprocess.run(
            argv, cwd=folder, input=stdin.encode(), capture_output=True, timeout=60, env={**os.environ, **ENV, **env}
        )
    except (subprocess.TimeoutExpired, OSError):
        return -1, ""
    printed = done.stdout.decode("utf-8", "replace")
    # sclang tells how long it took to build its class library
    return done.returncode, re.sub(
        r"(?m)^.*(?:[\d.]+ seconds|Compil|compil|class tree|bytes|Reading|Found \d+|Welcome).*\n?", "", printed
    ) if "sclang" in argv else printed


def laid_out(case: Path, *, fixed: bool = False) -> Path:
    folder = Path(tempfile.mkdtemp(prefix="jamkey-case-")) / "project"
    shutil.copytree(case / "src", folder)
    if fixed and (case / "fixed").is_dir():
        shutil.copytree(case / "fixed", folder, dirs_exist_ok=True)
    return folder


def live_mode(case: Path, truth: dict, interpreters: Interpreters) -> dict[str, bool] | None:
    command = json.loads((case / "cmd.json").read_text(encoding="utf-8"))
    notebook = command["argv"][0] == "notebook-kernel"
    page = next((word for word in command["argv"] if word.endswith(".html") and ".page_console.mjs" in command["argv"]), None)
    program = interpreters.find(
        "data" if notebook else command["argv"][0], ["ipykernel"] if notebook else command.get("needs", [])
    )
    if program is None or truth["phase"] not in ("run", "compile") or command.get("drop_capability"):
        return None
    env = command.get("env", {})
    argv = [program, *command["argv"][1:]]
    target = ["--", *argv]
    if notebook:
        target = ["--python", program, *command["argv"][1:]]
        argv = [sys.executable, "-m", "jamkey.observe.kernel", *target]
    if page is not None:
        target = [page]
        argv = [sys.executable, "-m", "jamkey.observe.browser", page]
    folder, right = laid_out(case), laid_out(case, fixed=True)
    out = folder.parent / "out.json"
    try:
        subprocess.run(
            [sys.executable, "-m", "jamkey", "fix", "--preview", "--save", str(out), *target],
            cwd=folder,
            input=command["stdin"].encode(),
            capture_output=True,
            timeout=300,
            env={**os.environ, **ENV, **env},
        )
        jams = list(parse(out.read_bytes()).jams) if out.exists() else []
        found = judge(jams, truth)
        if not (case / "fixed").is_dir() or "fixed_argv" in command:
            return found
        wanted = run(argv, right, command.get("fixed_stdin", command["stdin"]), env)
        good: list[bool] = []
        for key in (jams[-1].keys if jams else ())[:3]:
            good.append(bool(key.edits) and _prints(case, key.edits, argv, command["stdin"], env) == wanted)
        return {**found, "fix-1": good[:1] == [True], "fix-3": True in good}
    except subprocess.TimeoutExpired:
        return judge([], truth)
    finally:
        shutil.rmtree(folder.parent, ignore_errors=True)
        shutil.rmtree(right.parent, ignore_errors=True)


def _prints(case: Path, edits: tuple, argv: list[str], stdin: str, env: dict[str, str]) -> tuple[int, str]:
    folder = laid_out(case)
    try:
        for file in {edit.file for edit in edits}:
            data = (folder / file).read_bytes()
            text = rewritten(decode(data), [edit for edit in edits if edit.file == file])
            (folder / file).write_bytes(text.encode(encoding_of(data)))
        return run(argv, folder, stdin, env)
    finally:
        shutil.rmtree(folder.parent, ignore_errors=True)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--text-only", action="store_true")
    parser.add_argument("--only", default="", help="cases whose name holds this")
    parser.add_argument("--list", action="store_true", help="name the cases that miss")
    parser.add_argument("--out", type=Path, default=Path("benchmarks/results/accuracy.json"))
    parser.add_argument("--python", action="append", default=[], metavar="NAME=PATH")
    options = parser.parse_args()
    interpreters = Interpreters(dict(item.split("=", 1) for item in options.python))
    chosen = [case for case in cases(options.folder) if options.only in case.name]
    if not chosen:
        print(f"no cases in {options.folder}", file=sys.stderr)
        return 2

    def both(case: Path) -> tuple[str, str, dict, dict | None]:
        truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
        runtime = truth["runtime"]
        if truth["phase"] not in ("run", "compile"):
            return runtime, case.name, {}, None
        live = None if options.text_only else live_mode(case, truth, interpreters)
        return runtime, case.name, text_mode(case, truth), live

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 2) as pool:
        results = list(pool.map(both, chosen))
    report: dict[str, dict] = {}
    for mode, place in (("text", 2), ("live", 3)):
        by_runtime: dict[str, list[tuple[str, dict]]] = defaultdict(list)
        for result in results:
            if result[place]:
                by_runtime[result[0]].append((result[1], result[place]))
        for runtime, rows in sorted(by_runtime.items()):
            row: dict[str, object] = {"cases": len(rows)}
            misses: dict[str, list[str]] = {}
            for measure in MEASURES:
                having = [(name, found[measure]) for name, found in rows if measure in found]
                if having:
                    row[measure] = round(sum(ok for _, ok in having) / len(having), 4)
                    misses[measure] = [name for name, ok in having if not ok]
            report[f"{runtime}/{mode}"] = {**row, "misses": misses}
    print(f"{'':22}{'cases':>7}" + "".join(f"{name:>9}" for name in MEASURES))
    for name, row in report.items():
        cells = "".join(f"{100 * row[m]:8.1f}%" if m in row else f"{'':9}" for m in MEASURES)
        print(f"{name:22}{row['cases']:>7}{cells}")
    if options.list:
        for name, row in report.items():
            for measure, missed in row["misses"].items():
                if missed:
                    print(f"\n{name} {measure}: {', '.join(missed)}")
    options.out.parent.mkdir(parents=True, exist_ok=True)
    options.out.write_text(json.dumps(report, indent=1), encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
