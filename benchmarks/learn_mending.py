"""Write the weights by which grammar repair ranks its edits, and say how good they are on slips that did not teach them.

    python benchmarks/learn_mending.py [--language NAME ...] [--most N] [--seen FILE] [--table FILE] [--strength X]

One slip in a library's own file (the open half of `grammar.py`): one of a token by an operator of its open half, or one
of a word that another language has for it, or one of a character: left out, put in twice, exchanged with the
next, replaced by its neighbour on the keyboard, put in where the other hand rests; a blank and the end of a line are
characters like others. Where in the file is chance. Kept when the language's parser
takes the healthy text and refuses the broken one. Each is read as the product reads it. The weights make the text
that was there the likeliest of all that the parser takes (a conditional logit, drawn to a start). Each fifth of the
files is judged by what the others taught.
"""

from __future__ import annotations

import argparse
import json
import pickle
import random
import re
import shutil
import sys
import tempfile
import zlib
from collections import Counter
from multiprocessing import Pool
from pathlib import Path
from typing import Any, NamedTuple

import grammar
import logit
import numpy as np
import parsers
from programs import side

import jamkey.repair.mend as mending
from jamkey.errors import JamkeyError
from jamkey.kinds import broken_syntax
from jamkey.languages import SHELF as LANGUAGES
from jamkey.pipeline import read_and_diagnose
from jamkey.repair.lex import lex
from jamkey.repair.worth import features

FOREIGN = "another language"
SORTS = ("left out", "twice", "exchanged", "neighbour", "put in", FOREIGN)
#: What a slip counts beside one of a token: people leave out more than they hit amiss.
_OFTEN = {"left out": 3.0, "twice": 1.0, "exchanged": 0.5, "neighbour": 0.5, "put in": 0.5, FOREIGN: 0.5}
#: Rows of an American keyboard, plain and with the shift key.
_ROWS = ("`1234567890-=", "qwertyuiop[]\\", "asdfghjkl;'", "zxcvbnm,./")
_SHIFTED = ("~!@#$%^&*()_+", "QWERTYUIOP{}|", 'ASDFGHJKL:"', "ZXCVBNM<>?")
#: Places tried in one file until the text is broken.
_TRIES = 60
#: What is known before any slip is seen: the weights are drawn there and not to zero. These were set by hand when edits
#: were first ranked, on the open half.
_BEFORE = {
    "block's end within a line": 2.76,
    "takes away what opens a block": 3.0,
    "body out of step": 2.0,
    "closer for closer": -0.517,
    "ends the block in which the text ends": -3.0,
    "fresh": 0.517,
    "hinted": -4.14,
    "hinted, stands there": -2.07,
    "language": 0.207,
    "lost": 0.345,
    "more": 0.172,
    "odd": 1.03,
    "off": 0.276,
    "opener replaced": 1.38,
    "own": 0.138,
    "placed line": 0.172,
    "sort alike": -7.59,
    "sort cut": 0.172,
    "sort delete": 0.69,
    "sort exchange": 0.8,
    "sort foreign": -5.17,
    "sort indent": 0.172,
    "sort join": 0.69,
    "sort line": 0.345,
    "sort neighbour": 0.8,
    "sort replace": 0.69,
    "sort spell": 0.345,
    "sort swap": 0.862,
    "text begins blank": 0.276,
    "text comma": 0.241,
    "text ends blank": 0.276,
    "text gap": 0.345,
    "text length": 0.345,
    "text lines": 0.69,
    "text mark of a comment": 0.69,
    "text signs": 0.241,
}
#: Parts of the files, each of which is judged by what the others taught.
_PARTS = 5
#: A weight nearer to nothing is left out.
_LEAST = 0.01


class Seen(NamedTuple):
    """One broken file: what the parser takes, with the features of each, and which of it is the text that was there."""

    language: str
    slip: str
    name: str
    options: list[dict[str, float]]
    right: list[bool]


class Broken(NamedTuple):
    language: str
    slip: str
    name: str
    healthy: str
    text: str
    told: str


def neighbours(sign: str) -> list[str]:
    """Return what a finger hits beside a key, with the shift key held or let go."""
    found: list[str] = []
    for rows, others in ((_ROWS, _SHIFTED), (_SHIFTED, _ROWS)):
        for row, other in zip(rows, others, strict=True):
            at = row.find(sign)
            if at >= 0:
                found += [other[at], *row[max(at - 1, 0) : at], *row[at + 1 : at + 2]]
    return found


