"""How often one slip of a token in a real file is put right: the text that was there, a text that parses, the line, the time.

    python benchmarks/grammar.py [--language NAME ...] [--apart] [--quick] [--most N] [--python PATH ...] [--json FILE] [--list]

Files are libraries' own: of CPython, of Node's packages, of R, Octave, Lua and the JDK, and the C sources of NumPy's
source distribution. One slip a file, of the token operators below; kept when the language's own parser takes the
healthy text and refuses the broken one. Files and operators are split by a hash of their names; `--apart` measures the
other half. For Python also the broken examples of CPython's own tests (`test.test_syntax`): there is no text to
restore, only one that parses.
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
import statistics
import subprocess
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import parsers
import programs
from programs import side

from jamkey.errors import JamkeyError
from jamkey.pipeline import read_and_diagnose
from jamkey.text import splice

#: Files longer than this are left out here, in lines.
LONGEST = 600
COLUMNS = ("read", "root1", "root3", "parses", "restored1", "restored3")


class Token(NamedTuple):
    sort: str
    text: str
    start: int

    @property
    def end(self) -> int:
        return self.start + len(self.text)


def tokens(language: str, text: str) -> list[Token]:
    """Return the tokens of a source by pygments, comments and blanks left out."""
    from pygments.lexers import get_lexer_by_name
    from pygments.token import Comment, Keyword, Name, Number, Operator, Punctuation, String, Text

    sorts = ((Comment, ""), (Keyword, "keyword"), (Name, "name"), (Number, "number"), (String, "string"))
    found: list[Token] = []
    position = 0
    lexer = get_lexer_by_name({"r": "r"}.get(language, language), stripnl=False, ensurenl=False)
    for sort, value in lexer.get_tokens(text):
        name = next((name for known, name in sorts if sort in known), None)
        if name is None:
            name = "sign" if (sort in Operator or sort in Punctuation) and value.strip() else ""
        if name == "keyword" and not value.isalpha():
            name = "sign"
        if name and value.strip() and sort not in Text:
            if name == "sign" and len(value) > 1 and all(sign in "()[]{};,:." for sign in value):
                found += [Token("sign", sign, position + place) for place, sign in enumerate(value)]
            else:
                found.append(Token(name, value, position))
        position += len(value)
    return found


Operator = Callable[[str, list[Token], random.Random], "tuple[int, int, str] | None"]
OPERATORS: dict[str, Operator] = {}


def operator(function: Operator) -> Operator:
    OPERATORS[function.__name__.replace("_", "-")] = function
    return function


def _one(found: list[Token], pick: random.Random, fits: Callable[[Token], bool]) -> Token | None:
    fitting = [token for token in found if fits(token)]
    return pick.choice(fitting) if fitting else None


@operator
def closer_left_out(text, found, pick):
    token = _one(found, pick, lambda t: t.text in (")", "]", "}"))
    return token and (token.start, token.end, "")


@operator
def opener_left_out(text, found, pick):
    token = _one(found, pick, lambda t: t.text in ("(", "[", "{"))
    return token and (token.start, token.end, "")


@operator
def closer_doubled(text, found, pick):
    token = _one(found, pick, lambda t: t.text in (")", "]", "}"))
    return token and (token.end, token.end, token.text)


@operator
def closer_of_another_sort(text, found, pick):
    token = _one(found, pick, lambda t: t.text in (")", "]", "}"))
    return token and (token.start, token.end, {")": "]", "]": ")", "}": ")"}[token.text])


@operator
def quote_left_out(text, found, pick):
    token = _one(
        found, pick, lambda t: t.text in ('"', "'") or (t.sort == "string" and t.text[-1:] in "\"'" and "\n" not in t.text)
    )
    return token and (token.end - 1, token.end, "")


@operator
def comma_left_out(text, found, pick):
    token = _one(found, pick, lambda t: t.text == ",")
    return token and (token.start, token.end, "")


@operator
def colon_or_terminator_left_out(text, found, pick):
    token = _one(found, pick, lambda t: t.text in (":", ";") and text[t.end : t.end + 1] == "\n")
    return token and (token.start, token.end, "")


@operator
def operator_left_out(text, found, pick):
    token = _one(found, pick, lambda t: t.text in ("+", "-", "*", "/", "==", "<", ">", "=", "<-", "..", "&&", "||"))
    return token and (token.start, token.end, "")


@operator
def operator_doubled(text, found, pick):
    token = _one(found, pick, lambda t: t.text in ("=", "*", "/", ",", ".", "<-", "=="))
    return token and (token.end, token.end, " " + token.text)


@operator
def sign_for_its_neighbour_on_the_keyboard(text, found, pick):
    twins = {":": ";", ";": ":", ",": ".", ".": ",", "(": "9", ")": "0", "=": "-", "'": ";", "[": "{", "]": "}"}
    token = _one(found, pick, lambda t: t.text in twins)
    return token and (token.start, token.end, twins[token.text])


@operator
def comparison_for_assignment_and_back(text, found, pick):
    token = _one(found, pick, lambda t: t.text in ("==", "="))
    return token and (token.start, token.end, "=" if token.text == "==" else "==")


@operator
def keyword_misspelt(text, found, pick):
    token = _one(found, pick, lambda t: t.sort == "keyword" and len(t.text) > 2)
    if token is None:
        return None
    at = max(len(token.text) // 2, 1)
    return token.start, token.end, token.text[: at - 1] + token.text[at] + token.text[at - 1] + token.text[at + 1 :]


@operator
def keyword_in_capitals(text, found, pick):
    token = _one(found, pick, lambda t: t.sort == "keyword" and t.text.islower())
    return token and (token.start, token.end, token.text.capitalize())


@operator
def keyword_left_out(text, found, pick):
    token = _one(
        found,
        pick,
        lambda t: (
            t.sort == "keyword"
            and t.text in ("in", "then", "do", "end", "return", "def", "function", "new", "is", "not", "import", "else")
        ),
    )
    return token and (token.start, token.end, "")


@operator
def two_tokens_exchanged(text, found, pick):
    pairs = [
        (one, other)
        for one, other in itertools.pairwise(found)
        if one.text != other.text and "\n" not in text[one.start : other.end]
    ]
    if not pairs:
        return None
    one, other = pick.choice(pairs)
    return one.start, other.end, other.text + text[one.end : other.start] + one.text


@operator
def stray_sign(text, found, pick):
    token = _one(found, pick, lambda t: t.sort in ("name", "number"))
    return token and (token.end, token.end, pick.choice(["'", "`", "?", "$", "\\", "#!"[0:1] + "!"]))


@operator
def name_begins_with_a_digit(text, found, pick):
    token = _one(found, pick, lambda t: t.sort == "name" and len(t.text) > 1)
    return token and (token.start, token.start, "2")


@operator
def blank_in_a_name(text, found, pick):
    token = _one(found, pick, lambda t: t.sort == "name" and "_" in t.text.strip("_"))
    return token and (token.start, token.end, token.text.replace("_", " ", 1))


@operator
def curly_quotes(text, found, pick):
    token = _one(
        found, pick, lambda t: t.sort == "string" and len(t.text) > 2 and t.text[0] == t.text[-1] == '"' and "\n" not in t.text
    )
    return token and (token.start, token.end, f"\u201c{token.text[1:-1]}\u201d")


@operator
def line_joined_to_the_next(text, found, pick):
    ends = [match.start() for match in re.finditer(r"\n(?=[ \t]*\w)", text)]
    if not ends:
        return None
    at = pick.choice(ends)
    return at, at + 1 + len(re.match(r"[ \t]*", text[at + 1 :])[0]), " "


@operator
def line_cut_in_two(text, found, pick):
    pairs = [
        (one, other)
        for one, other in itertools.pairwise(found)
        if 0 < other.start - one.end < 3 and "\n" not in text[one.end : other.start]
    ]
    if not pairs:
        return None
    one, other = pick.choice(pairs)
    return one.end, other.start, "\n"


@operator
def block_end_left_out(text, found, pick):
    rows = list(re.finditer(r"^[ \t]*(?:end\w*|\}|fi|done)[ \t]*;?\n", text, re.M))
    if not rows:
        return None
    row = pick.choice(rows)
    return row.start(), row.end(), ""


@operator
def indented_one_less(text, found, pick):
    rows = list(re.finditer(r"^[ \t]+(?=\w)", text, re.M))
    if not rows:
        return None
    row = pick.choice(rows)
    return row.end() - 1, row.end(), ""


@operator
def indented_more(text, found, pick):
    rows = list(re.finditer(r"^[ \t]*(?=\w)", text, re.M))
    if not rows:
        return None
    row = pick.choice(rows)
    return row.end(), row.end(), "    "


def files(language: str) -> list[tuple[str, str]]:
    """Return (name, text) of the healthy files of a language."""
    found: list[tuple[str, str]] = []
    for name, read in _sources(language):
        with contextlib.suppress(UnicodeDecodeError, OSError):
            text = read().decode("utf-8")
            if 15 <= text.count("\n") <= LONGEST and "\r" not in text:
                found.append((name, text))
    return found


def _sources(language: str) -> Iterator[tuple[str, Callable[[], bytes]]]:
    if language == "python":
        root = Path(os.__file__).parent
        paths = [
            path for path in sorted(root.rglob("*.py")) if not {"site-packages", "test", "tests", "lib2to3"} & set(path.parts)
        ]
    elif language == "javascript":
        roots = [Path("/usr/share/nodejs"), Path("/usr/lib/node_modules")]
        paths = [path for root in roots for path in sorted(root.rglob("*.js")) if ".min." not in path.name]
    elif language == "octave":
        paths = sorted(Path("/usr/share/octave").rglob("*.m"))
    elif language == "lua":
        paths = sorted(Path("/usr/share/lua").rglob("*.lua"))
    elif language == "r":
        paths = sorted(_r_functions().glob("*.R"))
    elif language == "c":
        paths = sorted(
            path for package in ("numpy", "lmfit", "tables", "scipy") for path in programs.source_of(package).rglob("*.c")
        )
    else:
        archive = next(iter(sorted(Path("/usr/lib/jvm").glob("*/lib/src.zip"))), None)
        if archive is not None:
            with zipfile.ZipFile(archive) as packed:
                names = [
                    name
                    for name in packed.namelist()
                    if re.match(r"(?:java.base/)?java/(?:util|text|time|nio)/\w+/?\w*\.java$", name)
                ]
                for name in sorted(names):
                    yield name, lambda name=name: packed.read(name)
        return
    for path in paths:
        yield str(path), path.read_bytes


def _r_functions() -> Path:
    """Return a folder with the functions of R's own packages, as R itself writes them: installed packages hold no source."""
    folder = programs.cache() / "r-functions"
    if not folder.exists():
        made = folder.with_name("r-functions.new")
        made.mkdir(parents=True, exist_ok=True)
        code = (
            "for (package in c('stats', 'utils', 'tools', 'graphics')) { space <- asNamespace(package)\n"
            "for (name in grep('^[A-Za-z.]+$', ls(space), value = TRUE)) if (is.function(get(name, space)))\n"
            f"dump(name, file.path('{made}', paste0(package, '-', name, '.R')), envir = space) }}"
        )
        subprocess.run(["Rscript", "-e", code], check=True, capture_output=True)
        for path in made.glob("*.R"):
            rows = path.read_text(encoding="utf-8", errors="replace").split("\n")
            path.write_text(
                "\n".join(row for row in rows if not row.startswith(("<bytecode", "<environment"))), encoding="utf-8"
            )
        made.rename(folder)
    return folder


