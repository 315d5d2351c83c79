"""Write the table of how usual each three tokens in a row are, by language, which grammar repair ranks its edits by.

    python benchmarks/count_tokens.py [--write]

Counted: the interpreter's own library for Python, and for the others the libraries' own sources that `programs.py` and the
machine have; of both only the half that the grammar yardstick does not judge on.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
import grammar
from programs import side

from jamkey.languages import SHELF
from jamkey.repair.lex import classes, lex

TABLE = Path(__file__).parent.parent / "src" / "jamkey" / "repair" / "usual.json"
LANGUAGES = ("python", "javascript", "lua", "r", "octave", "java", "c")
#: A sequence that was seen less often says nothing; files and sequences kept at most.
LEAST, MOST_FILES, MOST_KEPT = 2, 700, 9000


def counts(language: str) -> dict[str, int]:
    """Return the commonest threes of a language."""
    facts = SHELF.get(language)
    seen: Counter[str] = Counter()
    files = 0
    for name, text in grammar.files(language):
        if side(Path(name).name) == "apart" or len(text) > 200_000:
            continue
        files += 1
        if files > MOST_FILES:
            break
        tokens = [token for token in lex(text, facts.style) if token.sort != "comment"]
        words = ["L", "L", *classes(tokens, facts.keywords, text)]
        for a, b, c in zip(words, words[1:], words[2:], strict=False):
            if " " not in a + b + c and len(a + b + c) < 40:
                seen[f"{a} {b} {c}"] += 1
    print(language, files, "files", len(seen), "sequences")
    return {key: count for key, count in seen.most_common(MOST_KEPT) if count >= LEAST}


def main() -> None:
    """Count; write the table when asked."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("--write", action="store_true")
    asked = parser.parse_args()
    table = {language: counts(language) for language in LANGUAGES}
    if asked.write:
        TABLE.write_text(json.dumps(table, separators=(",", ":"), sort_keys=True) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
