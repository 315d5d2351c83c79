"""How often healthy programs of other languages, broken by one typical slip, are read and mended right.

usage: python benchmarks/seeded_other.py FOLDER [--runtime NAME ...] [--each N] [--list]

FOLDER is in the corpus format. The mended program of each case (src/ with fixed/ over it) is taken as healthy, broken by one
slip of those below at up to N places, and kept when it really fails. Right means: a root on the line of the slip; a key
with which the program prints what the healthy one prints.
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
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from jamkey.follow.cell_module import rewritten
from jamkey.text import decode
from jamkey.views.json import parse

#: Runtime -> file endings, and programs by which a case is run.
RUNTIMES = {
    "lua": (".lua",),
    "javascript": (".js", ".mjs"),
    "r": (".R",),
    "octave": (".m",),
    "java": (".java",),
    "c": (".c", ".cpp"),
}
_WORD = re.compile(r"\b[A-Za-z_][A-Za-z_0-9]{3,}\b")
_KEYWORDS = set(
    """
    function local return const while break public static class void double String struct else then repeat until console
    print printf require import from include final private throw true false null with length System
""".split()
)
#: Slip -> (pattern, what is written instead).
_SLIPS = {
    "bound-one-too-far": [
        (r"< ([\w.]+(?:length|size\(\)))\b", r"<= \1"),
        (r"= 1, #(\w+) do", r"= 1, #\1 + 1 do"),
        (r"in seq_along\((\w+)\)", r"in 1:(length(\1) + 1)"),
        (r"= 1:numel \((\w+)\)", r"= 1:numel (\1) + 1"),
    ],
    "bracket-not-closed": [(r"\)(;?)$", r"\1")],
    "quote-not-closed": [(r"\"([^\"\n]*)\"", r'"\1')],
    "block-not-closed": [(r"^\s*(?:end|\})\s*;?$", "")],
    "member-in-another-case": [(r"\.([a-z])(\w{3,})\b(?!\()", lambda m: "." + m[1].upper() + m[2])],
    "return-missing": [(r"\breturn (\w+);?$", r"\1")],
    "number-in-quotes": [(r"= (\d+(?:\.\d+)?)(;?)$", r'= "\1"\2'), (r"<- (\d+(?:\.\d+)?)$", r'<- "\1"')],
    "file-misspelt": [(r"([\"'][\w/]*?)([a-z])([a-z])(\w*\.(?:csv|txt|json)[\"'])", r"\1\3\2\4")],
    "argument-missing": [(r"\((\w+), (\w+)\)", r"(\1)")],
    "comma-missing": [(r"(\w), (\w)", r"\1 \2")],
    "semicolon-missing": [(r";$", "")],
    "operator-missing": [(r"(\w) \* (\w)", r"\1 \2")],
}


def broken(text: str, each: int) -> Iterator[tuple[str, str, int]]:
    """Yield (slip, text, line)."""
    rows = text.split("\n")
    words: dict[str, list[tuple[int, int]]] = defaultdict(list)
    for number, row in enumerate(rows):
        if row.lstrip().startswith(("#", "//", "--", "%", "*")):
            continue
        for match in _WORD.finditer(row):
            words[match[0]].append((number, match.start()))
    often = [word for word, spots in words.items() if len(spots) >= 2 and word not in _KEYWORDS]
    for word in often[-each:]:
        number, start = words[word][-1]
        at = len(word) // 2
        new = word[: at - 1] + word[at] + word[at - 1] + word[at + 1 :]
        if new != word:
            yield (
                "word-misspelt",
                "\n".join(
                    [*rows[:number], rows[number][:start] + new + rows[number][start + len(word) :], *rows[number + 1 :]]
                ),
                number + 1,
            )
    for slip, patterns in _SLIPS.items():
        made = 0
        for number in range(len(rows) - 1, -1, -1):
            row = rows[number]
            if made >= each or row.lstrip().startswith(("#", "//", "--", "%")):
                continue
            for pattern, new in patterns:
                changed = re.sub(pattern, new, row, count=1)
                if changed != row:
                    made += 1
                    yield slip, "\n".join([*rows[:number], changed, *rows[number + 1 :]]), number + 1
                    break


def run(argv: list[str], folder: Path, stdin: str) -> tuple[int, str, str]:
    try:
        done = subprocess.run(argv, cwd=folder, input=stdin.encode(), capture_output=True, timeout=30)
    except (subprocess.TimeoutExpired, OSError):
        return -99, "", ""
    return done.returncode, done.stdout.decode("utf-8", "replace"), done.stderr.decode("utf-8", "replace")


def judge(
    case: Path, file: str, text: str, line: int, argv: list[str], stdin: str, wanted: tuple[int, str, str]
) -> dict[str, bool] | None:
    folder = Path(tempfile.mkdtemp(prefix="jamkey-slip-")) / "project"
    try:
        shutil.copytree(case / "src", folder)
        shutil.copytree(case / "fixed", folder, dirs_exist_ok=True)
        (folder / file).write_text(text, encoding="utf-8")
        status, _, _ = run(argv, folder, stdin)
        if status in (0, -99):
            return None
        out = folder.parent / "out.json"
        subprocess.run(
            [sys.executable, "-m", "jamkey", "fix", "--preview", "--save", str(out), "--", *argv],
            cwd=folder,
            input=stdin.encode(),
            capture_output=True,
            timeout=300,
        )
        jams = parse(out.read_bytes()).jams if out.exists() else ()
        roots = [(root.file, root.line) for root in (jams[-1].roots if jams else ())]
        good = []
        for key in (jams[-1].keys if jams else ())[:3]:
            if not key.edits or any(edit.file != file for edit in key.edits):
                good.append(False)
                continue
            (folder / file).write_text(rewritten(text, list(key.edits)), encoding="utf-8")
            good.append(run(argv, folder, stdin)[:2] == wanted[:2])
        return {
            "read": bool(jams),
            "root-1": roots[:1] == [(file, line)],
            "root-3": (file, line) in roots[:3],
            "fix-1": good[:1] == [True],
            "fix-3": True in good,
        }
    finally:
        shutil.rmtree(folder.parent, ignore_errors=True)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--runtime", action="append", default=[])
    parser.add_argument("--each", type=int, default=1)
    parser.add_argument("--most", type=int, default=60, help="cases for each runtime")
    parser.add_argument("--list", action="store_true")
    options = parser.parse_args()
    for runtime in options.runtime or RUNTIMES:
        jobs = []
        for case in sorted(
            path for path in (options.folder / runtime).iterdir() if (path / "fixed").is_dir() and (path / "cmd.json").exists()
        ):
            command = json.loads((case / "cmd.json").read_text())
            with tempfile.TemporaryDirectory() as made:
                folder = Path(made) / "project"
                shutil.copytree(case / "src", folder)
                shutil.copytree(case / "fixed", folder, dirs_exist_ok=True)
                wanted = run(command["argv"], folder, command["stdin"])
                if wanted[0] != 0:
                    continue
                for path in sorted(folder.rglob("*")):
                    if path.suffix in RUNTIMES[runtime]:
                        name = path.relative_to(folder).as_posix()
                        text = decode(path.read_bytes())
                        jobs += [
                            (case, name, slip, changed, line, command, wanted)
                            for slip, changed, line in broken(text, options.each)
                        ]
        step = max(len(jobs) // options.most, 1)
        jobs = jobs[::step]

        def one(job: tuple) -> tuple[str, str, dict[str, bool] | None]:
            case, name, slip, text, line, command, wanted = job
            return (
                slip,
                f"{case.name}/{name}:{line} {text.split(chr(10))[line - 1].strip()[:60]}",
                judge(case, name, text, line, command["argv"], command["stdin"], wanted),
            )

        with ThreadPoolExecutor(max_workers=os.cpu_count() or 2) as pool:
            results = [result for result in pool.map(one, jobs) if result[2] is not None]
        total = len(results) or 1
        print(
            f"{runtime:12} {len(results):4} cases "
            + "  ".join(
                f"{m} {100 * sum(r[m] for _, _, r in results) / total:5.1f}"
                for m in ("read", "root-1", "root-3", "fix-1", "fix-3")
            )
        )
        by_slip: dict[str, list[dict[str, bool]]] = defaultdict(list)
        for slip, _, found in results:
            by_slip[slip].append(found)
        for slip, rows in sorted(by_slip.items()):
            print(
                f"    {slip:24} {len(rows):3}  root-3 {sum(r['root-3'] for r in rows)}  fix-1 "
                f"{sum(r['fix-1'] for r in rows)}  fix-3 {sum(r['fix-3'] for r in rows)}"
            )
        for slip, name, found in results if options.list else ():
            if not found["fix-3"] or not found["root-3"]:
                print(
                    f"      {slip}: {name} {'' if found['read'] else 'NOT READ'} "
                    f"{'' if found['root-3'] else 'root'} {'' if found['fix-3'] else 'fix'}"
                )
    return 0


if __name__ == "__main__":
    sys.exit(main())
