"""Slips that show in one line, with the usual way to write it: one row a slip."""

from __future__ import annotations

import re
from collections.abc import Iterator

import msgspec

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, show
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit


class Slip(msgspec.Struct, frozen=True):
    """What is written, where, and what is meant."""

    #: Runtimes, parted by spaces.
    runtimes: str
    kind: str
    #: Found in the type or message.
    message: str
    #: Found in the line.
    written: str
    #: With the groups of `written`.
    meant: str
    reason: str

    def fits(self, runtime: str) -> bool:
        """Tell whether the slip is one of a runtime's."""
        return runtime in self.runtimes.split()

    sure: float = 0.8
    #: Whether only the snag is looked at, or every line of the project.
    here: bool = True
    #: Whether the line is a root too.
    root: bool = False


_SLIPS = (
    Slip(
        "lua",
        "broken-syntax",
        "",
        r"^(\s+)(?!end\b|else\b|do\b|then\b|repeat\b|break\b|return\b)([A-Za-z_]\w*)\s*$",
        r"\1return \2",
        "the value is named and not handed out",
        0.9,
        here=False,
    ),
    Slip(
        "java c",
        "broken-syntax",
        "not a statement",
        r"^(\s*)([A-Za-z_][\w.\[\]]*);?\s*$",
        r"\1return \2;",
        "the value is named and not handed out",
        0.93,
    ),
    Slip(
        "java",
        "wrong-type",
        "String cannot be converted to",
        r"\"(-?\d+(?:\.\d+)?)\"",
        r"\1",
        "a number stands without quotes",
        0.93,
    ),
    Slip(
        "r",
        "missing-value",
        "TRUE/FALSE needed",
        r"\b(if|while) \((\w[\w.$\[\]]*) ([<>=!]=?)",
        r"\1 (!is.na(\2) && \2 \3",
        "a missing value is neither more nor less than anything",
        0.9,
        root=True,
    ),
    Slip(
        "r",
        "unreadable-value",
        "NAs introduced",
        r"\bas\.numeric\((\w+)\)",
        r'as.numeric(sub(",", ".", \1, fixed = TRUE))',
        "a decimal comma is no point",
        0.88,
        here=False,
    ),
    Slip(
        "r",
        "unreadable-value",
        "NAs introduced",
        r"\bas\.numeric\((\w+)\)",
        r'as.numeric(gsub("[^0-9.-]", "", \1))',
        "figures only make a number",
        0.8,
        here=False,
    ),
    Slip(
        "r",
        "wrong-type",
        r"\$ operator is invalid",
        r"(?<![\w.])(\w+)\$(\w+)",
        r'\1[["\2"]]',
        "a vector with names is asked with brackets",
        0.9,
    ),
    Slip(
        "r",
        "shape-mismatch",
        "non-conformable",
        r"(?<![\w.(])(\w+) %\*% (\w+)",
        r"cbind(1, \1) %*% \2",
        "the first coefficient is the intercept's",
        0.8,
    ),
    Slip("r", "shape-mismatch", "non-conformable", r"(?<![\w.(])(\w+) %\*% (\w+)", r"t(\1) %*% \2", "rows meet columns", 0.7),
    Slip("r", "shape-mismatch", "non-conformable", r"(?<![\w.(])(\w+) %\*% (\w+)", r"\1 %*% t(\2)", "rows meet columns", 0.66),
    Slip(
        "r julia",
        "index-out-of-range",
        "",
        r"\bin 1:\(?length\((\w+)\)(?: ?\+ ?1\)?)?",
        r"in seq_along(\1)",
        "the loop ends with the last place",
        0.8,
        here=False,
    ),
    Slip(
        "octave",
        "wrong-type",
        "'cell'",
        r"(?<![\w.])(\w+) ?\((\w+)\)(?=\s*[*+/;-])",
        r"\1{\2}",
        "braces take out what a cell holds",
        0.9,
    ),
    Slip("octave", "broken-syntax", "", r"\.\.([*/^])", r".\1", "an operator for each item has one dot", 0.93),
    Slip(
        "octave",
        "wrong-type",
        "must be scalars",
        r"=\s*(?:\{\}|\[\]);",
        "= NaN;",
        "where there is no number, NaN stands for it",
        0.9,
        here=False,
        root=True,
    ),
    Slip(
        "java",
        "wrong-type",
        r"cannot be cast to class java\.lang\.Double",
        r"(\.put\(\"[^\"]*\", )(\w+)\)",
        r"\1(double) \2)",
        "it is taken out as a Double",
        0.9,
        here=False,
    ),
    Slip(
        "java",
        "wrong-type",
        r"lossy conversion from (?:double|float)",
        r"\bint (\w+ =)",
        r"double \1",
        "the value has decimals",
        0.9,
    ),
    Slip("java", "wrong-type", r"lossy conversion from long", r"\bint (\w+ =)", r"long \1", "the value is a long", 0.9),
    Slip(
        "java",
        "missing-value",
        "No value present|NoSuchElement",
        r"\.(?:get|getAsInt|getAsDouble|orElseThrow)\(\)",
        ".orElse(-1)",
        "there may be none",
        0.75,
    ),
    Slip(
        "java",
        "missing-value",
        "No value present|NoSuchElement",
        r"^(\s*)\.get\(\)",
        r"\1.orElse(-1)",
        "there may be none",
        0.8,
        here=False,
    ),
    Slip(
        "java",
        "fixed-value",
        "",
        r"(?<!ArrayList<>\()\bList\.of\(([^()]*)\)",
        r"new java.util.ArrayList<>(java.util.List.of(\1))",
        "a list made with `of` cannot be changed; a copy can",
        0.9,
        here=False,
        root=True,
    ),
    Slip(
        "java",
        "fixed-value",
        "",
        r"(?<!ArrayList<>\()\bArrays\.asList\(([^()]*)\)",
        r"new java.util.ArrayList<>(java.util.Arrays.asList(\1))",
        "a list made so cannot grow; a copy can",
        0.9,
        here=False,
        root=True,
    ),
    Slip(
        "c",
        "wrong-type",
        "incompatible type for argument",
        r"(\w+)\((\w+)\)(?=\))",
        r"\1(&\2)",
        "the function takes an address",
        0.9,
    ),
    Slip(
        "c",
        "memory-misuse",
        "of size 8",
        r"\bmalloc\((\w+)\)",
        r"malloc(\1 * sizeof(double))",
        "malloc counts bytes",
        0.9,
        here=False,
        root=True,
    ),
    Slip(
        "c",
        "memory-misuse",
        "of size 4",
        r"\bmalloc\((\w+)\)",
        r"malloc(\1 * sizeof(int))",
        "malloc counts bytes",
        0.9,
        here=False,
        root=True,
    ),
    Slip(
        "c",
        "memory-misuse",
        "overflow|range",
        r"(;\s*\w+\s*)<=(\s*[A-Z_][A-Z0-9_]*\s*;)",
        r"\1<\2",
        "the last place is one less than the size",
        0.9,
        here=False,
        root=True,
    ),
    Slip(
        "c",
        "bad-arithmetic",
        "Floating point|division",
        r"return ([\w.>-]+) / ([\w.>-]+);",
        r"return \2 == 0 ? 0 : \1 / \2;",
        "there is nothing to divide by then",
        0.9,
    ),
    Slip(
        "lua javascript java c",
        "too-deep",
        "",
        r"(\w+)\((\w+)\)(?=[^()]*;?\s*$)",
        r"\1(\2 + 1)",
        "the next call takes the next one",
        0.85,
    ),
    Slip(
        "lua javascript java c", "too-deep", "", r"(\w+\(\w+, )(\w+)\)", r"\1\2 + 1)", "the next call takes the next one", 0.86
    ),
    Slip(
        "lua javascript java c",
        "too-deep",
        "",
        r"(\w+)\((\w+)\)(?=[^()]*;?\s*$)",
        r"\1(\2 - 1)",
        "the next call takes the one before",
        0.8,
    ),
)


