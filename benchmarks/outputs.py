"""Are all outputs byte for byte the same before and after a change that is to change none?

    python benchmarks/outputs.py CORPUS --before PYTHON [--after PYTHON] [--live N]

CORPUS is a folder of cases (FORMAT.md); PYTHON an interpreter with Jam Key installed, of another checkout for `--before`.
Each command line is called as a user would, in one process an interpreter: `read` in every form it can save, `check`, `cells`,
`kinds`, the helps, and, for every Nth runnable case, `run` and `fix --preview`. What differs is named; exit status 1 then.
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
from pathlib import Path

#: Runs in the interpreter that is measured: reads calls from standard input, answers with what each printed and wrote.
CALLER = r"""
import hashlib, json, os, sys, time
time.time, time.time_ns = (lambda: 1.9e9), (lambda: 19 * 10**17)
from pathlib import Path
os.environ.update(COLUMNS="120", NO_COLOR="1")
from click.testing import CliRunner
from jamkey.doors.main import cli
runner = CliRunner()
for line in sys.stdin:
    call = json.loads(line)
    os.chdir(call["folder"])
    before = {str(p) for p in Path(".").rglob("*")}
    done = runner.invoke(cli, call["words"])
    parts = {"status": str(done.exit_code), "printed": done.output, "raised": ""}
    if done.exit_code not in (0, 1, 2):
        parts["raised"] = repr(done.exception)
    for path in sorted(Path(".").rglob("*")):
        if str(path) not in before and path.is_file():
            parts[str(path)] = path.read_text(errors="replace")
            path.unlink()
    long = {name: text.encode("utf-8", "replace") for name, text in parts.items() if len(text) > 200}
    marks = {name: hashlib.sha256(data).hexdigest() for name, data in long.items()}
    print(json.dumps({**parts, **marks}))
"""
FORMS = (".json", ".html", ".md", ".sarif", ".jsonl", ".txt")
HELPS = ("run", "read", "fix", "undo", "check", "cells", "trail", "page", "look", "tally", "kinds", "speak", "demo")
#: What two runs of the same program may print differently: times and numbers of processes.
_VARIES = re.compile(r"\d+\.\d+ ?s\b|0x[0-9a-f]{6,}|\bpid \d+|\"seconds\": ?[\d.]+|==\d+==|Thread-\d+|\b\d+\.\d{6,}")


def calls(corpus: Path, work: Path) -> list[dict[str, object]]:
    """Return the calls: every case's saved text read, its sources checked, its tables looked through."""
    found: list[dict[str, object]] = [{"folder": str(work), "words": [name, "--help"]} for name in HELPS]
    found.append({"folder": str(work), "words": ["kinds"]})
    for case in sorted(corpus.glob("*/*/truth.json")):
        folder = work / case.parent.parent.name / case.parent.name
        shutil.copytree(case.parent / "src", folder, dirs_exist_ok=True)
        saved = folder.parent / f"{folder.name}.printed.txt"
        saved.write_bytes((case.parent / "stdout.txt").read_bytes() + (case.parent / "stderr.txt").read_bytes())
        forms = [word for form in FORMS for word in ("--save", f"reading{form}")]
        found.append({"folder": str(folder), "words": ["read", "--no-keep", str(saved), *forms]})
        found.append({"folder": str(folder), "words": ["check", ".", "--json"]})
        tables = [path for path in sorted(folder.glob("*")) if path.suffix in (".csv", ".tsv", ".xlsx")]
        found += [{"folder": str(folder), "words": ["cells", path.name, "--json"]} for path in tables]
    return found


def answers(python: str, asked: list[dict[str, object]], env: dict[str, str]) -> list[dict[str, str]]:
    """Return what every call answered."""
    given = "".join(json.dumps(call) + "\n" for call in asked)
    done = subprocess.run([python, "-c", CALLER], input=given, capture_output=True, text=True, env=env)
    if done.returncode:
        sys.exit(f"{python}: {done.stderr[-2000:]}")
    return [json.loads(line) for line in done.stdout.splitlines() if line.startswith("{")]


def live(python: str, corpus: Path, work: Path, every: int, env: dict[str, str]) -> dict[str, str]:
    """Return what `run` and `fix --preview` print for every Nth case whose program is at hand."""
    found: dict[str, str] = {}
    for number, case in enumerate(sorted(corpus.glob("*/*/truth.json"))):
        truth = json.loads(case.read_text())
        argv = json.loads((case.parent / "cmd.json").read_text())["argv"]
        if (
            not every
            or number % every
            or truth.get("how") != "real"
            or truth["phase"] in ("hang", "quiet")
            or shutil.which(argv[0]) is None
        ):
            continue
        folder = work / case.parent.parent.name / case.parent.name
        is_script = Path(argv[0]).name.startswith("python") and len(argv) > 1 and argv[1].endswith(".py")
        words = argv[1:] if is_script else ["--", *argv]
        python_option = ["--python", str(shutil.which(argv[0]))] if is_script else []
        for command in (["run"], ["fix", "--preview"]):
            shutil.rmtree(folder)
            shutil.copytree(case.parent / "src", folder)
            call = [
                python,
                "-m",
                "jamkey",
                *command,
                "--no-keep",
                "--limit",
                "20s",
                *python_option,
                "--save",
                str(work / "live.json"),
                *words,
            ]
            done = subprocess.run(call, cwd=folder, input=b"", capture_output=True, env=env)
            text = (
                (done.stdout + done.stderr).decode("utf-8", "replace") + (work / "live.json").read_text()
                if (work / "live.json").exists()
                else ""
            )
            found[f"{case.parent.parent.name}/{case.parent.name} {command[0]}"] = f"{done.returncode}\n{_VARIES.sub('~', text)}"
            (work / "live.json").unlink(missing_ok=True)
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("--before", required=True)
    parser.add_argument("--after", default=sys.executable)
    parser.add_argument("--live", type=int, default=0, metavar="N")
    parser.add_argument("--show", type=int, default=10)
    given = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="outputs-") as folder:
        work = Path(folder) / "work"
        env = {
            **os.environ,
            "JAMKEY_STATE": str(Path(folder) / "state"),
            "COLUMNS": "120",
            "NO_COLOR": "1",
            "PYTHONHASHSEED": "0",
        }
        work.mkdir()
        asked = calls(given.corpus, work)
        before, after = (answers(python, asked, env) for python in (given.before, given.after))
        different = [call for call, one, other in zip(asked, before, after, strict=True) if one != other]
        for call in different[: given.show]:
            print("differs:", Path(str(call["folder"])).name, " ".join(map(str, call["words"]))[:80])  # type: ignore[arg-type]
        runs = [live(python, given.corpus, work, given.live, env) for python in (given.before, given.after)]
        apart = [name for name in runs[0] if runs[0][name] != runs[1].get(name)]
        for name in apart[: given.show]:
            print("differs:", name)
    print(f"{len(asked)} calls, {len(different)} differ; {len(runs[0])} runs, {len(apart)} differ")
    sys.exit(1 if different or apart else 0)


if __name__ == "__main__":
    main()
