"""Every small edit of tokens and of indentation near the place where a parser gave up, each with what it costs."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from rapidfuzz.distance import DamerauLevenshtein

from jamkey.languages.base import Language
from jamkey.languages.scan import PAIRS, scan
from jamkey.repair.lex import Token, classes, lex
from jamkey.repair.usual import Usual, usual

_CLOSERS = {closer: opener for opener, closer in PAIRS.items()}
#: Signs that look like others, and what is meant.
LOOK_ALIKES = {
    "\u201c": '"', "\u201d": '"', "\u201e": '"', "\u00ab": '"', "\u00bb": '"', "\u2018": "'", "\u2019": "'", "\u201a": "'", "\u2032": "'",
    "\u00b4": "'", "\u2013": "-", "\u2014": "-", "\u2212": "-", "\u00d7": "*", "\u00f7": "/", "\u2264": "<=", "\u2265": ">=", "\u2260": "!=",
    "\uff08": "(", "\uff09": ")", "\uff0c": ",", "\uff1a": ":", "\uff1b": ";", "\uff1d": "=", "\u3010": "[", "\u3011": "]", "\uff3b": "[",
    "\uff3d": "]", "\uff5b": "{", "\uff5d": "}", "\u3001": ",", "\u2026": "...", "\u00a0": " ", "\u2003": " ", "\u3000": " ", "\u2009": " ",
    "\u202f": " ", "\u200b": "", "\ufeff": "", "\u2060": "", "\u037e": ";",
}  # fmt: skip
_PROMPT = re.compile(r"^(?:>>> ?|\.\.\. ?|In \[\d+\]: ?|> |\+ |\$ )", re.M)
_MARKER = re.compile(r"^(?:<{7}|={7}|>{7}|\|{7})[^\n]*\n?", re.M)
#: What one edit costs, in the unit of the counts (minus the log of a share).
_COST = {"insert": 1.0, "replace": 3.0, "spell": 1.5, "delete": 4.0, "swap": 4.0, "join": 3.0, "cut": 4.0, "indent": 1.5, "line": 3.5, "alike": 0.0}
#: Words that stand between others, by the way a language closes its blocks.
#: Signs that stand right behind what comes before them.
_BEHIND = frozenset(") ] } , ; : .".split())
_ALWAYS = ")]},([{:;=+-*/.<>"


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
    """

    def __init__(self, text: str, line: int, language: Language, message: str = "") -> None:
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
        self.lines = self._lines()
        self.names = {token.text for token in self.tokens if token.sort == "name"}

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
        found.update({line: 2.0 for line in below})
        marks = scan(self.text, self.language.style)
        openers = [*marks.unclosed, *marks.open_quotes]
        openers += [mark for pair in marks.mismatched for mark in pair if mark is not None]
        for mark in openers[-4:] + openers[:2]:
            found[mark.line] = min(found.get(mark.line, 9.0), 0.2)
            for line in range(mark.line + 1, min(mark.line + 7, len(self.rows) + 1)):
                found.setdefault(line, 1.0 + 0.3 * (line - mark.line))
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
    gone = ground.text[edit.start : edit.end]
    kept = edit.new
    lost = sum(1 for sign in set(gone) | set(kept) if not sign.isspace() for _ in range(max(gone.count(sign) - kept.count(sign), 0)))
    fresh = {token.text for token in lex(kept, ground.language.style) if token.sort == "name"} - ground.names - ground.language.keywords - ground.language.builtins
    off = ground.lines.get(first + 1, 3.0 if edit.sort != "line" else 1.0)
    usual = _of_rows(ground, after) - _of_rows(ground, before)
    base = _BASE[edit.sort]
    if edit.sort == "replace" and gone in _CLOSERS and kept in _CLOSERS:
        base -= 1.5
    if edit.sort == "line" and not kept:
        base += 4.0
    return base + 0.8 * off + usual + 0.9 * lost + 1.5 * len(fresh) + 0.5 * len(edit.more)


