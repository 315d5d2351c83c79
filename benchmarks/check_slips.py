"""How many typical slips that show in the source `check` sees, in the scripts of benchmarks/seeds.

usage: python benchmarks/check_slips.py [--each N] [--list]

Each script is broken by one slip of benchmarks/slips at up to N places. Seen means: a finding that the healthy script
does not have; placed means: on the line of the slip. Slips that only a run can show (a missing return, an empty list, a
conversion left out, one name too few, an attribute that is not set ...) are not counted.
"""

from __future__ import annotations

import argparse
import ast
import sys
from itertools import islice
from pathlib import Path

from slips import SLIPS

from jamkey.checks.engine import check_text

SEEDS = Path(__file__).parent / "seeds"
VISIBLE = tuple(
    """
    name-misspelt-where-used name-misspelt-where-set builtin-misspelt name-in-another-case import-missing
    module-misspelt colon-missing bracket-not-closed bracket-too-many quote-not-closed assignment-for-comparison
    comma-missing indented-too-little indented-too-much keyword-misspelt curly-quotes print-without-parentheses
    argument-missing argument-too-many self-missing self-dot-missing in-place-result-kept loop-one-too-far
    file-name-misspelt key-misspelt used-before-defined name-is-a-keyword dot-missing-before-method operator-missing
    keyword-argument-misspelt quotes-missing member-misspelt
""".split()
)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--each", type=int, default=3)
    parser.add_argument("--list", action="store_true")
    options = parser.parse_args()
    total = seen = placed = 0
    for name in VISIBLE:
        made = found = right = 0
        missed: list[str] = []
        for script in sorted(SEEDS.glob("*.py")):
            text = script.read_text(encoding="utf-8")
            healthy = {(f.rule, f.reason) for f in check_text(text, script.name, folder=SEEDS)}
            for broken, line in islice(SLIPS[name].make(text, ast.parse(text)), options.each):
                if broken == text:
                    continue
                made += 1
                findings = [f for f in check_text(broken, script.name, folder=SEEDS) if (f.rule, f.reason) not in healthy]
                found += bool(findings)
                right += any(f.line == line for f in findings)
                if not findings:
                    missed.append(f"{script.name}:{line} {broken.split(chr(10))[line - 1].strip()[:70]}")
        total, seen, placed = total + made, seen + found, placed + right
        if made:
            print(f"{name:28} {made:4} {100 * found / made:6.1f} % seen {100 * right / made:6.1f} % placed")
        for row in missed if options.list else ():
            print("      ", row)
    print(f"{'all':28} {total:4} {100 * seen / total:6.1f} % seen {100 * placed / total:6.1f} % placed")
    return 0


if __name__ == "__main__":
    sys.exit(main())
