"""Does a program that is only written differently get the same root and the same first key?

    python benchmarks/same.py CORPUS [--quick] [--tried] [--match TEXT] [--json FILE] [--list]

Every Python case of the corpus that runs here is changed by the transformations of `transforms.py`. Of each, the share whose
first root lies where the old one leads, and whose first key makes the same edit there. `--tried` compares the keys after
their trials.
"""

from __future__ import annotations

import argparse
import json
import re
import shutil
import subprocess
import sys
import tempfile
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import interpreters

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.transforms import TRANSFORMS, Changed

Reading = dict[str, Any]


def reading(project: dict[str, str], beside: Path, argv: list[str], stdin: str, tried: bool, jamkey: str) -> Reading | None:
    """Return the jam of a project that is run, or None when nothing fails."""
    with tempfile.TemporaryDirectory(prefix="jamkey-same-") as made:
        folder = Path(made) / "project"
        shutil.copytree(beside, folder)
        for name, text in project.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_text(text, encoding="utf-8")
        out = Path(made) / "out.json"
        command = ["fix", "--preview"] if tried else ["run"]
        call = [
            jamkey,
            *command,
            "--no-keep",
            "--limit",
            "10s",
            "--python",
            shutil.which(argv[0]) or "",
            "--save",
            str(out),
            *argv[1:],
        ]
        subprocess.run(call, cwd=folder, input=stdin.encode(), capture_output=True, timeout=200)
        jams = json.loads(out.read_text(encoding="utf-8"))["jams"] if out.exists() else []
    return jams[-1] if jams else None


def first_key(jam: Reading) -> tuple[tuple[str, int], str] | None:
    """Return place and new text of the first edit of the first key that has any."""
    key = next((key for key in jam.get("keys") or [] if key.get("edits")), None)
    return ((key["edits"][0]["file"], key["edits"][0]["line"]), key["edits"][0]["new_text"]) if key else None


def compared(before: Reading, after: Reading | None, changed: Changed) -> tuple[bool, bool | None]:
    """Tell whether the first root and the first key follow; None for the key where there was none."""
    roots = [(root["file"], root["line"]) for root in (after or {}).get("roots") or []]
    old = before["roots"][0]
    root = bool(roots) and roots[0] in changed.leads((old["file"], old["line"]))
    wanted = first_key(before)
    if wanted is None:
        return root, None
    found = first_key(after or {})
    return root, found is not None and found[0] in changed.leads(wanted[0]) and _plain(found[1], changed) == _plain(
        wanted[1], changed
    )


def _plain(text: str, changed: Changed) -> str:
    for new, old in changed.names.items():
        text = re.sub(rf"(?<!\w){re.escape(new)}(?!\w)", lambda _, old=old: old, text)
    return " ".join(text.split())


def case_rows(case: Path, tried: bool, jamkey: str) -> list[tuple[str, bool, bool | None]]:
    """Return (transformation, root follows, key follows) of a case."""
    argv = json.loads((case / "cmd.json").read_text())
    words, stdin = argv["argv"], argv.get("stdin", "")
    project = {
        path.relative_to(case / "src").as_posix(): path.read_text(encoding="utf-8") for path in (case / "src").rglob("*.py")
    }
    before = reading(project, case / "src", words, stdin, tried, jamkey)
    if before is None or before.get("snag") is None or not before.get("roots"):
        return []
    snag = before["frames"][before["snag"]]
    found = []
    for name, make in TRANSFORMS.items() if snag["file"] in project else ():
        for changed in make(project, snag["file"], snag["line"]):
            after = reading(changed.project, case / "src", words, stdin, tried, jamkey)
            if after is None or after.get("exception_type") != before.get("exception_type"):
                continue  # it fails no more, or in another way: the change was none of words only
            found.append((name, *compared(before, after, changed)))
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("--quick", action="store_true", help="every eighth case")
    parser.add_argument("--tried", action="store_true")
    parser.add_argument("--match", default="")
    parser.add_argument("--jamkey", default=str(Path(sys.executable).with_name("jamkey")))
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--json", type=Path)
    parser.add_argument("--list", action="store_true")
    given = parser.parse_args()
    interpreters.on_path()
    cases = []
    for truth in sorted(given.corpus.glob("python/*/truth.json")):
        told = json.loads(truth.read_text(encoding="utf-8"))
        argv = json.loads((truth.parent / "cmd.json").read_text(encoding="utf-8"))["argv"]
        script = len(argv) > 1 and argv[1].endswith(".py")
        if told["phase"] == "run" and script and given.match in truth.parent.name and shutil.which(argv[0]):
            cases.append(truth.parent)
    cases = cases[::8] if given.quick else cases
    groups: dict[str, list[tuple[bool, bool | None]]] = defaultdict(list)
    with ThreadPoolExecutor(given.jobs) as pool:
        for case, rows in zip(cases, pool.map(lambda case: case_rows(case, given.tried, given.jamkey), cases), strict=True):
            for name, root, key in rows:
                groups[name].append((root, key))
                groups["all"].append((root, key))
                if given.list and not (root and key is not False):
                    print(f"{case.name:40}{name:34}{'' if root else 'root '}{'key' if key is False else ''}", flush=True)
    made = {}
    print(f"{'':34}{'n':>6}{'root':>8}{'key':>8}")
    for name, pairs in groups.items():
        keys = [key for _, key in pairs if key is not None]
        made[name] = {
            "n": len(pairs),
            "root": round(100 * sum(root for root, _ in pairs) / len(pairs), 1),
            "key": round(100 * sum(keys) / len(keys), 1) if keys else None,
        }
        print(f"{name:34}{made[name]['n']:>6}{made[name]['root']:>8}{made[name]['key'] or '-':>8}")
    if given.json:
        given.json.write_text(json.dumps(made, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
