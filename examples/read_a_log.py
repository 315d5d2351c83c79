"""Read every failure in a saved log and print, for each, the line to look at and why.

usage: python examples/read_a_log.py LOG [PROJECT_FOLDER]
"""

from __future__ import annotations

import sys
from pathlib import Path

import jamkey


def main(log: str, folder: str = ".") -> int:
    sources = jamkey.Sources(Path(folder))
    jams = [jamkey.diagnose(jam, sources) for jam in jamkey.read(Path(log).read_text(encoding="utf-8"))]
    for jam in jams:
        print(f"{jam.headline}  ({jam.kind}, {jam.count} times)")
        for root in jam.roots[:1]:
            print(f"  look at {root.file}:{root.line}: {root.reason}")
        for key in jam.keys[:1]:
            print(f"  {key.title}")
    return 0 if jams else 1


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
