"""How many unrelated libraries use the words by which a library's check is told?

    python benchmarks/signs.py [--all] [--json FILE]

The messages of `harvest.py` are counted: of all `raise` statements in Python's own library (a top-level module is one
source) and in the packages beside this interpreter, of R's packages and Octave's folders, Node, Java, Lua and sclang where
they are installed. Printed: the share of those that no phrase knows which has a sign, and of each sign how many sources
use it. A sign of fewer than three sources is listed: it fits one library. Of the words of compilers, which are few
(javac, gcc, TypeScript), the messages are counted.
"""

from __future__ import annotations

import argparse
import json
import tomllib
from pathlib import Path

import harvest

from jamkey.phrases import is_fallback
from jamkey.phrases.signs import CUT, kind_by_signs, signs_in

#: Sources that a sign needs, or messages of compilers.
LEAST = 3
COMPILERS = (harvest.of_javac, harvest.of_c, harvest.of_typescript)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--all", action="store_true", help="each sign, not only those of too few sources")
    parser.add_argument("--json", type=Path)
    given = parser.parse_args()
    asked = {
        "python": harvest.of_python,
        "r": harvest.of_r,
        "octave": harvest.of_octave,
        "javascript": harvest.of_javascript,
        "java": harvest.of_java,
        "lua": harvest.of_lua,
        "supercollider": harvest.of_supercollider,
    }
    found = {(runtime, message) for runtime, of_runtime in asked.items() for message in of_runtime()}
    unknown = [message for runtime, message in found if is_fallback(runtime, message.type, message.text)]
    told = sum(kind_by_signs(message.text) is not None for message in unknown)
    print(f"{len(found)} messages of {len({message.source for _, message in found})} sources; no phrase knows {len(unknown)}")
    print(f"of these {told} ({told / len(unknown):.0%}) have a sign")
    with open(Path(CUT).with_name("signs.toml"), "rb") as handle:
        signs = tomllib.load(handle)
    rows = {
        f"{entry['kind']}: {words}": len({message.source for message in unknown if signs_in(words, message.text)})
        for entry in signs["check"]
        for words in entry["words"]
    }
    refused = {message.text for of_compiler in COMPILERS for message in of_compiler()}
    rows |= {
        f"refused, {entry['kind']}: {words}": sum(signs_in(words, text) for text in refused)
        for entry in signs["refusal"]
        for words in entry["words"]
    }
    few = {sign: count for sign, count in rows.items() if count < LEAST}
    print(f"{len(rows)} signs, {len(few)} of fewer than {LEAST} sources, or messages of compilers")
    for sign, count in sorted((rows if given.all else few).items()):
        print(f"{count:6} {sign}")
    if given.json:
        made = {"messages": len(found), "unknown": len(unknown), "told": told, "signs": rows}
        given.json.write_text(json.dumps(made, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
