"""The same as kept_apart.py for JavaScript, Java, C, R, Octave and Lua.

    python benchmarks/kept_apart_other.py CORPUS [--language NAME ...] [--apart] [--quick] [--most N] [--json FILE] [--list]

Healthy programs: for Octave the functions of its own library, called as their own test blocks call them; for R the
functions of its own packages with the examples of their own help pages; for the others, whose packages bring few
programs that print, the mended programs of the corpus. Each is broken by the operators over tokens below, and kept when
it fails, hangs or prints something else. Programs and operators are split by a hash of their names.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import itertools
import json
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, NamedTuple

import programs
from grammar import Token, tokens
from kept_apart import shown, table
from programs import side

from jamkey.model import Edit
from jamkey.text import splice

LIMIT = 20.0
ENDINGS = {
    "javascript": (".js", ".mjs"),
    "java": (".java",),
    "c": (".c", ".cpp"),
    "r": (".R", ".r"),
    "octave": (".m",),
    "lua": (".lua",),
}


class Program(NamedTuple):
    language: str
    name: str
    #: File -> bytes.
    files: dict[str, bytes]
    argv: list[str]
    stdin: str
    #: The files that may be broken.
    sources: tuple[str, ...]


Operator = Callable[[str, list[Token], random.Random], "tuple[int, int, str] | None"]
OPERATORS: dict[str, tuple[str, Operator]] = {}


def operator(family: str) -> Callable[[Operator], Operator]:
    def register(function: Operator) -> Operator:
        OPERATORS[function.__name__.replace("_", "-")] = (family, function)
        return function

    return register


def _pick(pick: random.Random, found: list[Any]) -> Any:
    return pick.choice(found) if found else None


def _words(found: list[Token]) -> list[Token]:
    return [token for token in found if token.sort == "name" and len(token.text) > 3]


def _calls(text: str, found: list[Token]) -> list[list[Token]]:
    """Return the argument lists `(a, b)` of single tokens."""
    made = []
    for place, token in enumerate(found):
        if token.text == "(" and place and found[place - 1].sort == "name":
            inside = list(itertools.takewhile(lambda t: t.text != ")", found[place + 1 :]))
            if (
                len(inside) >= 3
                and all(t.text == "," for t in inside[1::2])
                and all(t.sort in ("name", "number", "string") for t in inside[::2])
            ):
                made.append(inside[::2])
    return made


@operator("names")
def word_misspelt(text, found, pick):
    token = _pick(pick, _words(found))
    if token is None:
        return None
    at = len(token.text) // 2
    return token.start, token.end, token.text[: at - 1] + token.text[at] + token.text[at - 1] + token.text[at + 1 :]


@operator("names")
def word_in_another_case(text, found, pick):
    token = _pick(pick, _words(found))
    return token and (token.start, token.end, token.text[0].swapcase() + token.text[1:])


@operator("names")
def word_in_plural(text, found, pick):
    token = _pick(pick, _words(found))
    return token and (token.start, token.end, token.text[:-1] if token.text.endswith("s") else token.text + "s")


@operator("members")
def member_misspelt(text, found, pick):
    token = _pick(
        pick,
        [b for a, b in itertools.pairwise(found) if a.text in (".", "$", "->", ":") and b.sort == "name" and len(b.text) > 2],
    )
    return token and (token.start, token.end, token.text[:-1])


@operator("keys")
def quoted_word_misspelt(text, found, pick):
    token = _pick(pick, [t for t in found if t.sort == "string" and re.fullmatch(r"[\"']\w{3,}[\"']", t.text)])
    return token and (token.start + 1, token.end - 1, token.text[1:-1][1:])


@operator("types")
def number_in_quotes(text, found, pick):
    token = _pick(pick, [t for t in found if t.sort == "number"])
    return token and (token.start, token.end, f'"{token.text}"')


@operator("calls")
def argument_missing(text, found, pick):
    inside = _pick(pick, _calls(text, found))
    return inside and (inside[-2].end, inside[-1].end, "")


@operator("calls")
def arguments_exchanged(text, found, pick):
    inside = _pick(pick, [args for args in _calls(text, found) if args[0].text != args[1].text])
    return inside and (inside[0].start, inside[1].end, inside[1].text + text[inside[0].end : inside[1].start] + inside[0].text)


@operator("calls")
def argument_too_many(text, found, pick):
    inside = _pick(pick, _calls(text, found))
    return inside and (inside[-1].end, inside[-1].end, f", {inside[0].text}")


@operator("calls")
def brackets_of_a_call_missing(text, found, pick):
    token = _pick(pick, [a for a, b in itertools.pairwise(found) if a.text == "(" and b.text == ")"])
    return token and (token.start, token.start + text[token.start :].index(")") + 1, "")


@operator("places")
def one_more(text, found, pick):
    token = _pick(
        pick,
        [
            b
            for a, b, c in zip(found, found[1:], found[2:], strict=False)
            if a.text in ("[", "(") and b.sort == "name" and c.text in ("]", ")")
        ],
    )
    return token and (token.end, token.end, " + 1")


@operator("places")
def one_less(text, found, pick):
    token = _pick(pick, [t for t in found if t.sort == "number" and t.text.isdigit()])
    return token and (token.start, token.end, str(int(token.text) - 1))


@operator("places")
def bound_included(text, found, pick):
    token = _pick(pick, [t for t in found if t.text in ("<", ">", "<=", ">=")])
    return token and (token.start, token.end, token.text[0] if len(token.text) > 1 else token.text + "=")


@operator("values")
def return_missing(text, found, pick):
    token = _pick(pick, [t for t in found if t.text == "return"])
    return token and (token.start, token.end, "")


@operator("values")
def starts_as_nothing(text, found, pick):
    token = _pick(pick, [b for a, b in itertools.pairwise(found) if a.text in ("=", "<-") and b.sort == "number"])
    return token and (token.start, token.end, "0" if token.text != "0" else "1")


@operator("order")
def two_lines_exchanged(text, found, pick):
    rows = text.split("\n")
    near = [
        n
        for n in range(len(rows) - 1)
        if rows[n].strip()
        and rows[n + 1].strip()
        and rows[n] != rows[n + 1]
        and re.match(r"\s*", rows[n])[0] == re.match(r"\s*", rows[n + 1])[0]
        and not set("{}") & set(rows[n] + rows[n + 1])
    ]
    if not near:
        return None
    n = pick.choice(near)
    start = sum(len(row) + 1 for row in rows[:n])
    return start, start + len(rows[n]) + 1 + len(rows[n + 1]), rows[n + 1] + "\n" + rows[n]


@operator("order")
def line_missing(text, found, pick):
    rows = [m for m in re.finditer(r"^[ \t]*[\w.$]+ *(?:=|<-)[^=\n].*\n", text, re.M) if not set("{}") & set(m[0])]
    row = _pick(pick, rows)
    return row and (row.start(), row.end(), "")


@operator("files")
def file_misspelt(text, found, pick):
    match = _pick(pick, list(re.finditer(r"(?<=[\"'/])\w{3,}(?=\.(?:csv|txt|json|dat)[\"'])", text)))
    return match and (match.start(), match.end(), match[0][:-1])


@operator("grammar")
def closer_left_out(text, found, pick):
    token = _pick(pick, [t for t in found if t.text in (")", "]", "}")])
    return token and (token.start, token.end, "")


@operator("grammar")
def comma_left_out(text, found, pick):
    token = _pick(pick, [t for t in found if t.text == ","])
    return token and (token.start, token.end, "")


@operator("grammar")
def block_end_left_out(text, found, pick):
    row = _pick(pick, list(re.finditer(r"^[ \t]*(?:end\w*|\})[ \t]*;?\n", text, re.M)))
    return row and (row.start(), row.end(), "")


@operator("grammar")
def terminator_left_out(text, found, pick):
    token = _pick(pick, [t for t in found if t.text in (";", "then", "do")])
    return token and (token.start, token.end, "")


@operator("quiet")
def another_sign(text, found, pick):
    token = _pick(
        pick,
        [
            b
            for a, b in itertools.pairwise(found)
            if (b.text in ("+", "-", "*", "/") and a.sort in ("name", "number")) or b.text in ("*", "/")
        ],
    )
    return token and (token.start, token.end, {"+": "-", "-": "+", "*": "+", "/": "*"}[token.text])


@operator("quiet")
def another_comparison(text, found, pick):
    token = _pick(pick, [t for t in found if t.text in ("==", "<", ">")])
    return token and (token.start, token.end, {"==": "<=", "<": ">", ">": "<"}[token.text])


@operator("quiet")
def another_name(text, found, pick):
    names = _words(found)
    token = _pick(pick, names)
    others = sorted({t.text for t in names} - {token.text}) if token else []
    return (token.start, token.end, pick.choice(others)) if others else None


@operator("hangs")
def step_missing(text, found, pick):
    match = _pick(pick, list(re.finditer(r"^[ \t]*(\w+) *(?:\+\+|\+= *1|= *\1 *[+-] *1|<- *\1 *[+-] *1) *;?\n", text, re.M)))
    return match and (match.start(), match.end(), "")


def of_corpus(language: str, corpus: Path) -> list[Program]:
    """Return the mended programs of the corpus."""
    found = []
    for case in sorted((corpus / language).glob("*")):
        if not (case / "fixed").is_dir() or not (case / "cmd.json").exists():
            continue
        command = json.loads((case / "cmd.json").read_text(encoding="utf-8"))
        if "fixed_argv" in command or shutil.which(command["argv"][0]) is None:
            continue
        files = {}
        for root in (case / "src", case / "fixed"):
            files |= {path.relative_to(root).as_posix(): path.read_bytes() for path in root.rglob("*") if path.is_file()}
        sources = tuple(sorted(name for name in files if name.endswith(ENDINGS[language])))
        found.append(Program(language, case.name, files, command["argv"], command.get("stdin", ""), sources))
    return found


def of_octave() -> list[Program]:
    """Return functions of Octave's own library with the calls of their own tests."""
    found = []
    for path in sorted(Path("/usr/share/octave").rglob("*.m")):
        text = path.read_text(encoding="utf-8", errors="replace")
        if not re.search(r"^function ", text, re.M) or not 20 <= text.count("\n") <= 250:
            continue
        calls = re.findall(rf"^%!assert \(({re.escape(path.stem)} \((?:[^()]|\([^()]*\))*\)), ", text, re.M)[:4]
        if calls:
            body = "\n".join(row for row in text.split("\n") if not row.startswith(("%!", "##")))
            program = "1;\n" + body.strip() + "\n" + "".join(f"disp ({call});\n" for call in calls)
            found.append(
                Program("octave", path.stem, {"program.m": program.encode()}, ["octave-cli", "program.m"], "", ("program.m",))
            )
    return found


