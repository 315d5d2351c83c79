"""How many unrelated libraries use the words by which a library's check is told?

    python benchmarks/signs.py [--all] [--json FILE]

The messages of all `raise` statements in Python's own library (a top-level module is one source) and in the packages
that are installed beside this interpreter are collected from their source; nothing is run. Printed: the share of those
that no phrase knows which has a sign, and of each sign how many sources use it. A sign of fewer than three sources is
listed: it fits one library.
"""

from __future__ import annotations

import argparse
import ast
import json
import sysconfig
import tomllib
import warnings
from collections.abc import Iterator
from pathlib import Path

from jamkey.phrases import is_fallback
from jamkey.phrases.signs import CUT, kind_by_signs, signs_in

#: Sources that a sign needs.
LEAST = 3
_HOLE = "X"


def text_of(node: ast.expr) -> str | None:
    """Return the text that an expression makes, holes as X; None where it makes none that is written down."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else None
    if isinstance(node, ast.JoinedStr):
        return "".join(part.value if isinstance(part, ast.Constant) else _HOLE for part in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mod):
        return text_of(node.left)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        left, right = text_of(node.left), text_of(node.right)
        return (left or _HOLE) + (right or _HOLE) if left or right else None
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "format":
        return text_of(node.func.value)
    return None


def raised(folder: Path) -> Iterator[tuple[str, str, str]]:
    """Yield (source, type, message) of the raise statements below a folder."""
    for file in sorted(folder.rglob("*.py")):
        parts = file.relative_to(folder).parts
        if {"site-packages", "test", "tests", "testing", "_vendor", "jamkey"} & set(parts):
            continue
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                tree = ast.parse(file.read_text(encoding="utf-8"))
        except (SyntaxError, ValueError, OSError, RecursionError):
            continue
        for node in ast.walk(tree):
            if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and node.exc.args:
                named = node.exc.func
                name = named.id if isinstance(named, ast.Name) else named.attr if isinstance(named, ast.Attribute) else ""
                if name and (message := text_of(node.exc.args[0])):
                    yield parts[0].removesuffix(".py"), name, message


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--all", action="store_true", help="each sign, not only those of too few sources")
    parser.add_argument("--json", type=Path)
    given = parser.parse_args()
    places = sysconfig.get_paths()
    found = {row for place in {places["stdlib"], places["purelib"]} for row in raised(Path(place))}
    unknown = [row for row in found if is_fallback("python", row[1], row[2])]
    told = sum(kind_by_signs(message) is not None for _, _, message in unknown)
    print(f"{len(found)} messages of {len({row[0] for row in found})} sources; no phrase knows {len(unknown)}")
    print(f"of these {told} ({told / len(unknown):.0%}) have a sign")
    with open(Path(CUT).with_name("signs.toml"), "rb") as handle:
        known = [(entry["kind"], words) for entry in tomllib.load(handle)["sign"] for words in entry["words"]]
    rows = {
        f"{kind}: {words}": len({source for source, _, message in unknown if signs_in(words, message)}) for kind, words in known
    }
    few = {sign: count for sign, count in rows.items() if count < LEAST}
    print(f"{len(rows)} signs, {len(few)} of fewer than {LEAST} sources")
    for sign, count in sorted((rows if given.all else few).items()):
        print(f"{count:6} {sign}")
    if given.json:
        made = {"messages": len(found), "unknown": len(unknown), "told": told, "signs": rows}
        given.json.write_text(json.dumps(made, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