def _of_rows(ground: Ground, rows: list[str]) -> float:
    text = "\n".join(rows) + "\n"
    tokens = [token for token in lex(text, ground.language.style) if token.sort != "comment"]
    words = ["L", "L", *classes(tokens, ground.language.keywords, text)]
    odd = 3.0 * sum(token.sort in ("quote", "odd") for token in tokens)
    return ground.usual.of(words) + odd + sum(_text_cost(token.text) for token in tokens if token.sort == "text")


def _text_cost(text: str) -> float:
    """Return how little a text looks like one: code, comments and wide gaps stand in it when a quote is in the wrong place."""
    inner = text.strip("rbuf\"'")
    cost = 0.02 * min(len(inner), 100) + 0.7 * inner.count(", ") + 2.0 * (" #" in inner) + 1.0 * ("   " in inner)
    return cost + 0.8 * (inner[:1] == " ") + 0.8 * (inner[-1:] == " ") + 0.7 * sum(sign in inner for sign in ("(", ")", "[", "]", "=="))


#: What an edit of a sort costs apart from how usual the text is then.
_BASE = {"insert": 0.0, "replace": 2.0, "spell": 1.0, "delete": 2.0, "swap": 2.5, "join": 2.0, "cut": 0.5, "indent": 0.5, "line": 1.0, "alike": -4.0}


def edits(ground: Ground) -> Iterator[Edit]:
    """Yield the edits of a broken text, in no order."""
    yield from _alike(ground)
    yield from _quotes(ground)
    yield from _of_tokens(ground)
    yield from _lines(ground)
    if ground.python:
        yield from _indented(ground)
    else:
        yield from _block_ends(ground)


def _near_tokens(ground: Ground) -> Iterator[tuple[int, Token, float]]:
    for place, token in enumerate(ground.code):
        off = ground.lines.get(token.line)
        if off is not None:
            yield place, token, off


def _vocabulary(ground: Ground) -> list[str]:
    words = sorted(ground.language.keywords)
    common = sorted(words, key=lambda word: -ground.usual.one.get(word, 0))[:24]
    signs = [sign for sign in ground.usual.one if not sign[:1].isalnum() and len(sign) <= 3 and sign not in ("L", "L<", "L>", '"', "'")]
    signs = sorted(signs, key=lambda sign: -ground.usual.one[sign])[:30]
    return list(dict.fromkeys([*_ALWAYS, *signs, *common]))


