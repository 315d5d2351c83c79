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
#: Sorts of edits of which it is known what was meant.
KNOWN = ("alike", "foreign")
#: What the text's own habits count, and those of the language.
_OWN, _LANGUAGE = 0.4, 0.6
#: Lines that a bracket may reach over, and those of them that are looked at one by one.
_TALLEST, _NEAR = 400, 12
#: What a text begins and ends with: a prefix, quotes.
_AROUND = re.compile(r"^[A-Za-z]{0,2}[\"'`]+|[\"'`]+$")
#: A line of code within a text over several lines.
_CODE = re.compile(r"\n[ \t]*(?:return\b|def |if |for |print\(|import |from |\w+ = |[\w.]+\()")
#: What an edit of a sort costs apart from how usual the text is then.
_BASE = {
    "insert": 0.0,
    "replace": 2.0,
    "spell": 1.0,
    "delete": 2.0,
    "swap": 2.5,
    "join": 2.0,
    "cut": 0.5,
    "indent": 0.5,
    "line": 1.0,
    "alike": -22.0,
    "foreign": -15.0,
}


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
    """

    def __init__(self, text: str, line: int, language: Language, message: str = "", own: Own | None = None) -> None:
        self.text = text
        self.rows = text.split("\n")
        self.line = min(max(line, 1), len(self.rows))
        self.language = language
        self.message = message
        self.tokens = lex(text, language.style)
        self.usual: Usual = usual(language.name)
        self.code = [token for token in self.tokens if token.sort != "comment"]
        self.words = ["L", "L", *classes(self.code, language.keywords, text), "L", "L"]
        self.starts = [0]
        for row in self.rows:
            self.starts.append(self.starts[-1] + len(row) + 1)
        self.python = language.name == "python"
        self.hinted = _hinted(message)
        #: Brackets of which the text has one too few: these may be put in where they never stand otherwise.
        self.missing: set[str] = set()
        self.lines: dict[int, float] = self._lines()
        self.own = own or Own(text, language)
        #: What rows cost that edits replace.
        self.weighed: dict[tuple[str, ...], float] = {}

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


def worth(ground: Ground, edit: Edit, made: str) -> float:
    """Return what an edit costs that mends the text: its sort, its place, how usual its lines are now, what is lost.

    Args:
        ground: the broken text.
        edit: that mends it.
        made: the text with the edit.
    """
    first = ground.text.count("\n", 0, edit.start)
    stop = edit.more[-1][1] if edit.more else edit.end
    behind = ground.text.count("\n", stop)
    before = ground.rows[max(first - 1, 0) : len(ground.rows) - behind + 1]
    rows = made.split("\n")
    after = rows[max(first - 1, 0) : len(rows) - behind + 1]
    gone = ground.text[edit.start : edit.end] + "".join(ground.text[start:end] for start, end, _ in edit.more)
    kept = edit.new + "".join(new for _, _, new in edit.more)
    style = ground.language.style
    old = Counter(token.text for token in lex(gone, style) if token.sort != "line")
    new = Counter(token.text for token in lex(kept, style) if token.sort != "line")
    lost = old - new
    fresh = (
        {word for word in new - old if word[:1].isalpha() and word not in ground.names}
        - ground.language.keywords
        - ground.language.builtins
    )
    off = ground.lines.get(first + 1, 3.0 if edit.sort != "line" else 1.0)
    if tuple(before) not in ground.weighed:
        ground.weighed[tuple(before)] = _of_rows(ground, before)
    usual = _of_rows(ground, after) - ground.weighed[tuple(before)] + _OWN * ground.own.gain(before, after)
    base = _BASE[edit.sort]
    if edit.sort == "replace" and gone in CLOSERS and kept in CLOSERS:
        base -= 1.5
    if edit.sort == "line":
        base += 0.5 * edit.cost  # how well the place fits the indentation around it
    elif not ground.python and kept.strip() in ("end", "}"):
        base += 8.0  # a block's end stands on a line of its own
    if edit.sort == "replace" and gone in PAIRS:
        base += 4.0
    brackets = gone in PAIRS or gone in CLOSERS
    if (kept.strip() in ground.hinted and not brackets) or (edit.more and edit.new in ground.hinted):
        # what the parser names, and more so what does not stand there yet
        base -= 6.0 if kept.strip() in ground.rows[first] else 12.0
    junk = sum(4.0 * count + 0.3 * len(word) * count for word, count in lost.items())
    if edit.sort in ("replace", "spell", "join", "foreign", "alike", "swap"):
        junk = min(junk, 4.0) if len(lost) <= 2 else junk
    if not Counter("".join(gone.split())) - Counter("".join(kept.split())):
        junk = 0.0  # all that stood there stands there still
    return base + 0.8 * off + usual + junk + 1.5 * len(fresh) + 0.5 * len(edit.more)


def _of_rows(ground: Ground, rows: list[str]) -> float:
    text = "\n".join(rows) + "\n"
    tokens = [token for token in lex(text, ground.language.style) if token.sort != "comment"]
    words = ["L", "L", *classes(tokens, ground.language.keywords, text)]
    odd = 3.0 * sum(token.sort in ("quote", "odd") for token in tokens)
    return (
        (_LANGUAGE * ground.usual.of(words) if ground.usual.all else 0.0)
        + odd
        + sum(_text_cost(token.text) for token in tokens if token.sort == "text")
    )


def _text_cost(text: str) -> float:
    """Return how little a text looks like one: code, comments and wide gaps stand in it when a quote is in the wrong place."""
    inner = _AROUND.sub("", text)
    cost = 0.02 * min(len(inner), 100) + 0.7 * inner.count(", ") + 2.0 * (" #" in inner) + 1.0 * ("   " in inner)
    return (
        cost
        + 0.8 * (inner[:1] == " ")
        + 0.8 * (inner[-1:] == " ")
        + 2.0 * min(inner.count("\n"), 5)
        + 0.7 * sum(sign in inner for sign in ("(", ")", "[", "]", "==", " = "))
    )
