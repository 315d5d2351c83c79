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
import re
import shutil
import subprocess
import sys
import tempfile
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

Value = dict[str, Any]
_MISSING = {"NoneType", "nil", "NULL", "null", "undefined"}
_TEXT = {"str", "string", "character", "char", "String", "bytes"}
_NUMBERS = {"int", "float", "number", "numeric", "integer", "double", "complex", "Decimal", "decimal.Decimal", "Fraction"}
_NAME = r"`([^`\n]{1,80})`"


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


#: What is claimed of the thing in backticks -> whether a recorded value bears it out (None: it cannot be told).
CLAIMS: list[tuple[re.Pattern[str], Callable[[Value, str], bool | None]]] = [
    (re.compile(_NAME + r" (?:is|was) (?:None|null|nil|NULL|undefined)\b"), lambda v, _: v["type"] in _MISSING),
    (
        re.compile(_NAME + r" (?:is|was) (?:NaN|NA|not a number)\b"),
        lambda v, _: v["text"].lower() in ("nan", "na", "nat", "<na>"),
    ),
    (
        re.compile(_NAME + r" (?:is|was) (?:missing|nothing|not there)\b"),
        lambda v, _: v["type"] in _MISSING or v["text"].lower() in ("nan", "na", "nat", "<na>"),
    ),
    (
        re.compile(_NAME + r" (?:is|was) empty\b"),
        lambda v, _: (v.get("length") or 0) == 0 if v.get("length") is not None or v["text"] in ("''", '""') else None,
    ),
    (
        re.compile(_NAME + r" (?:is|was|holds|held) (?:zero|0)\b"),
        lambda v, _: _number(v["text"]) == 0 if _number(v["text"]) is not None else None,
    ),
    (re.compile(_NAME + r" (?:is|was|holds|held) text\b"), lambda v, _: v["type"].rpartition(".")[2] in _TEXT),
    (
        re.compile(_NAME + r" (?:is|was|holds|held) a(?: whole)? number\b"),
        lambda v, _: v["type"].rpartition(".")[2] in _NUMBERS or "int" in v["type"] or "float" in v["type"],
    ),
    (
        re.compile(_NAME + r" (?:is|was) an? `([\w.]+)`"),
        lambda v, told: v["type"].rpartition(".")[2] == told.rpartition(".")[2],
    ),
    (
        re.compile(_NAME + r" has (\d+) (?:items?|rows?|places?|characters?|values?)\b"),
        lambda v, told: v["length"] == int(told) if v.get("length") is not None else None,
    ),
]
EMPTY = re.compile(r"``|` `|\"\"(?!\")|\{\d?\}|\bcalled ?[,.]|\ba an\b|\ban a\b|\bthe the\b|: *$|\(\)(?= is\b)|''(?= )")


def texts_of(jam: dict[str, Any]) -> Iterator[tuple[str, str]]:
    """Yield (place, text) of everything a reading says in words."""
    yield "meaning", jam.get("meaning") or ""
    yield "look_at", jam.get("look_at") or ""
    for cause in jam.get("causes") or []:
        yield "cause", cause
    for root in jam.get("roots") or []:
        yield "root", root.get("reason") or ""
    for key in jam.get("keys") or []:
        yield "title", key.get("title") or ""
        yield "reason", key.get("reason") or ""


def judged(jam: dict[str, Any]) -> dict[str, list[str]]:
    """Return what is wrong in a reading: contradictions and empty slots, and how many claims were held against values."""
    values: dict[str, list[Value]] = defaultdict(list)
    for frame in jam.get("frames") or []:
        for value in frame.get("values") or []:
            if frame.get("owner") == "yours":
                values[value["name"]].append(value)
    found: dict[str, list[str]] = {"claims": [], "contradictions": [], "empty": []}
    for place, text in texts_of(jam):
        if EMPTY.search(text):
            found["empty"].append(f"{place}: {text}")
        for pattern, bears in CLAIMS:
            for match in pattern.finditer(text):
                told = match[2] if match.lastindex and match.lastindex > 1 else ""
                answers = [bears(value, told) for value in values.get(match[1], ())]
                sure = [answer for answer in answers if answer is not None]
                if sure:
                    found["claims"].append(match[0])
                    if not any(sure):
                        seen = values[match[1]][-1]
                        found["contradictions"].append(f"{place}: {text} | {match[1]} = {seen['type']} {seen['text'][:60]}")
    return found


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
        subprocess.run(call, cwd=folder, input=(command.get("stdin") or "").encode(), capture_output=True, timeout=200)
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