def _of_tokens(ground: Ground) -> Iterator[Edit]:
    words, count, vocabulary = ground.words, ground.usual, _vocabulary(ground)
    spelled = [*ground.language.keywords]
    for place, token, off in _near_tokens(ground):
        at = place + 2  # its class in `words`
        a, b, c, d, e = words[at - 2], words[at - 1], words[at], words[at + 1], words[at + 2] if at + 2 < len(words) else "L"
        here = count.of([a, b, c, d, e])
        # put in before the token
        plain = count.of([a, b, c, d])
        for word in vocabulary:
            gain = count.of([a, b, word, c, d]) - plain
            if gain < 9.0:
                at_end = word in _BEHIND and place > 0 and ground.code[place - 1].sort != "line"
                where = ground.code[place - 1].end if at_end else token.start
                new = word if at_end else _spaced(word, ground, token)
                yield Edit("insert", where, where, new, _COST["insert"] + gain + off)
        if token.sort == "line":
            continue
        if ground.python and words[at - 1].startswith("L"):
            begin = ground.starts[token.line - 1]
            for level in _levels(ground, token.line)[:3]:
                if level != ground.indent(token.line):
                    for word in ("def", "return", "for", "if", "while", "from", "import", "class", "with", "del", "assert", "raise", "not", "elif", "except"):
                        gain = count.of([a, b, word, c, d]) - plain
                        yield Edit("insert", begin, token.start, f"{level}{word} ", _COST["insert"] + gain + off)
        # leave out
        gain = count.of([a, b, d, e]) - here
        information = 3.0 if token.sort in ("name", "number", "text") else 0.0
        yield Edit("delete", token.start, _end(ground, token), "", _COST["delete"] + gain + off + information)
        # another sign or word
        if token.sort in ("sign", "odd", "quote") or (token.sort == "name" and token.text in ground.language.keywords):
            for word in vocabulary:
                if word != token.text and (word[:1].isalpha() == token.text[:1].isalpha()):
                    gain = count.of([a, b, word, d, e]) - here
                    alike = 1.5 if token.text in _CLOSERS and word in _CLOSERS else 0.0
                    if gain < 9.0:
                        yield Edit("replace", token.start, token.end, word, _COST["replace"] + gain + off - alike)
        if token.sort == "name" and len(token.text) > 1:
            yield from _spelled(ground, token, off, (a, b, d, e), here, spelled)
        after = ground.code[place + 1] if place + 1 < len(ground.code) else None
        if after is not None and after.line == token.line and after.sort != "line":
            gain = count.of([a, b, d, c, e]) - here
            between = ground.text[token.end : after.start]
            yield Edit("swap", token.start, after.end, after.text + between + token.text, _COST["swap"] + gain + off)
            if token.sort in ("sign",) and after.sort == "sign" and between:
                yield Edit("join", token.start, after.end, token.text + after.text, _COST["join"] + off - 2.0)
            if token.sort == "name" and after.sort in ("name", "number") and between:
                whole = token.text + after.text
                known = 0.0 if whole in ground.names or whole in ground.language.keywords or whole in ground.language.builtins else 4.0
                yield Edit("join", token.start, after.end, whole, _COST["join"] + off + known)
                whole = f"{token.text}_{after.text}"
                known = 0.0 if whole in ground.names else 2.0
                yield Edit("join", token.start, after.end, whole, _COST["join"] + off + known - 1.0)
        if token.sort == "odd" and re.fullmatch(r"\d+[^\W\d]\w*", token.text):
            rest = token.text.lstrip("0123456789")
            known = -2.0 if rest in ground.names else 0.0
            yield Edit("delete", token.start, token.start + len(token.text) - len(rest), "", _COST["delete"] + off - 2.0 + known)
            yield Edit("insert", token.start, token.start, "_", _COST["insert"] + 4.0 + off)
        if ground.python and token.sort == "name" and after is not None and after.sort in ("name", "text", "number") and after.line == token.line:
            end = ground.starts[token.line] - 1
            row = ground.text[after.start : end]
            if "#" not in row:
                yield Edit("insert", token.end, after.start, "(", _COST["insert"] + off + 2.0, ((end, end, ")"),))


def _spaced(word: str, ground: Ground, token: Token) -> str:
    """Return a token as it is put before another: with the blanks that the language's writers put there."""
    before = ground.text[token.start - 1 : token.start]
    if word[:1].isalpha() or word in ("=", "==", "<-", "+", "*", "->", "..", "&&", "||", "and", "or"):
        left = "" if not before or before.isspace() or before in "([{" else " "
        right = "" if token.sort == "line" else " "
        return left + word + right
    if word == ",":
        return ", " if not before.isspace() and token.sort != "line" else ","
    return word


def _end(ground: Ground, token: Token) -> int:
    """Return the end of a token with the blank behind it, when blanks stand on both sides."""
    text = ground.text
    if text[token.end : token.end + 1] == " " and (token.start == 0 or text[token.start - 1] in " \n(["):
        return token.end + 1
    return token.end


def _spelled(
    ground: Ground, token: Token, off: float, around: tuple[str, str, str, str], here: float, words: list[str]
) -> Iterator[Edit]:
    a, b, d, e = around
    for word in words:
        if word == token.text or abs(len(word) - len(token.text)) > 2:
            continue
        far = DamerauLevenshtein.distance(word.lower(), token.text.lower(), score_cutoff=2)
        if word.lower() == token.text.lower() or (far <= 2 and far < len(word) - 1):
            gain = ground.usual.of([a, b, word, d, e]) - here
            yield Edit("spell", token.start, token.end, word, _COST["spell"] + off + 1.2 * far + gain)
        elif token.text.startswith(word) and len(token.text) > len(word) + 1:
            rest = token.text[len(word) :]
            known = 0.0 if rest in ground.names else 3.0
            yield Edit("cut", token.start, token.end, f"{word} {rest}", _COST["cut"] + off + known)
    for word in words:
        if token.text.startswith(word) and token.text != word and token.text[len(word) :] in ground.names:
            yield Edit("cut", token.start, token.end, f"{word} {token.text[len(word) :]}", _COST["cut"] - 2.0 + off)


