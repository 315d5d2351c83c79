"""Small turns of a line that people usually mean when a result is wrong: tried against what should be printed.

None of these is likely by itself, so they are offered only where the expected output can tell which one is right.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator

from jamkey.model import Edit, Key

#: Turns for one program at most.
MOST = 48

_NUMBER = r"(?<![\w.])(\d+)(?![\w.])"
#: Kind, pattern, what is written instead, in what order of likelihood.
_TURNS: tuple[tuple[str, str, str, int], ...] = (
    ("lost-last-item", r"range\(len\((\w+)\) - 1\)", r"range(len(\1))", 0),
    ("lost-last-item", r"range\(1, (\w+|len\(\w+\))\)", r"range(1, \1 + 1)", 1),
    ("lost-last-item", r"range\(1, (\w+|len\(\w+\))\)", r"range(\1)", 2),
    ("lost-last-item", r"\[:-1\]", "", 0),
    ("lost-last-item", r"\[1:\]", "", 2),
    ("lost-last-item", r"range\((\w+)\)", r"range(\1 + 1)", 2),
    ("lost-last-item", r"range\((\w+), (\w+)\)", r"range(\1, \2 + 1)", 1),
    ("lost-last-item", r" < ([\w.]+(?:\(\))?) - 1\b", r" < \1", 0),
    ("lost-last-item", r"\b1:\(?(length|numel|nrow|ncol) ?\((\w+)\) ?- ?1\)?", r"1:\1(\2)", 0),
    ("lost-last-item", r", #(\w+) - 1\b", r", #\1", 0),
    ("truncated-division", r"(?<!/)//(?!/)", "/", 0),
    ("truncated-division", r"\bint\(([^()]+/[^()]+)\)", r"\1", 0),
    ("truncated-division", r"\bMath\.floor\(([^()]+/[^()]+)\)", r"\1", 0),
    ("truncated-division", r"%/%", "/", 0),
    ("truncated-division", r"\bdiv\b", "/", 1),
    ("joined-not-added", r"\binput\(([^()]*)\)", r"float(input(\1))", 0),
    ("joined-not-added", r"\binput\(([^()]*)\)", r"int(input(\1))", 0),
    ("joined-not-added", r"\bprompt\(([^()]*)\)", r"Number(prompt(\1))", 0),
    ("joined-not-added", r"\+ (\w+\[[^\]]+\])", r"+ float(\1)", 3),
    ("joined-not-added", r"\+= (\w+(?:\[[^\]]+\]|\.\w+)?);", r"+= Number(\1);", 2),
    ("wrong-type", r"\bsorted\((\w+)\)", r"sorted(\1, key=float)", 1),
    ("wrong-type", r"\.sort\(\)", ".sort(key=float)", 1),
    ("wrong-type", r"\b(max|min)\((\w+)\)", r"\1(\2, key=float)", 2),
    (
        "unused-result",
        r"^(\s*)(\w+)\.(strip|lower|upper|replace|dropna|fillna|title|reverse|sort_values|reset_index|astype)\((.*)\)$",
        r"\1\2 = \2.\3(\4)",
        0,
    ),
    ("shared-default", r"\[\[(\w+)\] \* (\w+)\] \* (\w+)", r"[[\1] * \2 for _ in range(\3)]", 0),
    ("shared-default", r"\* (\w+)\]", r"for _ in range(\1)]", 3),
    ("shared-default", r"^(\s*\w+ = )(\w+)$", r"\1list(\2)", 2),
    ("shared-default", r"^(\s*\w+ = )(\w+)$", r"\1\2.copy()", 2),
    ("early-return", r"^    (\s+return\b.*)$", r"\1", 0),
    ("spreading-missing-value", r"\.sum\(skipna=False\)", ".sum()", 0),
    ("spreading-missing-value", r"\b(mean|sum|max|min|sd|median)\((\w[\w$.\[\]\"]*)\)", r"\1(\2, na.rm = TRUE)", 1),
    ("spreading-missing-value", r"\bnp\.(mean|sum|max|min|std|median)\(", r"np.nan\1(", 1),
    ("spreading-missing-value", r"\bNumber\(([^()]+)\)", r"parseFloat(\1)", 0),
    ("bad-arithmetic", r" <= ", " < ", 3),
    ("bad-arithmetic", r" < (?!-)", " <= ", 3),
    ("bad-arithmetic", r" >= ", " > ", 3),
    ("bad-arithmetic", r" > ", " >= ", 3),
    ("wrong-order", r"\bmin\(", "max(", 4),
    ("wrong-order", r"\bmax\(", "min(", 4),
    ("bad-arithmetic", r" - ", " + ", 5),
    ("bad-arithmetic", r" \+ ", " - ", 5),
    ("bad-arithmetic", r"\band\b", "or", 5),
    ("bad-arithmetic", r"\bor\b", "and", 5),
    ("bad-arithmetic", r"==", "!=", 6),
    ("bad-arithmetic", r" \* ", " / ", 6),
    ("index-out-of-range", r"\[(\w+) [-+] 1\]", r"[\1]", 4),
    ("index-out-of-range", r"\[0\]", "[1]", 5),
    ("index-out-of-range", r"\[1\]", "[0]", 5),
)
_IDLE = re.compile(
    r"^\s*(?:#|//|--|%|\*|import |from |use |require|library|#include|def |function |class |public class "
    r"|print\(\"[^\"]*\"\)$|$)"
)


def turns(
    files: dict[str, str], lines: Collection[tuple[str, int]] | None = None, *, reason: str = "then it prints what it should"
) -> Iterator[Key]:
    """Yield keys of one turn each, likeliest sort first, later lines of a file after earlier ones.

    Args:
        files: name -> text of the project's own sources.
        lines: only these; None for all.
        reason: of the keys.
    """
    found: list[tuple[int, int, Key]] = []
    for name, text in files.items():
        for number, row in enumerate(text.split("\n"), 1):
            if _IDLE.match(row) or len(row) > 300 or (lines is not None and (name, number) not in lines):
                continue
            for kind, pattern, new, rank in _TURNS:
                for match in list(re.finditer(pattern, row))[:2]:
                    written = match.expand(new)
                    if written == match[0]:
                        continue
                    edit = Edit(
                        file=name,
                        line=number,
                        column=match.start() + 1,
                        end_line=number,
                        end_column=match.end() + 1,
                        new_text=written,
                    )
                    title = f"Write `{written.strip() or 'nothing'}` instead of `{match[0].strip()}` on line {number} of {name}"
                    key = Key(
                        id=f"turn-{kind}-{number}-{match.start()}-{len(found)}",
                        title=title,
                        reason=reason,
                        confidence=0.3,
                        edits=(edit,),
                    )
                    found.append((rank, number, key))
    found.sort(key=lambda item: (item[0], item[1]))
    for _, _, key in found[:MOST]:
        yield key


def kind_of_turn(key: Key) -> str | None:
    """Return the kind that a turn stands for, None for any other key."""
    match = re.match(r"turn-([a-z-]+?)-\d", key.id)
    return match[1] if match else None
