"""A broken text: where to look in it, what one edit of it is, and what that costs."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection
from typing import NamedTuple

from jamkey.languages.base import Language
from jamkey.languages.scan import PAIRS, scan
from jamkey.repair.lex import classes, lex
from jamkey.repair.own import Own
from jamkey.repair.usual import Usual, usual

CLOSERS = {closer: opener for opener, closer in PAIRS.items()}
#: What one edit costs, in the unit of the counts (minus the log of a share).
COST = {
    "insert": 1.0,
    "replace": 3.0,
    "spell": 1.5,
    "delete": 4.0,
    "swap": 4.0,
    "join": 3.0,
    "cut": 4.0,
    "indent": 1.5,
    "line": 3.5,
    "alike": -20.0,  # what is meant is known: it comes before the same edit for another reason
}
#: What parsers say where the text ends and they want more.
_RAN_OUT = re.compile(r"(?i)\bend of (?:the )?(?:input|file)\b|<eof>|\bEOF\b")
#: Sorts of edits of which it is known what was meant.
KNOWN = ("alike", "foreign")
#: Lines that a bracket may reach over, and those of them that are looked at one by one.
_TALLEST, _NEAR = 400, 12


class Edit(NamedTuple):
    """Replace the characters from `start` to `end` by `new`; `more` are further ones, behind it in the text."""

    sort: str
    start: int
    end: int
    new: str
    cost: float
    more: tuple[tuple[int, int, str], ...] = ()

    def of(self, text: str) -> str:
        """Return the text with the edit."""
        for start, end, new in reversed(self.more):
            text = text[:start] + new + text[end:]
        return text[: self.start] + self.new + text[self.end :]


class Ground:
    """The broken text and where to look in it.

    Attributes:
        line: where the parser gave up, 1-based.
        lines: the lines worth editing, with how far off each is.
        own: what stands how often in the text, or in all of what it is a part of.
        stop: the columns on that line between which the parser gave up, 1-based; None where it does not say.
    """

    def __init__(
        self,
        text: str,
        line: int,
        language: Language,
        message: str = "",
        own: Own | None = None,
        stop: tuple[int, int] | None = None,
    ) -> None:
        self.text = text
        self.rows = text.split("\n")
        self.line = min(max(line, 1), len(self.rows))
        self.language = language
        self.message = message
        self.tokens = lex(text, language.style)
        self.usual: Usual = usual(language.name)
        self.code = [token for token in self.tokens if token.sort != "comment"]
        self.words = ["L", "L", *classes(self.code, language.keywords, text), "L", "L"]
        #: Where a token begins -> its place among them, comments left out.
        self.places = {token.start: place for place, token in enumerate(self.code)}
        self.starts = [0]
        for row in self.rows:
            self.starts.append(self.starts[-1] + len(row) + 1)
        self.python = language.name == "python"
        #: Whether the parser came to the end of the text and wanted more.
        self.ran_out = line > len("\n".join(self.rows).rstrip().split("\n")) or _RAN_OUT.search(message) is not None
        self.hinted = _hinted(message)
        #: Brackets of which the text has one too few: these may be put in where they never stand otherwise.
        self.missing: set[str] = set()
        #: Signs of which an edit must touch one: brackets that do not pair up, quotes that nothing closes.
        self.unpaired = ""
        self.lines: dict[int, float] = self._lines()
        self.own = own or Own(text, language)
        self.stop = stop
        #: What is told of rows that edits replace.
        self.told: dict[tuple[str, ...], tuple[dict[str, float], Counter[tuple[str, str]]]] = {}

    @property
    def names(self) -> Collection[str]:
        """Names that stand in the text, or in all of what it is a part of."""
        return self.own.names

    def _lines(self) -> dict[int, float]:
        found: dict[int, float] = {}
        off = 0.0
        for line in range(self.line, 0, -1):
            if self.rows[line - 1].strip():
                found[line] = off
                off += 0.7
            if len(found) >= 4:
                break
        below = [line for line in range(self.line + 1, len(self.rows) + 1) if self.rows[line - 1].strip()][:1]
        found.update(dict.fromkeys(below, 2.0))
        marks = scan(self.text, self.language.style)
        self.missing = {
            CLOSERS[closer.text] for opener, closer in marks.mismatched if opener is None and closer.text in CLOSERS
        }
        self.missing |= {PAIRS[mark.text] for mark in marks.unclosed if mark.text in PAIRS}
        if marks.open_quotes:
            self.unpaired = "".join(self.language.style.sure_quotes)
        elif marks.unclosed or marks.mismatched:
            self.unpaired = "()[]{}" + "".join(self.language.style.sure_quotes)
        openers = [*marks.unclosed, *marks.open_quotes]
        openers += [mark for pair in marks.mismatched for mark in pair if mark is not None]
        for mark in openers[-4:] + openers[:2]:
            found[mark.line] = min(found.get(mark.line, 9.0), 0.2)
            for line in range(mark.line + 1, min(mark.line + 7, len(self.rows) + 1)):
                found.setdefault(line, 1.0 + 0.3 * (line - mark.line))
            # what it holds stands further in: it ends where a line does not
            for line in range(mark.line + 1, min(mark.line + _TALLEST, len(self.rows)) + 1):
                if self.rows[line - 1].strip() and self.width(line) <= self.width(mark.line):
                    found[line] = min(found.get(line, 0.5), 0.5)
                    break
        for opener, closer in marks.mismatched:
            if opener is None:
                # what it closes began on one of the lines above, the last of which stands as far in as it does
                for above in range(closer.line - 1, max(closer.line - _TALLEST, 0), -1):
                    if closer.line - above < _NEAR:
                        found.setdefault(above, 1.0 + 0.1 * (closer.line - above))
                    if self.rows[above - 1].strip() and self.width(above) <= self.width(closer.line):
                        found[above] = min(found.get(above, 0.5), 0.5)
                        break
        here = self.width(self.line)
        heads = 0
        for line in range(self.line - 1, 0, -1):
            if self.rows[line - 1].strip() and self.width(line) < here:
                here = self.width(line)
                found.setdefault(line, 2.0)
                heads += 1
                if not here or heads > 3:
                    break
        return found

    def may_pair(self, edit: Edit) -> bool:
        """Tell whether brackets and quotes may pair up with an edit; where they do not already, it has to touch one."""
        if not self.unpaired:
            return True
        touched = f"{self.text[edit.start : edit.end]}{edit.new}"
        touched += "".join(f"{self.text[start:end]}{new}" for start, end, new in edit.more)
        return any(sign in self.unpaired for sign in touched)

    def width(self, line: int) -> int:
        """Return the width of a line's indentation."""
        row = self.rows[line - 1].expandtabs(8)
        return len(row) - len(row.lstrip())

    def indent(self, line: int) -> str:
        """Return a line's indentation as it stands."""
        row = self.rows[line - 1]
        return row[: len(row) - len(row.lstrip(" \t"))]


def _hinted(message: str) -> set[str]:
    """Return the tokens that a message quotes or names, and the closers of the openers that it quotes."""
    found = {match[1] for match in re.finditer(r"['`]([^'`\s]{1,8})['`]", message)}
    found |= {PAIRS[word] for word in found if word in PAIRS}
    for word, sign in (("comma", ","), ("colon", ":"), ("semicolon", ";"), ("arenthes", "("), ("async ", "async")):
        if word in message:
            found.add(sign)
    return found