def _alike(ground: Ground) -> Iterator[Edit]:
    """Signs that look like the language's own, prompts of a console, marks of a merge."""
    for line, off in ground.lines.items():
        begin, end = ground.starts[line - 1], ground.starts[line] - 1
        row = ground.text[begin:end]
        odd = [place for place, sign in enumerate(row) if sign in LOOK_ALIKES]
        if odd:
            new = "".join(LOOK_ALIKES.get(sign, sign) for sign in row)
            yield Edit("alike", begin, end, new, _COST["alike"] + off)
            for place in odd:
                yield Edit("alike", begin + place, begin + place + 1, LOOK_ALIKES[row[place]], 0.5 + off)
    for pattern in (_PROMPT, _MARKER):
        found = list(pattern.finditer(ground.text))
        if found:
            first, rest = found[0], found[1:]
            more = tuple((match.start(), match.end(), "") for match in rest)
            yield Edit("alike", first.start(), first.end(), "", 1.0, more)
    if ground.python and "\t" in ground.text:
        spaced = "\n".join(ground.indent(n).expandtabs(4) + row.lstrip(" \t") for n, row in enumerate(ground.rows, 1))
        yield Edit("alike", 0, len(ground.text), spaced, 1.0)
        spaced = "\n".join(ground.indent(n).expandtabs(8) + row.lstrip(" \t") for n, row in enumerate(ground.rows, 1))
        yield Edit("alike", 0, len(ground.text), spaced, 1.5)


def _quotes(ground: Ground) -> Iterator[Edit]:
    """Close a quote at the end of a token, open one before a token, leave one out."""
    style = ground.language.style
    for line, off in ground.lines.items():
        begin, end = ground.starts[line - 1], ground.starts[line] - 1
        row = ground.text[begin:end]
        quotes = [quote for quote in style.quotes if len(quote) == 1]
        used = [quote for quote in quotes if row.count(quote) % 2]
        for quote in used:
            stop = len(row.rstrip())
            yield Edit("insert", begin + stop, begin + stop, quote, _COST["insert"] + off + 0.5)
            for match in re.finditer(r"[)\]},;:.+ ]|\b", row):
                at = match.start()
                behind = row[at : at + 1]
                likely = 0.6 if behind in (")", "]", ",", "}", ";", ":", "+", ".") else 2.2 if behind in ("", " ") else 3.0
                tail = 1.2 if not row[at:].strip(")]},;: ") else 2.0
                yield Edit("insert", begin + at, begin + at, quote, _COST["insert"] + off + likely + tail - 0.5)
            for match in re.finditer(r"(?<![\w%.])[\w%./<-]", row):
                yield Edit("insert", begin + match.start(), begin + match.start(), quote, _COST["insert"] + off + 2.0)
            for match in re.finditer(re.escape(quote), row):
                yield Edit("delete", begin + match.start(), begin + match.start() + 1, "", _COST["delete"] + off)
                for other in quotes:
                    if other != quote:
                        yield Edit("replace", begin + match.start(), begin + match.start() + 1, other, _COST["replace"] + off)
                escaped = style.escape + quote if style.escape else quote
                if style.escape and match.start() and row[match.start() - 1].isalpha() and row[match.end() : match.end() + 1].isalpha():
                    yield Edit("insert", begin + match.start(), begin + match.start() + 1, escaped, _COST["insert"] + off + 1.0)