class Case(NamedTuple):
    name: str
    operator: str
    healthy: str
    text: str
    line: int


def cases(language: str, half: str, most: int) -> list[Case]:
    """Return the broken files of a half: those of which the parser takes the healthy text and refuses the broken one."""
    made: list[Case] = []
    wanted = [(name, text) for name, text in files(language) if side(Path(name).name) == half]
    wanted.sort(key=lambda item: hashlib.sha256(item[0].encode()).digest())
    names = [name for name in OPERATORS if side(name) == half]
    for name, text in wanted[: most * 3]:
        pick = random.Random(f"{language} {Path(name).name}")
        found = tokens(language, text)
        for chosen in pick.sample(names, min(3, len(names))):
            edit = OPERATORS[chosen](text, found, pick)
            if edit:
                start, end, new = edit
                made.append(Case(name, chosen, text, text[:start] + new + text[end:], text.count("\n", 0, start) + 1))
                break
    beside = [str(Path(case.name).parent) for case in made] * 2
    told = parsers.told(language, [case.healthy for case in made] + [case.text for case in made], beside=beside)
    healthy, broken = told[: len(made)], told[len(made) :]
    return [case for case, good, bad in zip(made, healthy, broken, strict=True) if not good and bad][:most]


#: What a user types to see the runtime refuse a file.
_COMMANDS = {
    "javascript": ["node", "{0}"],
    "lua": ["lua5.4", "{0}"],
    "r": ["Rscript", "-e", "source('{0}')"],
    "octave": ["octave-cli", "{0}"],
    "java": ["javac", "-proc:none", "-d", "out", "{0}"],
    "c": ["gcc", "-c", "{0}", "-I", "{1}"],
}


