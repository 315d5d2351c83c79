"""What an edit costs that mends a text: features of the edit and of the text it leaves, weighed by a table that was learned.

`benchmarks/learn_mending.py` fits the weights on slips in libraries' own files, mostly of single characters.
"""

from __future__ import annotations

import functools
import re
from bisect import bisect_right
from collections import Counter
from collections.abc import Iterator

import msgspec

from jamkey.languages.scan import PAIRS
from jamkey.packaged import packaged
from jamkey.repair.ground import CLOSERS, Edit, Ground
from jamkey.repair.lex import Token, classes, lex
from jamkey.repair.of_lines import unit_of
from jamkey.repair.own import widths

#: What a text begins and ends with: a prefix, quotes.
_AROUND = re.compile(r"^[A-Za-z]{0,2}[\"'`]+|[\"'`]+$")
_WORD = re.compile(r"[^\W\d]\w*")
#: Sorts of edits whose own cost says how well they fit the place.
_PLACED = ("line", "indent", "cut", "join", "foreign", "alike")
#: Sorts of edits for which what they replace is not lost.
_REPLACES = ("replace", "spell", "join", "foreign", "alike", "swap", "exchange", "neighbour")


def worth(ground: Ground, edit: Edit, made: str) -> float:
    """Return what an edit costs that mends the text, in logs.

    Args:
        ground: the broken text.
        edit: that mends it.
        made: the text with the edit.
    """
    weights = _table()
    return sum(weights.get(name, 0.0) * value for name, value in features(ground, edit, made).items())


@functools.cache
def _table() -> dict[str, float]:
    return msgspec.json.decode(packaged("repair/worth.json"), type=dict[str, float])


def features(ground: Ground, edit: Edit, made: str) -> dict[str, float]:
    """Return what speaks against an edit, or for it, by name."""
    first = ground.text.count("\n", 0, edit.start)
    stop = edit.more[-1][1] if edit.more else edit.end
    behind = ground.text.count("\n", stop)
    before = ground.rows[max(first - 1, 0) : len(ground.rows) - behind + 1]
    rows = made.split("\n")
    after = rows[max(first - 1, 0) : len(rows) - behind + 1]
    gone = ground.text[edit.start : edit.end] + "".join(ground.text[start:end] for start, end, _ in edit.more)
    kept = edit.new + "".join(new for _, _, new in edit.more)
    found = {f"sort {edit.sort}": 1.0}
    here = tuple(before)
    if here not in ground.told:
        ground.told[here] = _of_rows(ground, before)
    old, was = ground.told[here]
    new, now = _of_rows(ground, after)
    found |= {name: value - old[name] for name, value in new.items() if value != old[name]}
    if not any(sort == "text" for sort, _ in now - was):
        # a text that is only taken out: how little it looked like one speaks for nothing
        found = {name: value for name, value in found.items() if not name.startswith("text ")}
    found |= _of_words(ground, was, now)
    found["own"], found["spaces"] = ground.own.gain(before, after)
    found["off"] = ground.lines.get(first + 1, 3.0 if edit.sort != "line" else 1.0)
    if edit.sort in _PLACED:
        found[f"placed {edit.sort}"] = edit.cost
    for name in _of_signs(ground, edit, first, gone, kept):
        found[name] = 1.0
    if odd := _odd_widths(ground, before, after):
        found["stands as no other line"] = odd
    if edit.sort == "indent" and _out_of_step(ground, rows, first):
        found["body out of step"] = 1.0
    if lost := _lost(edit, gone, kept, ground):
        found["lost"] = lost
    if edit.more:
        found["more"] = float(len(edit.more))
    return found


def _of_signs(ground: Ground, edit: Edit, first: int, gone: str, kept: str) -> Iterator[str]:
    sign = kept.strip()
    if edit.sort == "replace" and gone in CLOSERS and kept in CLOSERS:
        yield "closer for closer"
    if edit.sort == "replace" and gone in PAIRS:
        yield "opener replaced"
    if edit.sort != "line" and not ground.python and (sign == "}" or (sign in ground.language.keywords and sign[:3] == "end")):
        yield "block's end within a line"
    if _opened(ground, first, gone, kept):
        yield "takes away what opens a block"
    brackets = gone in PAIRS or gone in CLOSERS
    if (sign in ground.hinted and not brackets) or (edit.more and edit.new in ground.hinted):
        yield "hinted, stands there" if sign in ground.rows[first] and edit.sort != "line" else "hinted"
    if sign and all(word in ground.missing for word in sign):
        yield "is missing"
    end = len(ground.text.rstrip())
    if ground.ran_out and edit.sort == "line" and edit.start >= end and ground.width(ground.text.count("\n", 0, end) + 1):
        yield "ends the block in which the text ends"
    away = _from_stop(ground, edit, first)
    if away:
        yield f"stop {away}"
        yield f"stop {away} {edit.sort}"
        yield f"stop {away} in {ground.language.name}"


def _opened(ground: Ground, first: int, gone: str, kept: str) -> bool:
    """Tell an edit that takes away what a row opens a block with, although what stands below it stands further in.

    That is the word it begins with, or the bracket it ends with.
    """
    if gone.strip() in PAIRS and kept.strip() not in PAIRS and ground.rows[first].rstrip().endswith(gone.strip()):
        return first + 2 <= len(ground.rows) and ground.width(first + 2) > ground.width(first + 1)
    word = _WORD.match(ground.rows[first].lstrip())
    if ground.python or word is None or word[0] not in ground.language.keywords or first + 2 > len(ground.rows):
        return False
    lost = set(_WORD.findall(gone)) - set(_WORD.findall(kept))
    return word[0] in lost and ground.width(first + 2) > ground.width(first + 1)