_R_EXAMPLES = r"""
for (package in c("stats", "utils", "tools")) {
  space <- asNamespace(package)
  pages <- tools::Rd_db(package)
  for (page in names(pages)) {
    topic <- sub("[.]Rd$", "", page)
    if (!exists(topic, space, inherits = FALSE) || !is.function(get(topic, space))) next
    out <- file.path("FOLDER", paste0(package, "-", topic, ".R"))
    dump(topic, out, envir = space)
    code <- tempfile()
    tools::Rd2ex(pages[[page]], code, commentDontrun = TRUE, commentDonttest = TRUE)
    if (file.exists(code)) cat(readLines(code), sep = "\n", file = out, append = TRUE) else unlink(out)
  }
}
"""


def of_r() -> list[Program]:
    """Return functions of R's own packages with the examples of their help pages."""
    folder = programs.cache() / "r-examples"
    if not folder.exists():
        made = folder.with_name("r-examples.new")
        made.mkdir(parents=True, exist_ok=True)
        subprocess.run(["Rscript", "-e", _R_EXAMPLES.replace("FOLDER", str(made))], check=True, capture_output=True)
        made.rename(folder)
    found = []
    for path in sorted(folder.glob("*.R")):
        rows = path.read_text(encoding="utf-8", errors="replace").split("\n")
        kept = [row for row in rows if not row.startswith(("<bytecode", "<environment", "###")) and not re.match(r"\s*##", row)]
        # at top level a script prints what an expression gives
        if 15 <= len(kept) <= 220:
            text = "\n".join(kept).strip() + "\n"
            found.append(Program("r", path.stem, {"program.R": text.encode()}, ["Rscript", "program.R"], "", ("program.R",)))
    return found