def printed(language: str, folder: Path, name: str, interpreter: str, beside: str) -> str:
    """Return what the runtime prints when it is given the broken file."""
    argv = [interpreter, name] if language == "python" else [word.format(name, beside) for word in _COMMANDS[language]]
    # a broken file of the library's own must not be what the interpreter itself loads to tell of it
    env = {**os.environ, "LC_ALL": "C.UTF-8", "LANGUAGE": "en", "PYTHONSAFEPATH": "1", "PYTHONPATH": ""}
    done = subprocess.run(argv, cwd=folder, capture_output=True, stdin=subprocess.DEVNULL, env=env, timeout=60)
    return (done.stdout + done.stderr).decode("utf-8", "replace")


def measured(language: str, case: Case, interpreter: str) -> tuple[dict[str, Any], list[str]]:
    """Read one broken file; return what was right, and the texts of its first three keys."""
    row: dict[str, Any] = {"operator": case.operator, **dict.fromkeys(COLUMNS, False)}
    with tempfile.TemporaryDirectory(prefix="jamkey-grammar-") as made:
        folder = Path(made)
        name = Path(case.name).name
        (folder / name).write_text(case.text, encoding="utf-8")
        for header in Path(case.name).parent.glob("*.h") if language == "c" else ():
            shutil.copy(header, folder)  # as they lie beside it where it is compiled
        text = printed(language, folder, name, interpreter, str(Path(case.name).parent))
        begin = time.perf_counter()
        try:
            jam = read_and_diagnose(text, root=folder, runtime=language)[-1 if language == "python" else 0]
        except JamkeyError:
            row["seconds"] = time.perf_counter() - begin
            return row, []
        row["seconds"] = time.perf_counter() - begin
    row["read"] = jam.phase == "compile"
    lines = [root.line for root in jam.roots]
    row["root1"], row["root3"] = case.line in lines[:1], case.line in lines[:3]
    texts = []
    for key in [key for key in jam.keys if key.edits][:3]:
        with contextlib.suppress(ValueError, IndexError):
            texts.append(splice(case.text, [edit for edit in key.edits if edit.file == name]))
    row["restored1"], row["restored3"] = case.healthy in texts[:1], case.healthy in texts
    return row, texts


