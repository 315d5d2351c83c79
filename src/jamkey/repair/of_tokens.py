"""Edits of tokens: put in, leave out, exchange, spell, join, cut."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from itertools import pairwise

from rapidfuzz.distance import DamerauLevenshtein

from jamkey.repair.ground import CLOSERS, COST, Edit, Ground
from jamkey.repair.lex import Token
from jamkey.repair.of_lines import levels

#: Words that stand between others, by the way a language closes its blocks.
#: Signs that stand right behind what comes before them.
_BEHIND = frozenset(") ] } , ; : .".split())
#: Lines around in which what a formatted text lacks may be set, and so many names of them.
_AROUND, _NAMES = 15, 8
#: Texts in which values may stand, and one that lacks its value.
_FORMATTED = re.compile(r"[A-Za-z]{0,2}[fFtT][A-Za-z]?[\"']|`")
_HOLE = re.compile(r"(?<!\{)\{(?=\}(?!\}))")
_TEMPLATED = re.compile(r"\$\{(?=\})")
_WORD = re.compile(r"[^\W\d]\w*")
#: Cost at most of a bracket that the text lacks, however unusual it is where it is put in.
_UNUSUAL = 3.0
_ALWAYS = ")]},([{:;=+-*/.<>"


def of_tokens(ground: Ground) -> Iterator[Edit]:
    """Yield the edits of tokens on the lines worth editing."""
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
            if word == "()":
                gain = 2.0  # two tokens that the counts know one by one
            if word in ground.missing:
                gain = min(gain, _UNUSUAL)
            if gain < 9.0:
                at_end = word in _BEHIND and place > 0 and ground.code[place - 1].sort != "line"
                where = _behind(ground, place) if at_end else token.start
                new = word if at_end else _spaced(word, ground, token)
                if not at_end and ground.text[where - 2 : where] == "  " and place > 0 and words[at - 1][0] != "L":
                    where, new = where - 1, new.strip()  # both blanks around it are still there
                yield Edit("insert", where, where, new, COST["insert"] + gain + off)
        if token.sort == "line":
            continue
        if words[at - 1].startswith("L"):
            begin = ground.starts[token.line - 1]
            for level in _levels_for_word(ground, token.line):
                for word in [word for word in vocabulary if word in ground.language.keywords]:
                    gain = count.of([a, b, word, c, d]) - plain
                    gap = "" if token.text in _BEHIND else " "
                    yield Edit("insert", begin, token.start, f"{level}{word}{gap}", COST["insert"] + gain + off)
        # leave out
        gain = count.of([a, b, d, e]) - here
        information = 3.0 if token.sort in ("name", "number", "text") else 0.0
        yield Edit("delete", token.start, _end(ground, token), "", COST["delete"] + gain + off + information)
        # another sign or word
        if token.sort in ("sign", "odd", "quote") or (token.sort == "name" and token.text in ground.language.keywords):
            for word in vocabulary:
                joins = word in ("as", "in", "and", "or", "is", "from", "then", "do")
                if word not in (token.text, "()") and (word[:1].isalpha() == token.text[:1].isalpha() or joins):
                    gain = count.of([a, b, word, d, e]) - here
                    alike = 1.5 if token.text in CLOSERS and word in CLOSERS else 0.0
                    if gain < 9.0:
                        new = f" {word}" if joins and token.sort == "sign" else word
                        if new[-1:].isalnum() and ground.text[token.end : token.end + 1].isalnum():
                            new += " "
                        yield Edit("replace", token.start, token.end, new, COST["replace"] + gain + off - alike)
        if token.sort == "number" and re.fullmatch(r"0+[1-9]\d*", token.text):
            yield Edit("spell", token.start, token.end, token.text.lstrip("0"), COST["spell"] + off)
        if token.text == "," and ground.python:
            end = ground.starts[token.line - 1] + len(ground.rows[token.line - 1].rstrip())
            yield Edit(
                "replace",
                token.start,
                token.end + (ground.text[token.end : token.end + 1] == " "),
                "(",
                COST["replace"] + off + 2.0,
                ((end, end, ")"),),
            )
        if token.sort == "name":
            yield from _spelled(ground, token, off, (a, b, d, e), here, spelled)
        after = ground.code[place + 1] if place + 1 < len(ground.code) else None
        if after is not None and after.line == token.line and after.sort != "line":
            gain = count.of([a, b, d, c, e]) - here
            between = ground.text[token.end : after.start]
            yield Edit("swap", token.start, after.end, after.text + between + token.text, COST["swap"] + gain + off)
            if token.sort in ("sign",) and after.sort == "sign" and between:
                yield Edit("join", token.start, after.end, token.text + after.text, COST["join"] + off - 2.0)
            if token.sort == "name" and after.sort in ("name", "number") and between:
                whole = token.text + after.text
                known = (
                    0.0
                    if whole in ground.names or whole in ground.language.keywords or whole in ground.language.builtins
                    else 4.0
                )
                yield Edit("join", token.start, after.end, whole, COST["join"] + off + known)
                whole = f"{token.text}_{after.text}"
                known = 0.0 if whole in ground.names else 2.0
                yield Edit("join", token.start, after.end, whole, COST["join"] + off + known - 1.0)
        if token.sort == "odd" and re.fullmatch(r"\d+[^\W\d]\w*", token.text):
            rest = token.text.lstrip("0123456789")
            known = -2.0 if rest in ground.names else 0.0
            yield Edit("delete", token.start, token.start + len(token.text) - len(rest), "", COST["delete"] + off - 2.0 + known)
            yield Edit("insert", token.start, token.start, "_", COST["insert"] + 4.0 + off)
        if (
            ground.python
            and token.sort == "name"
            and after is not None
            and after.sort in ("name", "text", "number")
            and after.line == token.line
        ):
            end = ground.starts[token.line] - 1
            row = ground.text[after.start : end]
            if "#" not in row:
                yield Edit("insert", token.end, after.start, "(", COST["insert"] + off + 2.0, ((end, end, ")"),))


def holes(ground: Ground) -> Iterator[Edit]:
    """A value that a formatted text lacks: a name above it, one that nothing reads where there is one."""
    empty = [
        token.start + hole.end()
        for token in ground.tokens
        if token.sort == "text" and 0 <= ground.line - token.line <= token.text.count("\n") and _FORMATTED.match(token.text)
        for hole in (_TEMPLATED if token.text[0] == "`" else _HOLE).finditer(token.text)
    ]
    if not empty:
        return
    near = [token for token in ground.code if abs(token.line - ground.line) < _AROUND]
    # what is called, asked for a member or brought in is no value; what is a member is none by itself
    other = {token.text for token, after in pairwise(near) if after.text in ("(", ".")}
    other |= {token.text for before, token in pairwise(near) if before.text in (".", "import", "as")}
    texts = " ".join(token.text for token in ground.tokens if token.sort == "text" and abs(token.line - ground.line) < _AROUND)
    count = Counter([token.text for token in near if token.sort == "name"] + _WORD.findall(texts))
    above = [token.text for token in reversed(near) if token.sort == "name" and token.line <= ground.line]
    names = [
        name for name in dict.fromkeys(above) if name not in other.union(ground.language.keywords, ground.language.builtins)
    ]
    unread = [name for name in names if count[name] == 1]
    for at in empty:
        for step, name in enumerate((unread or names)[:_NAMES]):
            yield Edit("insert", at, at, name, COST["insert"] + 0.3 * step)


def _behind(ground: Ground, place: int) -> int:
    """Return where something goes in behind the token before a place: behind the blank that a line still ends in."""
    end = ground.code[place - 1].end
    token = ground.code[place]
    left = ground.text[end : token.start]
    return end + 1 if token.sort == "line" and left[:1] == " " and left.isspace() else end


def _levels_for_word(ground: Ground, line: int) -> list[str]:
    """Return other indentations of a line that a word may be missing in front of: the blank behind the word is left in it."""
    own = ground.indent(line)
    standing = levels(ground, line)
    shorter = [own[:-1]] if own.endswith(" ") and own not in standing and len(own) % 2 else []
    return list(dict.fromkeys([*shorter, *([level for level in standing[:3] if level != own] if ground.python else [])]))


def _near_tokens(ground: Ground) -> Iterator[tuple[int, Token, float]]:
    for place, token in enumerate(ground.code):
        off = ground.lines.get(token.line)
        if off is not None:
            yield place, token, off


def renamed(ground: Ground) -> Iterator[Edit]:
    """A word of the language, or a name with a hyphen in it, used as a name: another name, everywhere."""
    for place, token, off in _near_tokens(ground):
        after = ground.code[place + 1].text if place + 1 < len(ground.code) else ""
        if token.text in ground.language.keywords and after in ("=", ".", ",", ")", "+=", "<-"):
            same = [other for other in ground.code if other.text == token.text and other.sort == "name"]
            first = same[0] if same else token
            more = tuple((other.start, other.end, token.text + "_") for other in same[1:])
            yield Edit("foreign", first.start, first.end, token.text + "_", 5.0 + off, more)
        if after == "-" and place + 3 < len(ground.code) and ground.code[place + 3].text in ("=", "<-", ","):
            whole = f"{token.text}-{ground.code[place + 2].text}"
            found = [match.start() for match in re.finditer(rf"(?<!\w){re.escape(whole)}(?!\w)", ground.text)]
            new = whole.replace("-", "_")
            if found and token.sort == "name":
                yield Edit(
                    "foreign",
                    found[0],
                    found[0] + len(whole),
                    new,
                    4.0 + off,
                    tuple((at, at + len(whole), new) for at in found[1:]),
                )


def phrases(ground: Ground) -> Iterator[Edit]:
    """Two phrases of a line exchanged: what begins with a word of the language, or the sides of an assignment."""
    for line, off in ground.lines.items():
        own = [token for token in ground.code if token.line == line and token.sort != "line"]
        heads = [place for place, token in enumerate(own) if token.sort == "name" and token.text in ground.language.keywords]
        for first, second in pairwise(heads):
            stop = next((place for place in heads if place > second), len(own))
            before = ground.text[own[first].start : own[second - 1].end]
            behind = ground.text[own[second].start : own[stop - 1].end]
            between = ground.text[own[second - 1].end : own[second].start]
            if second > first + 1:
                yield Edit("swap", own[first].start, own[stop - 1].end, behind + between + before, COST["swap"] + off)
        for place, token in enumerate(own):
            if token.text in ("=", "<-") and 0 < place < len(own) - 1:
                left = ground.text[own[0].start : own[place - 1].end]
                right = ground.text[own[place + 1].start : own[-1].end]
                sign = ground.text[own[place - 1].end : own[place + 1].start]
                yield Edit("swap", own[0].start, own[-1].end, right + sign + left, COST["swap"] + off)


def _vocabulary(ground: Ground) -> list[str]:
    words = sorted(ground.language.keywords)
    common = sorted(words, key=lambda word: -ground.usual.one.get(word, 0))[:40]
    signs = [
        sign
        for sign in ground.usual.one
        if not sign[:1].isalnum() and len(sign) <= 3 and sign not in ("L", "L<", "L>", '"', "'")
    ]
    signs = sorted(signs, key=lambda sign: -ground.usual.one[sign])[:30]
    hinted = [word for word in ground.hinted if word in words or not word[:1].isalnum()]
    return list(dict.fromkeys([*_ALWAYS, *(["()"] if "(" in ground.hinted else []), *hinted, *signs, *common]))


def _spaced(word: str, ground: Ground, token: Token) -> str:
    """Return a token as it is put before another: with the blanks that the language's writers put there."""
    before = ground.text[token.start - 1 : token.start]
    if word[:1].isalpha() or word in ("=", "==", "<-", "+", "*", "->", "..", "&&", "||", "and", "or"):
        left = "" if not before or before.isspace() or before in "([{" else " "
        right = "" if token.sort == "line" or token.text in _BEHIND else " "
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
        short = len(word) == 2 and far == 1 and len(token.text) <= 2 and set(word) & set(token.text)
        if word.lower() == token.text.lower() or short or (far <= 2 and far < len(word) - 1):
            gain = ground.usual.of([a, b, word, d, e]) - here
            yield Edit("spell", token.start, token.end, word, COST["spell"] + off + 1.2 * far + gain)
        elif token.text.startswith(word) and len(token.text) > len(word) + 1:
            rest = token.text[len(word) :]
            known = 0.0 if rest in ground.names else 3.0
            yield Edit("cut", token.start, token.end, f"{word} {rest}", COST["cut"] + off + known)
    for word in words:
        if token.text.startswith(word) and token.text != word and token.text[len(word) :] in ground.names:
            yield Edit("cut", token.start, token.end, f"{word} {token.text[len(word) :]}", COST["cut"] - 2.0 + off)