def slipped(text: str, slip: str, pick: random.Random, language: str) -> str | None:
    """Return the text with one slip of a character in its code; None where that changes nothing."""
    code = [token for token in lex(text, LANGUAGES.get(language).style) if token.sort not in ("comment",)]
    if not code:
        return None
    token = pick.choice(code)
    if token.sort == "text":
        at = pick.choice((token.start, token.end - 1))
    else:
        at = pick.randrange(max(token.start - (text[token.start - 1 : token.start] == " "), 0), token.end)
    sign, after = text[at], text[at + 1 : at + 2]
    if slip == "left out":
        new, end = "", at + 1
    elif slip == "twice":
        new, end = 2 * sign, at + 1
    elif slip == "exchanged":
        new, end = after + sign, at + 2
    else:
        beside = neighbours(sign)
        if not beside:
            return None
        new = pick.choice(beside) + (sign if slip == "put in" else "")
        end = at + 1
    made = text[:at] + new + text[end:]
    return made if made != text else None


#: Language -> (what is written, what it is called in another language).
_FOREIGN = {
    "python": [
        (" and ", " && "),
        (" or ", " || "),
        (r"\bnot (?=\w)", "!"),
        (r"\belif\b", "else if"),
        (r"\bdef\b", "function"),
        (" \\+= 1\\b", "++"),
        ("!=", "<>"),
        (">=", "=>"),
        ("<=", "=<"),
        (r"(?m)^([ \t]*)print\((.+)\)$", r"\1print \2"),
    ],
    "javascript": [
        ("&&", "and"),
        (r"\|\|", "or"),
        (r"\bfunction\b", "def"),
        (r"\belse if\b", "elif"),
        (">=", "=>"),
        ("<=", "=<"),
    ],
    "lua": [
        ("~=", "!="),
        (r"\band\b", "&&"),
        (r"\bor\b", "||"),
        (r"\bnot (?=\w)", "!"),
        (r"\belseif\b", "elif"),
        (">=", "=>"),
        ("<=", "=<"),
    ],
    "r": [("&&", "and"), (r"\|\|", "or"), (r"\belse if\b", "elif"), (">=", "=>"), (r"\bfunction\b", "def")],
    "octave": [("&&", "and"), (r"\|\|", "or"), (r"\belseif\b", "elif"), (">=", "=>")],
}


def in_other_words(text: str, pick: random.Random, language: str) -> str | None:
    """Return the text with one word or sign of another language in its code."""
    within = [
        (token.start, token.end) for token in lex(text, LANGUAGES.get(language).style) if token.sort in ("text", "comment")
    ]
    hits = [
        (match, new)
        for old, new in _FOREIGN.get(language, ())
        for match in re.finditer(old, text)
        if not any(start <= match.start() < end for start, end in within)
    ]
    if not hits:
        return None
    # each of the words as likely as the others
    match, new = pick.choice(
        [pick.choice([hit for hit in hits if hit[1] == word]) for word in sorted({word for _, word in hits})]
    )
    return text[: match.start()] + match.expand(new) + text[match.end() :]