def whole(language: str, half: str, most: int, interpreter: str, listed: bool) -> dict[str, float | int | None]:
    """Measure a language; return its shares in percent and its seconds."""
    rows, texts, beside = [], [], []
    for case in cases(language, half, most):
        beside.append(str(Path(case.name).parent))
        row, made = measured(language, case, interpreter)
        rows.append(row)
        texts.append(made)
        if listed and half == "open" and not row["restored1"]:
            print(f"{language:11}{case.operator:40}{Path(case.name).name}:{case.line} not restored", flush=True)
    _parsed(language, rows, texts, interpreter, beside)
    return _shares(rows)


def _parsed(language: str, rows: list[dict[str, Any]], texts: list[list[str]], interpreter: str, beside: list[str]) -> None:
    """Note of every case whether one of its keys leaves a text that the parser takes."""
    flat = [text for made in texts for text in made]
    folders = [folder for folder, made in zip(beside, texts, strict=True) for _ in made]
    told = parsers.told(language, flat, interpreter=interpreter, beside=folders) if flat else []
    at = 0
    for row, made in zip(rows, texts, strict=True):
        row["parses"] = "" in told[at : at + len(made)]
        at += len(made)


def _shares(rows: list[dict[str, Any]]) -> dict[str, float | int | None]:
    made: dict[str, float | int | None] = {"n": len(rows)}
    for column in COLUMNS:
        made[column] = round(100 * sum(row[column] for row in rows) / len(rows), 1) if rows else None
    seconds = sorted(row["seconds"] for row in rows)
    made["median s"] = round(statistics.median(seconds), 3) if rows else None
    made["95 % s"] = round(seconds[int(len(seconds) * 0.95)], 3) if rows else None
    return made


