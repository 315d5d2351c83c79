"""How many names that healthy sources use are known: defined in the file, brought in, or the language's own.

    python benchmarks/names.py LANGUAGE FOLDER ... [--most N] [--list] [--json FILE]

Every source of the language below the folders is read (at most N, spread evenly), and every name that an expression of it
uses - no member, no name of an argument - is looked for: among the definitions that reach the line, in any scope of the
file, among the language's own names, among what the other files of the folder define at their outermost level, among what a
library of it is known to give. What is left is unknown. Printed are the shares, milliseconds a kilobyte for reading a file
and asking for each name, and with `--list` the commonest unknown names. Sources that the grammar does not take whole are
left out, and counted.
"""

from __future__ import annotations

import argparse
import json
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.languages.base import Code, Part
from jamkey.languages.members import own_names
from jamkey.languages.trees import is_whole

ENDINGS = {
    "javascript": (".js", ".mjs"),
    "java": (".java",),
    "c": (".c", ".h"),
    "lua": (".lua",),
    "r": (".R", ".r"),
    "octave": (".m",),
    "python": (".py",),
}
#: Bytes of a source.
_LEAST, _MOST = 200, 200_000
#: Files of one folder that are read.
_FOLDER = 600


def used(code: Code, lines: int) -> Iterator[Part]:
    """Yield every name that an expression uses, once."""
    seen = set()
    for line in range(1, lines + 1):
        for statement in code.heads(line):
            if statement.sort == "import":
                continue
            seen |= {part.span for part in statement.targets}
            for top in statement.parts:
                for part in top.walk():
                    if part.sort == "name" and part.name.isidentifier() and part.span not in seen:
                        seen.add(part.span)
                        yield part


def beside_of(path: Path, known: dict[Path, frozenset[str]]) -> frozenset[str]:
    """Return what the other sources of a folder define, as those of a package know each other."""
    if path.parent not in known:
        found: set[str] = set()
        for other in sorted(path.parent.glob(f"*{path.suffix}"))[:_FOLDER]:
            if other.stat().st_size < _MOST:
                text = other.read_text(encoding="utf-8", errors="replace")
                code = Sources(None, {other.name: text}).code(other.name)
                found |= {item.name for item in code.definitions() if not item.scope} if code is not None else set()
        known[path.parent] = frozenset(found)
    return known[path.parent]


def main() -> None:
    """Read the sources, ask for each name, print the shares."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("language", choices=sorted(ENDINGS))
    parser.add_argument("folders", nargs="+", type=Path)
    parser.add_argument("--most", type=int, default=400)
    parser.add_argument("--list", action="store_true", help="the commonest unknown names")
    parser.add_argument("--json", type=Path)
    asked = parser.parse_args()
    files = sorted(
        path
        for folder in asked.folders
        for path in folder.rglob("*")
        if path.suffix in ENDINGS[asked.language] and path.is_file() and _LEAST < path.stat().st_size < _MOST
    )
    files = files[:: max(len(files) // asked.most, 1)][: asked.most]
    language = language_of("a" + ENDINGS[asked.language][0])
    if language is None:
        raise SystemExit(f"no language of {ENDINGS[asked.language][0]}")
    own = language.builtins | language.keywords | own_names(asked.language)
    beside: dict[Path, frozenset[str]] = {}
    count: Counter[str] = Counter()
    unknown: Counter[str] = Counter()
    seconds = size = 0.0
    for path in files:
        text = path.read_text(encoding="utf-8", errors="replace")
        if asked.language in ("javascript", "java", "lua", "c") and not is_whole(text, asked.language, path.suffix):
            count["not whole"] += 1
            continue
        begin = time.perf_counter()
        code = Sources(None, {path.name: text}).code(path.name)
        if code is None:
            continue
        count["files"] += 1
        defined = {item.name for item in code.definitions()}
        found = [(part, bool(code.reaching(part.name, part.span.line))) for part in used(code, text.count("\n") + 1)]
        seconds += time.perf_counter() - begin
        size += len(text) / 1000
        for part, reached in found:
            count["names"] += 1
            if reached:
                count["reached"] += 1
            elif part.name in own:
                count["own"] += 1
            elif part.name in defined:
                count["elsewhere in the file"] += 1
            elif part.name in beside_of(path, beside):
                count["beside it"] += 1
            elif language.homes(part.name, path.name):
                count["library"] += 1
            else:
                count["unknown"] += 1
                unknown[part.name] += 1
    total = max(count["names"], 1)
    row = {"language": asked.language, "files": count["files"], "not whole": count["not whole"], "names": count["names"]}
    row |= {
        name: round(100 * count[name] / total, 2)
        for name in ("reached", "own", "elsewhere in the file", "beside it", "library", "unknown")
    }
    row["ms a kB"] = round(1000 * seconds / max(size, 1.0), 2)
    print("  ".join(f"{key} {value}" for key, value in row.items()))
    if asked.list:
        print("  ".join(f"{name} {times}" for name, times in unknown.most_common(60)))
    if asked.json:
        asked.json.write_text(json.dumps(row, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