def _lines(ground: Ground) -> Iterator[Edit]:
    """Join a line with the next, cut one in two, double or close a bracket at the end of a line."""
    for line, off in ground.lines.items():
        end = ground.starts[line] - 1
        commented = any(token.sort == "comment" and token.line == line for token in ground.tokens)
        if line < len(ground.rows) and not commented:
            after = ground.starts[line] + len(ground.indent(line + 1))
            yield Edit("join", end, after, " ", _COST["join"] + off + 1.0)
            yield Edit("join", end, after, "", _COST["join"] + off + 1.5)
        indent = ground.indent(line)
        for place, token in enumerate(ground.code):
            if place == 0 or token.line != line or token.sort == "line" or ground.code[place - 1].line != line:
                continue
            before = ground.code[place - 1]
            if ground.text[before.end : token.start].strip():
                continue
            a, b, c, d = ground.words[place : place + 4]
            gain = ground.usual.of([a, b, "L", c, d]) - ground.usual.of([a, b, c, d])
            levels = dict.fromkeys([indent, *_levels(ground, line), *([indent + _unit(ground)] if before.text in (":", "{", "then", "do") else [])])
            for step, level in enumerate(levels):
                if gain < 9.0 and step < 4:
                    yield Edit("cut", before.end, token.start, "\n" + level, _COST["insert"] + off + gain + 0.5 * step)
    marks = scan(ground.text, ground.language.style)
    missing = "".join(PAIRS[mark.text] for mark in reversed(marks.unclosed[-4:]))
    if missing:
        for line in [*ground.lines, len(ground.rows)]:
            end = ground.starts[line - 1] + len(ground.rows[line - 1].rstrip())
            off = ground.lines.get(line, 1.0)
            for closers in dict.fromkeys((missing, missing[:1])):
                for behind in ("", ":", ";") if ground.rows[line - 1].strip() else ("",):
                    at = end - len(behind) if behind and ground.rows[line - 1].rstrip().endswith(behind) else end
                    yield Edit("insert", at, at, closers, _COST["insert"] * len(closers) + off + 0.3)
    line = ground.line
    if 0 < line <= len(ground.rows) and len(ground.rows) > 1:
        begin = ground.starts[line - 1]
        yield Edit("line", begin, min(ground.starts[line], len(ground.text)), "", 9.0 + _COST["line"])


def _indented(ground: Ground) -> Iterator[Edit]:
    """Another indentation for a line, or for it and what stands below it; a body where there is none."""
    stack: list[str] = []
    for line in sorted(ground.lines):
        off = ground.lines[line]
        row = ground.rows[line - 1]
        if not row.strip():
            continue
        stack = _levels(ground, line)
        own = ground.indent(line)
        begin = ground.starts[line - 1]
        above = _above(ground, line)
        opened = above is not None and ground.rows[above - 1].split("#")[0].rstrip().endswith(":")
        unit = _unit(ground)
        wanted = dict.fromkeys([*stack, *([ground.indent(above) + unit] if above is not None else []), own + unit])
        last = _block_end(ground, line)
        for indent in wanted:
            if indent == own:
                continue
            fits = opened == (above is not None and len(indent) > len(ground.indent(above)))
            shift = abs(len(indent) - len(own)) / max(len(unit), 1)
            cost = _COST["indent"] + off + (0.0 if fits else 3.0) + 0.4 * shift + (0.0 if above is not None and indent == ground.indent(above) else 0.6)
            yield Edit("indent", begin, begin + len(own), indent, cost)
            if last > line:
                more = []
                for below in range(line + 1, last + 1):
                    if ground.rows[below - 1].strip():
                        inner = ground.indent(below)
                        deeper = indent + inner[len(own) :] if inner.startswith(own) else indent
                        more.append((ground.starts[below - 1], ground.starts[below - 1] + len(inner), deeper))
                yield Edit("indent", begin, begin + len(own), indent, cost + 0.3, tuple(more))
        if opened and above is not None:
            at = ground.starts[above] - 1
            yield Edit("line", at, at, f"\n{ground.indent(above)}{unit}pass", _COST["line"] + off + 1.0)
        if own and above is not None and not opened:
            # several lines that stand alike, moved together
            count = 0
            more = []
            for below in range(line + 1, len(ground.rows) + 1):
                inner = ground.indent(below)
                if not ground.rows[below - 1].strip():
                    continue
                if len(inner) < len(own):
                    break
                deeper = ground.indent(above) + inner[len(own) :]
                more.append((ground.starts[below - 1], ground.starts[below - 1] + len(inner), deeper))
                count += 1
            if count:
                yield Edit("indent", begin, begin + len(own), ground.indent(above), _COST["indent"] + off + 0.8, tuple(more))
    row = ground.rows[ground.line - 1]
    if row.rstrip().endswith(":"):
        at = ground.starts[ground.line] - 1
        yield Edit("line", at, at, f"\n{ground.indent(ground.line)}{_unit(ground)}pass", _COST["line"])


