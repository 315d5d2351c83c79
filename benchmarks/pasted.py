"""Do failures survive being pasted? Traces of a corpus as mails, chats and torn screens hand them on.

    python benchmarks/pasted.py [CORPUS] [--most N] [--show] [--json FILE]

Of each trace (phases run and compile; spread over the runtimes) the forms below are read without any source. Right: the
exception's type as in the truth, and the snag's line where the truth names one that the text still holds.
"""

from __future__ import annotations

import argparse
import json
import re
import textwrap
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from jamkey.pipeline import read

OTHER = "Traceback (most recent call last):\n  File \"shed.py\", line 3, in <module>\n    open_shed()\nKeyError: 'shed'\n"


def wrapped(text: str, columns: int = 72) -> str:
    """Return a text whose longer lines were broken at blanks, as mails do."""
    rows: list[str] = []
    for row in text.split("\n"):
        rows += textwrap.wrap(row, columns, break_long_words=False, break_on_hyphens=False, drop_whitespace=True) or [row]
    return "\n".join(rows)


def smart(text: str) -> str:
    """Return a text with the quotes that a chat or a word processor makes."""
    text = re.sub(r'(?<![\w)\]])"(?=\S)', "“", text).replace('"', "”")
    return re.sub(r"(?<![\w)\]])'(?=\S)", "‘", text).replace("'", "’")


FORMS: dict[str, Callable[[str], str]] = {
    "as it was": lambda text: text,
    "first lines missing": lambda text: text,
    "last line missing": lambda text: "\n".join(text.rstrip("\n").split("\n")[:-1]),
    "run together": lambda text: text.rstrip("\n") + "\n" + OTHER,
    "quoted in a mail": lambda text: "\n".join("> " + row for row in text.split("\n")),
    "quoted twice": lambda text: "\n".join("> > " + row for row in text.split("\n")),
    "wrapped at 72": wrapped,
    "quoted and wrapped": lambda text: "\n".join("> " + row for row in wrapped(text, 70).split("\n")),
    "smart quotes": smart,
    "no indentation": lambda text: "\n".join(row.strip() for row in text.split("\n")),
    "blank lines between": lambda text: text.replace("\n", "\n\n"),
    "within words": lambda text: "Hello,\n\nmy script stops with\n\n" + text + "\nand I do not know why. Thanks!\n",
}


def torn(text: str, message: str) -> str:
    """Return a text without its first two lines, as far as they do not hold the message: nobody can tell it then."""
    rows = text.rstrip("\n").split("\n")
    start = message.strip().split("\n")[0][:20]
    gone = 0
    while gone < min(2, len(rows) - 2) and not (start and start in rows[gone]):
        gone += 1
    return "\n".join(rows[gone:])


def right(text: str, truth: dict[str, object], form: str) -> tuple[bool, bool]:
    """Return whether type and snag are right."""
    jams = read(text)
    if form == "run together" and truth["runtime"] != "python":
        jams = [jam for jam in jams if jam.runtime == truth["runtime"]] or jams
    wanted = truth["exception_type"]
    typed = any(jam.exception_type == wanted for jam in jams)
    if isinstance(wanted, str) and wanted.rpartition(".")[2] not in text:
        typed = True  # it is gone with the line that named it
    snag = truth.get("snag")
    if not isinstance(snag, dict) or str(snag.get("line")) not in text:
        return typed, True
    lines = {(Path(frame.file.replace("\\", "/")).name, frame.line) for jam in jams for frame in jam.frames}
    return typed, any(line == snag["line"] for _, line in lines)


def cases(corpus: Path) -> list[tuple[Path, str, dict[str, object]]]:
    """Return (folder, text, truth) of the traces of a corpus that are read right as they are."""
    found = []
    for path in sorted(corpus.glob("*/*/truth.json")):
        truth = json.loads(path.read_text(encoding="utf-8"))
        errors = path.parent / "stderr.txt"
        if truth["phase"] not in ("run", "compile") or not errors.is_file():
            continue
        text = errors.read_bytes().decode("utf-8", "replace")
        if text.count("\n") >= 2 and all(right(text, truth, "as it was")):
            found.append((path.parent, text, truth))
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("corpus", type=Path, nargs="?", default=Path("tests/corpus"))
    parser.add_argument("--most", type=int, default=60)
    parser.add_argument("--show", action="store_true", help="those that are not right")
    parser.add_argument("--json", type=Path)
    given = parser.parse_args()
    by_runtime: dict[str, list[tuple[Path, str, dict[str, object]]]] = {}
    for case in cases(given.corpus):
        by_runtime.setdefault(case[0].parent.name, []).append(case)
    chosen: list[tuple[Path, str, dict[str, object]]] = []
    while len(chosen) < given.most and any(by_runtime.values()):
        for own in by_runtime.values():
            if own:
                chosen.append(own.pop(len(own) // 2))
    chosen = chosen[: given.most]
    typed: Counter[str] = Counter()
    placed: Counter[str] = Counter()
    for folder, text, truth in chosen:
        for form, change in FORMS.items():
            made = torn(text, str(truth["message"] or "")) if form == "first lines missing" else change(text)
            told, stood = right(made, truth, form)
            typed[form] += told
            placed[form] += stood
            if given.show and not (told and stood):
                print(f"--- {folder.parent.name}/{folder.name}: {form}: type {told} snag {stood}")
    print(f"{len(chosen)} traces{'type':>28}{'snag':>8}")
    for form in FORMS:
        print(f"{form:26}{typed[form] / len(chosen):>12.1%}{placed[form] / len(chosen):>9.1%}")
    if given.json:
        rows = {form: {"type": typed[form], "snag": placed[form], "of": len(chosen)} for form in FORMS}
        given.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