def healthy(language: str, corpus: Path) -> list[Program]:
    made = {"octave": of_octave, "r": of_r}
    return made[language]() if language in made else of_corpus(language, corpus)


def run(program: Program, files: dict[str, bytes], folder: Path) -> tuple[int | None, str]:
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)
    try:
        done = subprocess.run(program.argv, cwd=folder, input=program.stdin.encode(), capture_output=True, timeout=LIMIT)
    except subprocess.TimeoutExpired:
        return None, ""
    return done.returncode, done.stdout.decode("utf-8", "replace")


def measured(program: Program, name: str, half: str, jamkey: str, listed: bool) -> list[dict[str, Any]]:
    """Break one program by one operator, read and mend it; nothing where the slip does no harm."""
    family, make = OPERATORS[name]
    pick = random.Random(f"{program.name} {name}")
    source = pick.choice(program.sources)
    text = program.files[source].decode("utf-8", "replace")
    edit = make(text, tokens("cpp" if source.endswith(".cpp") else program.language, text), pick)
    if not edit or text[edit[0] : edit[1]] == edit[2]:
        return []
    start, end, new = edit
    changed, line = text[:start] + new + text[end:], text.count("\n", 0, start) + 1
    files = {**program.files, source: changed.encode()}
    with tempfile.TemporaryDirectory(prefix="jamkey-apart-") as made:
        folder = Path(made)
        status, wanted = run(program, program.files, folder / "healthy")
        if status != 0 or not wanted.strip():
            return []
        status, printed = run(program, files, folder / "project")
        phase = "hang" if status is None else "run" if status else "quiet" if printed != wanted else None
        if phase is None:
            return []
        shutil.rmtree(folder / "project")
        (folder / "project").mkdir()
        for file, data in files.items():
            (folder / "project" / file).parent.mkdir(parents=True, exist_ok=True)
            (folder / "project" / file).write_bytes(data)
        asked = [jamkey, "fix", "--preview", "--no-keep", "--limit", f"{LIMIT:.0f}s", "--save", str(folder / "out.json")]
        if phase in ("hang", "quiet"):
            (folder / "right.txt").write_text(wanted, encoding="utf-8")
            asked += ["--expect", str(folder / "right.txt")]
        begin = time.perf_counter()
        with contextlib.suppress(subprocess.TimeoutExpired):
            subprocess.run(
                [*asked, "--", *program.argv],
                cwd=folder / "project",
                input=program.stdin.encode(),
                capture_output=True,
                timeout=240,
                env={**os.environ, "JAMKEY_STATE": str(folder / "state")},
            )
        seconds = time.perf_counter() - begin
        read = json.loads((folder / "out.json").read_text(encoding="utf-8")) if (folder / "out.json").exists() else {}
        jam = (read.get("jams") or [{}])[-1]
        roots = [(root["file"], root["line"]) for root in jam.get("roots") or []]
        keys = [key for key in jam.get("keys") or [] if key.get("edits")][:3]
        results = [_applied(program, files, key, wanted, folder / f"try{place}") for place, key in enumerate(keys)]
    row: dict[str, Any] = {
        "phase": "compile" if jam.get("phase") == "compile" else phase,
        "family": family,
        "seconds": seconds,
        "root1": (source, line) in roots[:1],
        "root3": (source, line) in roots[:3],
        "offered": bool(keys),
        "runs3": any(ran for ran, _ in results),
        "fix1": bool(results) and results[0][1],
        "fix3": any(right for _, right in results),
    }
    if keys and (keys[0].get("trial") or {}).get("outcome") == "runs":
        row["wrong"] = not results[0][1]
    if listed and half == "open" and not (row["root1"] and row["fix1"]):
        wrong = " ".join(word for word in ("root1", "fix1") if not row[word])
        print(f"{program.language:11}{name:28}{program.name} {source}:{line} not {wrong}", flush=True)
    return [row]