def _unit(ground: Ground) -> str:
    for row in ground.rows:
        if row[:1] in (" ", "\t") and row.strip():
            return "\t" if row[0] == "\t" else " " * min(8, len(row) - len(row.lstrip(" ")) or 4)
    return "    "


def _above(ground: Ground, line: int) -> int | None:
    return next((above for above in range(line - 1, 0, -1) if ground.rows[above - 1].strip()), None)


def _levels(ground: Ground, line: int) -> list[str]:
    """Return the indentations of the blocks that are open above a line."""
    found: list[str] = []
    width = 10**6
    for above in range(line - 1, 0, -1):
        if ground.rows[above - 1].strip() and ground.width(above) < width:
            width = ground.width(above)
            found.append(ground.indent(above))
            if not width:
                break
    return found


def _block_end(ground: Ground, line: int) -> int:
    last = line
    for below in range(line + 1, len(ground.rows) + 1):
        if ground.rows[below - 1].strip():
            if ground.width(below) < ground.width(line):
                break
            last = below
    return last


def _block_ends(ground: Ground) -> Iterator[Edit]:
    """A word or bracket that ends a block, on a line of its own where the text stands further out again."""
    word = {"lua": ["end"], "octave": ["end", "endif", "endfor", "endwhile", "endfunction"], "julia": ["end"]}.get(ground.language.name, ["}"])
    places: dict[int, float] = {}
    for line in range(1, len(ground.rows) + 1):
        if not ground.rows[line - 1].strip():
            continue
        above = _above(ground, line)
        if above is not None and ground.width(line) < ground.width(above):
            places[line] = 1.0 + 0.02 * abs(line - ground.line)
            opens = ground.rows[line - 1].strip().startswith(("}", "end", ")", "else", "elseif", "until", "catch", "]"))
            if not opens:
                places[line] -= 0.8
        elif above is not None and line == ground.line:
            places[line] = 2.0
    if len(places) > 60:
        places = dict(sorted(places.items(), key=lambda item: item[1])[:60])
    for line, cost in places.items():
        above = _above(ground, line)
        if above is None:
            continue
        levels = [level for level in _levels(ground, above + 1) if len(level) >= len(ground.indent(line))]
        levels = [level for level in dict.fromkeys([*levels, ground.indent(line)]) if len(level) < ground.width(above) or level == ground.indent(line)]
        at = ground.starts[above]
        for level in levels[:3]:
            for closing in word[:3]:
                exact = 0.0 if level == ground.indent(line) else 0.8
                yield Edit("line", at, at, f"{level}{closing}\n", _COST["insert"] + cost + exact + 0.5 * word.index(closing))
    for line in range(max(ground.line - 60, 1), min(ground.line + 20, len(ground.rows)) + 1):
        row = ground.rows[line - 1]
        if row and not row.strip():
            # a line of blanks only: as if something had stood there
            at = ground.starts[line - 1] + len(row)
            for closing in word[:3]:
                yield Edit("line", at, at, closing, _COST["insert"] + 0.5 + 0.02 * abs(line - ground.line) + 0.5 * word.index(closing))
    end = len(ground.text.rstrip("\n"))
    tail = ground.text[end:] and "\n"
    for closing in word:
        yield Edit("line", end, end, f"\n{closing}" if tail else f"\n{closing}", _COST["insert"] + 1.2 + 0.5 * word.index(closing))
    for line in ground.lines:
        stripped = ground.rows[line - 1].strip()
        if stripped in ("end", "}", ")", "endif", "endfor", "endwhile", "endfunction", "end;", "};", "});"):
            yield Edit("line", ground.starts[line - 1], min(ground.starts[line], len(ground.text)), "", _COST["delete"] + ground.lines[line])