class Rewrites:
    """The table of slips."""

    kinds = frozenset(slip.kind for slip in _SLIPS)

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer each slip's other way of writing."""
        if scene.frame is None:
            return
        told = f"{scene.jam.exception_type or ''} {scene.jam.message or ''}"
        for slip in _SLIPS:
            if scene.jam.kind != slip.kind or not slip.fits(scene.jam.runtime) or not re.search(slip.message, told):
                continue
            for file, line, row in self._rows(scene, slip):
                edits = [
                    Edit(
                        file=file, line=line, column=match.start() + 1, end_line=line, end_column=match.end() + 1, new_text=new
                    )
                    for match in re.finditer(slip.written, row)
                    if (new := match.expand(slip.meant)) != match[0]
                ]
                if not edits:
                    continue
                if slip.root:
                    found.root(file, line, slip.reason, slip.sure)
                found.key(
                    f"write-{_SLIPS.index(slip)}-{line}",
                    f"Write `{show(edits[0].new_text)}` on line {line}",
                    slip.reason,
                    slip.sure,
                    edits,
                )

    def _rows(self, scene: Scene, slip: Slip) -> Iterator[tuple[str, int, str]]:
        frame = scene.frame
        if frame is not None and slip.here:
            yield frame.file, scene.line, scene.row(frame.file, scene.line)
        elif not slip.here:
            for file, line, row, language in project_lines(scene):
                if language:
                    yield file, line, row


CLUE = Rewrites()
