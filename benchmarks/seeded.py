"""How often healthy scripts that are broken by one typical slip are read and mended right.

usage: python benchmarks/seeded.py [--part seen|aside|both] [--each N] [--slip NAME] [--packages NAME==VERSION,...]
                                   [--most N] [--list] [--out FILE]

Takes the scripts in benchmarks/seeds (and, with --packages, the example scripts in the source distributions of the named
packages, fetched by pip into a temporary environment), breaks each by one slip of benchmarks/slips.py, keeps those
that really fail, and runs `jamkey fix --preview --save` on them. Right means: the type that the interpreter names; the
innermost line of the script in its trace; a root on the line of the slip; a key with which the program prints what the
healthy one prints. A third of the cases, chosen by a hash, is kept aside: look at the figures of `--part aside`, not at
its cases.
"""

from __future__ import annotations

import argparse
import ast
import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import tarfile
import tempfile
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

from slips import SLIPS

from jamkey.follow.cell_module import rewritten
from jamkey.text import decode
from jamkey.views.json import parse

SEEDS = Path(__file__).parent / "seeds"
MEASURES = ("type", "snag", "root-1", "root-3", "fix-1", "fix-3")
LIMIT = 20.0


class Script(NamedTuple):
    path: Path
    python: str
    printed: str


class Case(NamedTuple):
    script: Script
    slip: str
    text: str
    line: int

    @property
    def name(self) -> str:
        digest = hashlib.sha256(self.text.encode()).hexdigest()[:8]
        return f"{self.script.path.stem}/{self.slip}/{digest}"

    @property
    def aside(self) -> bool:
        return hashlib.sha256(f"{self.script.path.name} {self.slip}".encode()).digest()[0] % 3 == 0


def run(python: str, folder: Path, name: str) -> tuple[int, str, str]:
    try:
        done = subprocess.run(
            [python, name],
            cwd=folder,
            capture_output=True,
            timeout=LIMIT,
            stdin=subprocess.DEVNULL,
            env={**os.environ, "PYTHONHASHSEED": "0", "MPLBACKEND": "Agg"},
        )
    except subprocess.TimeoutExpired:
        return -1, "", ""
    return done.returncode, done.stdout.decode("utf-8", "replace"), done.stderr.decode("utf-8", "replace")


def laid_out(script: Script, text: str) -> Path:
    folder = Path(tempfile.mkdtemp(prefix="jamkey-seed-"))
    if script.path.parent == SEEDS:
        for item in SEEDS.iterdir():
            if item.is_file() and item.suffix != ".py":
                shutil.copy(item, folder)
    (folder / script.path.name).write_text(text, encoding="utf-8")
    return folder


def own_scripts() -> Iterator[Script]:
    for path in sorted(SEEDS.glob("*.py")):
        status, printed, _ = run(sys.executable, SEEDS, path.name)
        assert status == 0, f"{path} is not healthy"
        yield Script(path, sys.executable, printed)


def packaged_scripts(packages: list[str], folder: Path, most: int) -> Iterator[Script]:
    subprocess.run([sys.executable, "-m", "venv", folder / "venv"], check=True)
    python = str(folder / "venv" / "bin" / "python")
    subprocess.run([python, "-m", "pip", "install", "-q", "setuptools", *packages], check=True, capture_output=True)
    for package in packages:
        subprocess.run(
            [python, "-m", "pip", "download", "-q", "--no-deps", "--no-binary", ":all:", "-d", folder / "src", package],
            check=True,
            capture_output=True,
        )
    for archive in sorted((folder / "src").glob("*.tar.gz")):
        with tarfile.open(archive) as tar:
            tar.extractall(folder / "unpacked", filter="data")
    found = sorted((folder / "unpacked").rglob("*.py"), key=lambda path: hashlib.sha256(path.name.encode()).digest())
    kept = 0
    for path in found:
        if kept >= most:
            return
        text = path.read_text(encoding="utf-8", errors="replace")
        if not {"examples", "demo"} & set(path.parts) or not 8 <= text.count("\n") <= 150:
            continue
        status, printed, _ = run(python, path.parent, path.name)
        again = run(python, path.parent, path.name)
        if status == 0 and printed.strip() and again[:2] == (0, printed):
            kept += 1
            yield Script(path, python, printed)


def broken(script: Script, each: int, only: str | None) -> Iterator[Case]:
    text = script.path.read_text(encoding="utf-8")
    tree = ast.parse(text)
    for name, make in SLIPS.items():
        if only and name != only:
            continue
        made = [(t, line) for t, line in make(text, tree) if t != text]
        made.sort(key=lambda item: hashlib.sha256(item[0].encode()).digest())
        kept = 0
        for changed, line in made:
            if kept >= each:
                break
            folder = laid_out(script, changed)
            status, _, errors = run(script.python, folder, script.path.name)
            shutil.rmtree(folder, ignore_errors=True)
            if status > 0 and errors.strip():
                kept += 1
                yield Case(script, name, changed, line)


