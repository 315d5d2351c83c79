"""Run a script, try the typical fixes on copies, and print how each of them ended.

usage: python examples/try_the_keys.py SCRIPT [ARGS...]
"""

from __future__ import annotations

import sys

import jamkey


def main(path: str, *args: str) -> int:
    outcome = jamkey.run(path, args)
    if not outcome.jams:
        print(f"{path} runs")
        return 0
    jam = outcome.jams[-1]
    print(jam.headline)
    for key in jamkey.keys(jam, outcome=outcome, path=path, args=args):
        print(f"  {key.trial.outcome:8} {key.title}")
    return outcome.status


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