def own_tests(interpreter: str) -> dict[str, float | int | None]:
    """Measure the broken examples of CPython's own tests."""
    code = (
        "import doctest, json, test.test_syntax as t\n"
        "examples = doctest.DocTestParser().get_examples(t.__doc__ or '')\n"
        "found = [e.source for e in examples if e.exc_msg and 'Error' in e.exc_msg]\n"
        "print(json.dumps(found))\n"
    )
    done = subprocess.run([interpreter, "-c", code], capture_output=True, text=True)
    if done.returncode:
        return {"n": 0}
    texts = json.loads(done.stdout)
    refused = parsers.told("python", texts, interpreter=interpreter)
    broken = [text for text, told in zip(texts, refused, strict=True) if told]
    rows, made = [], []
    for number, text in enumerate(broken):
        row, keys = measured("python", Case(f"example_{number}.py", "", "", text, 0), interpreter)
        rows.append(row)
        made.append(keys)
    _parsed("python", rows, made, interpreter, [""] * len(rows))
    shares = _shares(rows)
    return {name: shares[name] for name in ("n", "read", "parses", "median s", "95 % s")}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--language", nargs="*", default=list(parsers.ENDINGS))
    parser.add_argument("--apart", action="store_true")
    parser.add_argument("--quick", action="store_true", help="40 files a language")
    parser.add_argument("--most", type=int, default=200, help="files a language")
    parser.add_argument("--python", nargs="*", default=[sys.executable], help="interpreters whose messages and parsers count")
    parser.add_argument("--json", type=Path)
    parser.add_argument("--list", action="store_true", help="name the files of the open half that are not restored")
    given = parser.parse_args()
    half = "apart" if given.apart else "open"
    made: dict[str, dict[str, float | int | None]] = {}
    for language in given.language:
        if not parsers.available(language):
            print(f"{language}: its parser is not here")
            continue
        for interpreter in given.python if language == "python" else [sys.executable]:
            name = language if language != "python" else f"python {Path(interpreter).resolve().name.removeprefix('python')}"
            made[name] = whole(language, half, 40 if given.quick else given.most, interpreter, given.list)
            if language == "python":
                made[f"{name} tests"] = own_tests(interpreter)
    columns = ("n", *COLUMNS, "median s", "95 % s")
    print(f"{half:20}" + "".join(f"{column:>11}" for column in columns))
    for name, shares in made.items():
        print(f"{name:20}" + "".join(f"{'-' if shares.get(column) is None else shares[column]:>11}" for column in columns))
    if given.json:
        given.json.write_text(json.dumps(made, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