def _applied(program: Program, files: dict[str, bytes], key: dict[str, Any], wanted: str, folder: Path) -> tuple[bool, bool]:
    changed = dict(files)
    for file in {edit["file"] for edit in key["edits"]}:
        edits = [
            Edit(**{word: edit[word] for word in Edit.__struct_fields__ if word in edit})
            for edit in key["edits"]
            if edit["file"] == file
        ]
        try:
            changed[file] = splice(files[file].decode("utf-8", "replace"), edits).encode()
        except (KeyError, ValueError, IndexError):
            return False, False
    status, printed = run(program, changed, folder)
    return status == 0, status == 0 and printed == wanted


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("--language", nargs="*", default=list(ENDINGS))
    parser.add_argument("--apart", action="store_true")
    parser.add_argument("--quick", action="store_true", help="15 cases a language")
    parser.add_argument("--most", type=int, default=60, help="cases a language")
    parser.add_argument("--jamkey", default=str(Path(sys.executable).with_name("jamkey")))
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--json", type=Path)
    parser.add_argument("--list", action="store_true", help="name the cases of the open half that are not right")
    given = parser.parse_args()
    half = "apart" if given.apart else "open"
    made = {}
    for language in given.language:
        pairs = [
            (program, name)
            for program in healthy(language, given.corpus)
            if side(f"{language} {program.name}") == half
            for name in OPERATORS
            if side(name) == half
        ]
        pairs.sort(key=lambda pair: hashlib.sha256(f"{pair[0].name} {pair[1]}".encode()).digest())
        rows: list[dict[str, Any]] = []
        most = 15 if given.quick else given.most
        with ThreadPoolExecutor(given.jobs) as pool:
            waiting = iter(pairs)
            while len(rows) < most and (batch := list(itertools.islice(waiting, given.jobs * 2))):
                for found in pool.map(lambda pair: measured(*pair, half, given.jamkey, given.list), batch):
                    rows += found
        if rows:
            made[language] = table(rows, "phase")
            print(f"\n{half}, {language}")
            shown(made[language])
    if given.json:
        given.json.write_text(json.dumps(made, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