def _from_stop(ground: Ground, edit: Edit, first: int) -> str:
    """Return how many tokens an edit stands behind the place where the parser gave up; empty where that is not said."""
    if ground.stop is None:
        return ""
    if first + 1 != ground.line:
        return "on another line"
    begin = ground.starts[ground.line - 1]
    starts = [token.start for token in ground.code]
    low, high = (
        bisect_right(starts, begin + column) for column in (ground.stop[0] - 1, max(ground.stop[1] - 2, ground.stop[0] - 1))
    )
    own = bisect_right(starts, edit.start)
    if low < own <= high:
        return "within"
    return str(max(own - low, -4) if own <= low else min(own - high, 2))


def _odd_widths(ground: Ground, before: list[str], after: list[str]) -> float:
    """Return how many more rows stand as far in as no other line of the text does."""
    was, now = widths(before), widths(after)
    put = sum(count for width, count in (now - was).items() if not ground.own.widths[width])
    return float(put - sum(count for width, count in (was - now).items() if ground.own.widths[width] <= count))


def _out_of_step(ground: Ground, rows: list[str], head: int) -> bool:
    """Tell a row that opens a block of which the first line does not stand one step further in."""
    below = next((row for row in rows[head + 1 :] if row.strip()), "")
    if not rows[head].split("#")[0].rstrip().endswith(":") or not below:
        return False
    return _width(below) != _width(rows[head]) + len(unit_of(ground).expandtabs(8))


def _width(row: str) -> int:
    wide = row.expandtabs(8)
    return len(wide) - len(wide.lstrip())


def _lost(edit: Edit, gone: str, kept: str, ground: Ground) -> float:
    """Return how much of what stood there is no more."""
    style = ground.language.style
    lost = Counter(token.text for token in lex(gone, style) if token.sort != "line")
    lost -= Counter(token.text for token in lex(kept, style) if token.sort != "line")
    if not lost or not Counter("".join(gone.split())) - Counter("".join(kept.split())):
        return 0.0  # all that stood there stands there still
    junk = sum(4.0 * count + 0.3 * len(word) * count for word, count in lost.items())
    return min(junk, 4.0) if edit.sort in _REPLACES and len(lost) <= 2 else junk


def _of_words(ground: Ground, old: Counter[tuple[str, str]], new: Counter[tuple[str, str]]) -> dict[str, float]:
    """Return how many tokens of each sort are there no more, how many are new, and how many of these stand nowhere else."""
    found: dict[str, float] = {}
    for does, words, others in (("lost", old - new, new), ("put", new - old, old)):
        # what a text takes in, or gives back, is still there
        texts = " ".join(word for sort, word in others if sort == "text")
        for (sort, word), count in words.items():
            if sort != "text" and word in texts:
                continue
            name = f"{does} {sort}"
            found[name] = found.get(name, 0.0) + count
            if does == "put" and sort == "name" and word not in ground.names and word not in ground.language.builtins:
                found["fresh"] = found.get("fresh", 0.0) + count
    return found


def _of_rows(ground: Ground, rows: list[str]) -> tuple[dict[str, float], Counter[tuple[str, str]]]:
    """Return how unusual rows are, by name, and their tokens with what sort each is."""
    text = "\n".join(rows) + "\n"
    tokens = [token for token in lex(text, ground.language.style) if token.sort != "comment"]
    words = ["L", "L", *classes(tokens, ground.language.keywords, text)]
    found = {
        "language": ground.usual.of(words) if ground.usual.all else 0.0,
        "odd": float(sum(token.sort in ("quote", "odd") for token in tokens)),
    }
    texts = [token for token in tokens if token.sort == "text"]
    for name in _TEXT:
        found[name] = 0.0
    for token in texts:
        for name, value in zip(_TEXT, _of_text(ground, token), strict=True):
            found[name] += value
    keywords = ground.language.keywords
    sorts = [(_SORTS.get(token.sort, token.sort) if token.text not in keywords else "keyword", token.text) for token in tokens]
    return found, Counter(pair for pair in sorts if pair[0] != "line")


_SORTS = {"number": "name", "odd": "sign", "quote": "sign"}
_TEXT = (
    "text length",
    "text comma",
    "text mark of a comment",
    "text gap",
    "text begins blank",
    "text ends blank",
    "text lines",
    "text signs",
    "text names",
    "text unpaired",
    "text empty",
)


def _of_text(ground: Ground, token: Token) -> tuple[float, ...]:
    """Return how little a text looks like one: code, comments and wide gaps stand in it when a quote is in the wrong place."""
    inner = _AROUND.sub("", token.text)
    return (
        min(len(inner), 100) / 50,
        float(inner.count(", ")),
        float(" #" in inner),
        float("   " in inner),
        float(inner[:1] == " "),
        float(inner[-1:] == " "),
        float(min(inner.count("\n"), 5)),
        float(sum(sign in inner for sign in ("(", ")", "[", "]", "==", " = "))),
        float(min(sum(word in ground.names for word in _WORD.findall(inner)), 8)),
        float(sum(inner.count(opener) != inner.count(closer) for opener, closer in PAIRS.items())),
        float(not inner),
    )
