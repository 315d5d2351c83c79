"""Are the sentences of a reading true of the values that were captured? Contradictions and empty slots, over whole corpora.

    python benchmarks/sentences.py CORPUS [--runtime NAME ...] [--new NEW.txt | --old NEW.txt] [--quick] [--json FILE] [--list]

Every case that runs here is run by `jamkey run` (its values are captured where the runtime has an agent). Of the
reading's texts (meaning, what to look at, causes, reasons of roots and keys, titles) each claim that names something in
backticks and says what it is (missing, empty, text, a number, zero, a type, a length) is held against the values
recorded under that name in any frame of the user's: a claim that none of them bears out is a contradiction. An empty
slot is a pair of backticks or quotes with nothing between, a template's hole, or a doubled article.
"""

from __future__ import annotations

import argparse
import json
import shutil
import subprocess
import sys
import tempfile
from collections import Counter, defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import interpreters

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.claims import judged


def read(case: Path, jamkey: str) -> list[dict[str, Any]]:
    """Return the jams of a case that is run."""
    command = json.loads((case / "cmd.json").read_text(encoding="utf-8"))
    argv = command["argv"]
    with tempfile.TemporaryDirectory(prefix="jamkey-sentences-") as made:
        folder = Path(made) / "project"
        shutil.copytree(case / "src", folder)
        out = Path(made) / "out.json"
        script = Path(argv[0]).name.startswith("python") and len(argv) > 1 and argv[1].endswith(".py")
        words = ["--python", shutil.which(argv[0]) or "", *argv[1:]] if script else ["--", *argv]
        call = [jamkey, "run", "--no-keep", "--limit", "10s", "--save", str(out), *words]
        try:
            subprocess.run(call, cwd=folder, input=(command.get("stdin") or "").encode(), capture_output=True, timeout=200)
        except subprocess.TimeoutExpired:
            print(f"{case.parent.name}/{case.name}: not read within 200 s", file=sys.stderr)
            return []
        return json.loads(out.read_text(encoding="utf-8"))["jams"] if out.exists() else []


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("--runtime", nargs="*")
    parser.add_argument("--new", type=Path)
    parser.add_argument("--old", type=Path)
    parser.add_argument("--quick", action="store_true", help="every eighth case")
    parser.add_argument("--jamkey", default=str(Path(sys.executable).with_name("jamkey")))
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--json", type=Path)
    parser.add_argument("--list", action="store_true")
    given = parser.parse_args()
    interpreters.on_path()
    listed = set((given.new or given.old).read_text().split()) if given.new or given.old else set()
    cases = []
    for truth in sorted(given.corpus.glob("*/*/truth.json")):
        told = json.loads(truth.read_text(encoding="utf-8"))
        name = f"{truth.parent.parent.name}/{truth.parent.name}"
        here = told.get("how") == "real" and shutil.which(json.loads((truth.parent / "cmd.json").read_text())["argv"][0])
        if here and told["phase"] != "quiet" and (not given.runtime or truth.parent.parent.name in given.runtime):
            if not listed or (name in listed) == bool(given.new):
                cases.append(truth.parent)
    cases = cases[::8] if given.quick else cases
    counts: dict[str, Counter[str]] = defaultdict(Counter)
    with ThreadPoolExecutor(given.jobs) as pool:
        for case, jams in zip(cases, pool.map(lambda case: read(case, given.jamkey), cases), strict=True):
            for jam in jams:
                found = judged(jam)
                for group in (case.parent.name, "all"):
                    counts[group]["readings"] += 1
                    counts[group].update({name: len(texts) for name, texts in found.items()})
                if given.list:
                    for name in ("contradictions", "empty"):
                        for text in found[name]:
                            print(f"{case.parent.name}/{case.name} {name}: {text}", flush=True)
    names = ("readings", "claims", "contradictions", "empty")
    print(f"{'':16}" + "".join(f"{name:>16}" for name in names))
    for group, row in sorted(counts.items(), key=lambda item: item[0] == "all"):
        print(f"{group:16}" + "".join(f"{row[name]:>16}" for name in names))
    if given.json:
        given.json.write_text(json.dumps(counts, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
