"""Lines of other languages that go quietly wrong, each with the usual way to write it."""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Edit, Finding


class Slip(msgspec.Struct, frozen=True):
    """What is written and what is meant."""

    languages: str
    kind: str
    rule: str
    written: str
    #: Ways to write it instead, likeliest first, with the groups of `written`.
    meant: tuple[str, ...]
    reason: str
    #: Must stand in the file too.
    beside: str = ""


_SLIPS = (
    Slip(
        "c java",
        "truncated-division",
        "whole-number-ratio",
        r"\breturn (\w+) / (\w+) \* 100;",
        (r"return \1 * 100.0 / \2;", r"return 100.0 * \1 / \2;"),
        "two whole numbers are divided as whole numbers, before the fraction is wanted",
        r"\b(?:double|float) \w+\s*\(",
    ),
    Slip(
        "c java",
        "truncated-division",
        "whole-number-ratio",
        r"\breturn (\w+) / (\w+);",
        (r"return (double) \1 / \2;",),
        "two whole numbers are divided as whole numbers; the fraction is lost",
        r"\b(?:double|float) \w+\s*\([^)]*\bint\b",
    ),
    Slip(
        "c java",
        "truncated-division",
        "whole-number-ratio",
        r"\b((?:double|float) \w+ = )(\w+) / (\w+);",
        (r"\1(double) \2 / \3;",),
        "two whole numbers are divided as whole numbers; the fraction is lost",
        r"\bint\b",
    ),
    Slip(
        "c java",
        "truncated-division",
        "whole-number-ratio",
        r"\b1 / (\d+)\b",
        (r"1.0 / \1",),
        "a fraction of whole numbers is 0",
    ),
    Slip(
        "javascript",
        "spreading-missing-value",
        "unit-in-number",
        r"\bNumber\((\w[\w.\[\]]*)\)",
        (r"parseFloat(\1)",),
        "`Number` of text with a unit is NaN",
        r"['\"`][^'\"`]*\d\s*(?:kg|cm|mm|m|km|g|%|C|h|min|s|EUR)\b",
    ),
    Slip(
        "javascript",
        "wrong-type",
        "text-sorted",
        r"\.sort\(\)",
        (".sort((a, b) => a - b)",),
        "without a comparison numbers are sorted as text",
    ),
    Slip(
        "octave julia",
        "bad-arithmetic",
        "division-by-empty-sum",
        r"/ (sum ?\((\w+)\))",
        (r"/ max (\1, 1)",),
        "when the sum is zero this divides by zero",
    ),
    Slip(
        "supercollider",
        "spreading-missing-value",
        "index-past-end",
        r"\b([a-z]\w*)\[([a-z]\w*)\]",
        (r"\1.wrapAt(\2)", r"\1.clipAt(\2)", r"\1.foldAt(\2)"),
        "a place behind the end gives nil",
    ),
    Slip(
        "r",
        "lost-last-item",
        "range-off-by-one",
        r"\b1:\(?length\((\w+)\) ?- ?1\)?",
        (r"seq_along(\1)",),
        "the last item is left out",
    ),
    Slip("lua", "lost-last-item", "range-off-by-one", r"= 1, #(\w+) - 1 do", (r"= 1, #\1 do",), "the last item is left out"),
    Slip(
        "java c javascript",
        "lost-last-item",
        "range-off-by-one",
        r"(; \w+ < [\w.]+(?:\(\))?) - 1;",
        (r"\1;",),
        "the last item is left out",
    ),
)
_FOR_EACH = re.compile(r"^(\s*)(\w[\w.]*)\.forEach\(\(?(\w+)\)? => \{\s*$")


def quiet_slips(text: str, name: str, language: str) -> list[Finding]:
    """Return lines that compute something else than they look like.

    Args:
        text: the source.
        name: its file's name.
        language: as the shelf of languages names it.
    """
    found: list[Finding] = []
    rows = text.split("\n")
    for slip in _SLIPS:
        if language not in slip.languages.split() or not re.search(slip.beside, text):
            continue
        for number, row in enumerate(rows, 1):
            match = re.search(slip.written, row)
            if match is None or row.lstrip().startswith(("//", "#", "%", "--", "*")):
                continue
            for meant in slip.meant:
                edit = Edit(
                    file=name,
                    line=number,
                    column=match.start() + 1,
                    end_line=number,
                    end_column=match.end() + 1,
                    new_text=match.expand(meant),
                )
                found.append(
                    Finding(
                        file=name,
                        line=number,
                        column=match.start() + 1,
                        end_line=number,
                        end_column=match.end() + 1,
                        rule=slip.rule,
                        kind=slip.kind,
                        reason=slip.reason,
                        title=f"Write `{match.expand(meant)}`",
                        edits=(edit,),
                    )
                )
    if language == "javascript":
        found += _returns_in_for_each(rows, name)
    return found


def _returns_in_for_each(rows: list[str], name: str) -> list[Finding]:
    """A `return` in a forEach leaves the round, not the function."""
    found: list[Finding] = []
    for number, row in enumerate(rows, 1):
        match = _FOR_EACH.match(row)
        if match is None:
            continue
        end = next((at for at in range(number, len(rows)) if rows[at].rstrip().startswith(f"{match[1]}}})")), None)
        if end is None or not any(re.search(r"\breturn\s+[^;\s]", inner) for inner in rows[number:end]):
            continue
        edits = (
            Edit(
                file=name,
                line=number,
                column=1,
                end_line=number,
                end_column=len(row) + 1,
                new_text=f"{match[1]}for (const {match[3]} of {match[2]}) {{",
            ),
            Edit(file=name, line=end + 1, column=1, end_line=end + 1, end_column=len(rows[end]) + 1, new_text=f"{match[1]}}}"),
        )
        found.append(
            Finding(
                file=name,
                line=number,
                column=1,
                rule="return-in-for-each",
                kind="spreading-missing-value",
                title="Use a `for` loop",
                reason="a `return` in here leaves this round only; the function gives nothing",
                edits=edits,
            )
        )
    return found