def broken(language: str, most: int) -> list[Broken]:
    """Return broken files of the open half, one slip each; the sorts of slips in turn."""
    wanted = [(name, text) for name, text in grammar.files(language) if side(Path(name).name) == "open"]
    random.Random(language).shuffle(wanted)
    made: list[tuple[str, str, str, str]] = []
    place = 0
    for turn in range(_TRIES):
        if len(made) >= 12 * most or not wanted:
            break
        for name, text in wanted:
            slip = SORTS[place % len(SORTS)]
            place += 1
            pick = random.Random(f"{language} {name} {turn} {slip}")
            new = in_other_words(text, pick, language) if slip == FOREIGN else slipped(text, slip, pick, language)
            if new is not None:
                made.append((slip, name, text, new))
    made = made[: 12 * most]
    beside = [str(Path(name).parent) for _, name, _, _ in made]
    told = parsers.told(language, [text for _, _, _, text in made], beside=beside)
    hits = [(*item, said) for item, said in zip(made, told, strict=True) if said]
    healthy = parsers.told(language, [item[2] for item in hits], beside=[str(Path(item[1]).parent) for item in hits])
    found = [Broken(language, *item) for item, good in zip(hits, healthy, strict=True) if not good]
    count: Counter[str] = Counter()
    kept = [
        Broken(language, case.operator, case.name, case.healthy, case.text, "")
        for case in grammar.cases(language, "open", most * 2 // 5)
    ]
    for item in found:
        count[item.slip] += 1
        if count[item.slip] <= most // len(SORTS):
            kept.append(item)
    return kept


#: What the search weighed last: the text with an edit -> the features of the edit.
_NOTED: dict[str, dict[str, float]] = {}
_MENDED: list[mending.Mended] = []
_worth, _mend = mending.worth, mending.mend


def _noted(ground: mending.Ground, edit: mending.Edit, made: str) -> float:
    _NOTED.setdefault(made, features(ground, edit, made))
    return _worth(ground, edit, made)


def _mended(*given: Any, **named: Any) -> list[mending.Mended]:
    _MENDED[:] = _mend(*given, **named)
    return list(_MENDED)


def look(item: Broken) -> Seen | None:
    """Have one broken file read as the product reads it; return what the parser takes of what was tried."""
    mending.worth, broken_syntax.mend = _noted, _mended  # type: ignore[assignment]
    _NOTED.clear()
    _MENDED.clear()
    with tempfile.TemporaryDirectory(prefix="jamkey-mending-") as made:
        folder = Path(made)
        name = Path(item.name).name
        (folder / name).write_text(item.text, encoding="utf-8")
        for header in Path(item.name).parent.glob("*.h") if item.language == "c" else ():
            shutil.copy(header, folder)
        text = grammar.printed(item.language, folder, name, sys.executable, str(Path(item.name).parent))
        try:
            read_and_diagnose(text, root=folder, runtime=item.language)
        except JamkeyError:
            return None
    options, right = [], []
    for one in _MENDED:
        # in a part of a text that stands by itself the whole is another text
        known = _NOTED.get(one.text) or next((told for part, told in _NOTED.items() if part in one.text), None)
        if len(one.edits) == 1 and known is not None:
            options.append(known)
            right.append(one.text == item.healthy)
    return Seen(item.language, item.slip, item.name, options, right)


def fit(cases: list[Seen], strength: float) -> dict[str, float]:
    """Return the weights with which what was there costs least."""
    cases = [case for case in cases if any(case.right) and not all(case.right)]
    count = Counter(name for case in cases for name in {name for option in case.options for name in option})
    names = sorted({name for name, seen in count.items() if seen >= 20} | _BEFORE.keys())
    numbers = {name: place for place, name in enumerate(names)}
    matrix = np.zeros((sum(len(case.options) for case in cases), len(names)))
    groups, right = [], []
    row = 0
    for group, case in enumerate(cases):
        for option, good in zip(case.options, case.right, strict=True):
            for name, value in option.items():
                if name in numbers:
                    matrix[row, numbers[name]] = -value
            groups.append(group)
            right.append(good)
            row += 1
    each = Counter(case.language for case in cases)
    counts = np.array([min(300 / each[case.language], 1.0) * _OFTEN.get(case.slip, 1.0) for case in cases])
    before = np.array([_BEFORE.get(name, 0.0) for name in names])
    found = logit.fit(matrix, np.array(groups), np.array(right), counts=counts, strength=strength, start=before)
    return {name: float(f"{found[place]:.3g}") for name, place in numbers.items() if abs(found[place]) >= _LEAST}


def ranks(cases: list[Seen], weights: dict[str, float]) -> list[tuple[bool, bool, bool]]:
    """Return of each case whether the text that was there comes first, among the first three, at all."""
    found = []
    for case in cases:
        cost = [sum(weights.get(name, 0.0) * value for name, value in option.items()) for option in case.options]
        order = sorted(range(len(cost)), key=lambda place: cost[place])
        found.append(
            (any(case.right[place] for place in order[:1]), any(case.right[place] for place in order[:3]), any(case.right))
        )
    return found


def part_of(case: Seen) -> int:
    """Return which part of the files a case belongs to."""
    return zlib.crc32(Path(case.name).name.encode()) % _PARTS


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--language", nargs="*", default=list(parsers.ENDINGS))
    parser.add_argument("--most", type=int, default=300, help="broken files a language")
    parser.add_argument("--seen", type=Path, help="keep what was found in this file, or take it from there")
    parser.add_argument("--table", type=Path, help="write the weights there")
    parser.add_argument("--strength", type=float, default=3.0)
    asked = parser.parse_args()
    seen: list[Seen] = []
    if asked.seen and asked.seen.exists():
        seen = [Seen(*case) for case in pickle.loads(asked.seen.read_bytes())]
    for language in asked.language:
        if any(case.language == language for case in seen) or not parsers.available(language):
            continue
        with Pool(2) as pool:
            seen += [case for case in pool.imap(look, broken(language, asked.most)) if case is not None]
        if asked.seen:
            asked.seen.write_bytes(pickle.dumps([tuple(case) for case in seen]))
    tables = [fit([case for case in seen if part_of(case) != part], asked.strength) for part in range(_PARTS)]
    print(f"{'language':12}{'slip':45}{'n':>5}{'first':>8}{'three':>7}{'there':>7}{'before: first':>15}{'three':>7}")
    for language in asked.language:
        for slips in (*dict.fromkeys(case.slip for case in seen), "all"):
            own = [case for case in seen if case.language == language and slips in (case.slip, "all")]
            if own:
                now = [rank for part in range(_PARTS) for rank in ranks([c for c in own if part_of(c) == part], tables[part])]
                was = ranks(own, _BEFORE)
                shares = [
                    f"{100 * sum(rank[place] for rank in these) / len(own):.1f}"
                    for these, place in ((now, 0), (now, 1), (now, 2), (was, 0), (was, 1))
                ]
                print(
                    f"{language:12}{slips:45}{len(own):5}{shares[0]:>8}{shares[1]:>7}{shares[2]:>7}{shares[3]:>15}{shares[4]:>7}"
                )
    if asked.table:
        weights = fit(seen, asked.strength)
        asked.table.write_text(json.dumps(weights, indent=0, sort_keys=True) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