def judge(case: Case) -> dict[str, bool] | None:
    script = case.script
    folder = laid_out(script, case.text)
    name = script.path.name
    try:
        _, _, errors = run(script.python, folder, name)
        last = [row for row in errors.strip().split("\n") if re.match(r"[A-Za-z_][\w.]*(: |$)", row)]
        places = [int(n) for n in re.findall(rf'File "[^"]*{re.escape(name)}", line (\d+)', errors)]
        out = folder.parent / (folder.name + ".json")
        subprocess.run(
            [sys.executable, "-m", "jamkey", "fix", "--preview", "--save", str(out), "--python", script.python, name],
            cwd=folder,
            capture_output=True,
            timeout=240,
            stdin=subprocess.DEVNULL,
            env={**os.environ, "PYTHONHASHSEED": "0", "MPLBACKEND": "Agg"},
        )
        jams = parse(out.read_bytes()).jams if out.exists() else ()
        out.unlink(missing_ok=True)
        if not jams:
            return dict.fromkeys(MEASURES, False)
        jam = jams[-1]
        frame = jam.snag_frame
        near = {case.line} if case.line else set()
        roots = [root.line for root in jam.roots if root.file == name]
        found = {
            "type": bool(last) and jam.exception_type == last[-1].split(":")[0],
            "snag": frame is not None and bool(places) and frame.line == places[-1],
        }
        if near:
            found["root-1"] = bool(set(roots[:1]) & near)
            found["root-3"] = bool(set(roots[:3]) & near)
        good = []
        for key in jam.keys[:3]:
            good.append(bool(key.edits) and all(edit.file == name for edit in key.edits) and _mended(case, key.edits))
        found["fix-1"] = good[:1] == [True]
        found["fix-3"] = True in good
        return found
    except subprocess.TimeoutExpired:
        return dict.fromkeys(MEASURES, False)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _mended(case: Case, edits: tuple) -> bool:
    text = rewritten(decode(case.text.encode()), edits)
    folder = laid_out(case.script, text)
    status, printed, _ = run(case.script.python, folder, case.script.path.name)
    shutil.rmtree(folder, ignore_errors=True)
    return (status, printed) == (0, case.script.printed)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--part", choices=("seen", "aside", "both"), default="both")
    parser.add_argument("--each", type=int, default=1, help="cases per script and slip")
    parser.add_argument("--slip", choices=tuple(SLIPS))
    parser.add_argument("--packages", default="", help="such as networkx==3.4.2,sympy==1.13.3")
    parser.add_argument("--most", type=int, default=8, help="example scripts of the packages at most")
    parser.add_argument("--list", action="store_true", help="name the cases of the seen part that miss")
    parser.add_argument("--out", type=Path, default=Path("benchmarks/results/seeded.json"))
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="jamkey-packages-") as place:
        scripts = list(own_scripts())
        if options.packages:
            scripts += packaged_scripts(options.packages.split(","), Path(place), options.most)
        with ThreadPoolExecutor(max_workers=os.cpu_count() or 2) as pool:
            cases = [c for made in pool.map(lambda s: list(broken(s, options.each, options.slip)), scripts) for c in made]
            wanted = [c for c in cases if options.part == "both" or c.aside == (options.part == "aside")]
            results = list(zip(wanted, pool.map(judge, wanted), strict=True))
    report = {}
    for part, aside in (("seen", False), ("aside", True)):
        rows = [(case, found) for case, found in results if case.aside == aside and found is not None]
        if rows:
            report[part] = table(part, rows, options.list and not aside)
    options.out.parent.mkdir(parents=True, exist_ok=True)
    options.out.write_text(json.dumps(report, indent=1), encoding="utf-8")
    return 0


def table(part: str, rows: list[tuple[Case, dict[str, bool]]], listed: bool) -> dict[str, dict[str, float]]:
    by_slip: dict[str, list[tuple[Case, dict[str, bool]]]] = defaultdict(list)
    for case, found in rows:
        by_slip[case.slip].append((case, found))
        by_slip["ALL"].append((case, found))
    print(f"\n{part:32}{'cases':>6}" + "".join(f"{name:>9}" for name in MEASURES))
    result = {}
    for name in [*sorted(set(by_slip) - {"ALL"}), "ALL"]:
        row = {}
        for measure in MEASURES:
            having = [found[measure] for _, found in by_slip[name] if measure in found]
            if having:
                row[measure] = round(sum(having) / len(having), 3)
        result[name] = {"cases": len(by_slip[name]), **row}
        cells = "".join(f"{100 * row[m]:8.0f}%" if m in row else f"{'':9}" for m in MEASURES)
        print(f"{name:32}{len(by_slip[name]):>6}{cells}")
    if listed:
        for measure in ("type", "snag", "root-3", "fix-3"):
            missed = [case.name for case, found in rows if found.get(measure) is False]
            print(f"\n{part} {measure}: {', '.join(missed)}")
    return result


if __name__ == "__main__":
    sys.exit(main())
