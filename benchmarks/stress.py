"""Many runs at once, and `fix` killed at random moments: every answer right, and nothing left behind.

    python benchmarks/stress.py [--runs N] [--at-once N] [--kills N] [--seed N] [--jamkey PATH] [--json FILE]

*Runs*: a failing script under `jamkey run`, so many at once: exit status, what it printed, the line and the kind of the
reading have to be the same each time. *Kills*: `jamkey fix --yes` on a project, killed (SIGKILL) after a random time, the
program it runs having a child of its own: afterwards no process of it may live, every file of the project must be as it
was or as it is when mended, and after the next command no scratch folder may be left. Linux only: processes are found
by a mark in their environment.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

FAILING = "import sys\nkilos = {'oak': 31.2}\nprint('weighed', flush=True)\nprint(kilos['linden'])\n"
HIVES = (
    "import subprocess, sys, time\nchild = subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(600)'])\n"
    "try:\n    time.sleep(0.2)\n    kilos = [31.2, 28.4]\n    print(sum(kilso))\nfinally:\n    child.kill()\n    child.wait()\n"
)
MARK = "JAMKEY_STRESS_MARK"


def run(jamkey: str, work: Path, number: int) -> str:
    """Run the failing script once; return what is wrong with the answer, nothing when it is right."""
    out = work / f"{number}.json"
    call = [jamkey, "run", "--no-keep", "--save", str(out), "failing.py"]
    done = subprocess.run(call, cwd=work, capture_output=True, text=True, timeout=120)
    if (done.returncode, done.stdout) != (1, "weighed\n"):
        return f"status {done.returncode}, printed {done.stdout!r}, said {done.stderr[-200:]!r}"
    jam = json.loads(out.read_text(encoding="utf-8"))["jams"][0]
    got = (jam["exception_type"], jam["kind"], jam["frames"][jam["snag"]]["line"])
    return "" if got == ("KeyError", "no-such-key", 4) else f"read as {got}"


def alive(mark: str) -> list[int]:
    """Return the processes whose environment holds a mark."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                held = f"{MARK}={mark}".encode() in (entry / "environ").read_bytes().split(b"\0")
                dead = ") Z " in (entry / "stat").read_text(encoding="ascii", errors="replace")
            except OSError:
                continue
            if held and not dead:
                found.append(int(entry.name))
    return found


def _called(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode("utf-8", "replace")[:120]
    except OSError:
        return "ended meanwhile"


def kill(jamkey: str, chance: random.Random, number: int) -> tuple[str, bool]:
    """Kill one `fix` at a random moment; return what was left behind, and whether it was still at work."""
    with tempfile.TemporaryDirectory(prefix="stress-") as made:
        project, scratch, state = (Path(made) / name for name in ("project", "scratch", "state"))
        for folder in (project, scratch, state):
            folder.mkdir()
        (project / "hives.py").write_text(HIVES, encoding="utf-8")
        (project / "ok.py").write_text("print('ok')\n", encoding="utf-8")
        mark = f"{os.getpid()}-{number}"
        env = {**os.environ, MARK: mark, "TMPDIR": str(scratch), "JAMKEY_STATE": str(state)}
        with subprocess.Popen(
            [jamkey, "fix", "--yes", "hives.py"],
            cwd=project,
            env=env,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        ) as child:
            time.sleep(chance.uniform(0.02, 4.0))
            working = child.poll() is None
            if working:
                os.kill(child.pid, signal.SIGKILL)
            child.wait()
        stop = time.monotonic() + 3.0
        while (left := alive(mark)) and time.monotonic() < stop:
            time.sleep(0.05)
        names = sorted({_called(pid) for pid in left})
        for pid in left:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        if left:
            return f"{len(left)} processes lived on: {names}", working
        subprocess.run(
            [jamkey, "fix", "--preview", "ok.py"], cwd=project, env=env, stdin=subprocess.DEVNULL, capture_output=True
        )
        rest = sorted(path.name for path in scratch.iterdir())
        if rest:
            return f"scratch folders: {rest}", working
        files = {path.name: path.read_text(encoding="utf-8") for path in project.iterdir() if path.is_file()}
        if set(files) != {"hives.py", "ok.py"}:
            return f"files: {sorted(files)}", working
        if files["hives.py"] not in (HIVES, HIVES.replace("kilso", "kilos")):
            return f"half written: {files['hives.py']!r}", working
        return "", working


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--runs", type=int, default=500)
    parser.add_argument("--at-once", type=int, default=8)
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jamkey", default=str(Path(sys.executable).with_name("jamkey")))
    parser.add_argument("--json", type=Path)
    given = parser.parse_args()
    wrong: Counter[str] = Counter()
    with tempfile.TemporaryDirectory(prefix="stress-") as made:
        work = Path(made)
        (work / "failing.py").write_text(FAILING, encoding="utf-8")
        with ThreadPoolExecutor(given.at_once) as pool:
            wrong.update(
                found for found in pool.map(lambda number: run(given.jamkey, work, number), range(given.runs)) if found
            )
    print(f"{given.runs} runs, {given.at_once} at once: {sum(wrong.values())} wrong answers")
    for text, count in wrong.most_common(5):
        print(f"  {count} x {text}")
    chance = random.Random(given.seed)
    left: Counter[str] = Counter()
    working = 0
    for number in range(given.kills):
        found, still = kill(given.jamkey, chance, number)
        working += still
        left.update([found] if found else [])
    print(f"{given.kills} kills ({working} while it was at work): {sum(left.values())} left something behind")
    for text, count in left.most_common(5):
        print(f"  {count} x {text}")
    if given.json:
        report = {"runs": given.runs, "wrong": wrong, "kills": given.kills, "at_work": working, "left": left}
        given.json.write_text(json.dumps(report, indent=1) + "\n", encoding="utf-8")
    return 1 if wrong or left else 0


if __name__ == "__main__":
    raise SystemExit(main())
