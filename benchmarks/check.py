"""How `check` does on large trees of well-kept code: findings per 1,000 lines, time over byte-compiling the same files.

usage: python benchmarks/check.py FOLDER... [--sample N]

Well-kept code has few real slips, so nearly each finding counts as a false alarm until looked at; --sample prints N of
them to look at. Both times are measured in this one run, in this process, best of two.
"""

from __future__ import annotations

import argparse
import random
import sys
import time
from collections import Counter
from pathlib import Path

from jamkey.checks.engine import check_text
from jamkey.model import Finding
from jamkey.text import decode


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folders", nargs="+", type=Path)
    parser.add_argument("--sample", type=int, default=0)
    options = parser.parse_args()
    files = [
        path
        for folder in options.folders
        for path in sorted(folder.rglob("*.py"))
        if not {"test", "tests", "lib2to3", "__pycache__"} & set(path.parts)
    ]
    texts = {path: decode(path.read_bytes()) for path in files}
    lines = sum(text.count("\n") for text in texts.values())
    compiled = checked = float("inf")
    found: list[tuple[Path, Finding]] = []
    for _ in range(2):
        start = time.perf_counter()
        for path, text in texts.items():
            try:
                compile(text, str(path), "exec", dont_inherit=True)
            except (SyntaxError, ValueError):
                continue
        compiled = min(compiled, time.perf_counter() - start)
        start = time.perf_counter()
        found = [(path, finding) for path, text in texts.items() for finding in check_text(text, path.name, folder=path.parent)]
        checked = min(checked, time.perf_counter() - start)
    print(f"{len(files)} files, {lines} lines; {len(found)} findings, {1000 * len(found) / max(lines, 1):.2f} per 1,000 lines")
    print(f"check over byte-compiling: {checked / compiled:.2f} ({checked:.1f} s / {compiled:.1f} s)")
    for rule, count in Counter(finding.rule for _, finding in found).most_common():
        print(f"  {count:6} {rule}")
    for path, finding in random.Random(5).sample(found, min(options.sample, len(found))):
        row = texts[path].split("\n")[finding.line - 1].strip()
        print(f"{path}:{finding.line} [{finding.rule}] {finding.reason[:90]} | {row[:90]}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
