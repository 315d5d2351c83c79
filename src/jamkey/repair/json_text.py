"""The smallest edits after which a text is JSON: the parser of the standard library judges, as other parsers do in `mend`."""

from __future__ import annotations

import itertools
import json
import re
from collections.abc import Iterator, Sequence

from jamkey.budget import Budget
from jamkey.repair.ground import Edit
from jamkey.repair.mend import Mended

_TOKEN = re.compile(r""""(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'|“[^”\n]*”|//[^\n]*|#[^\n]*|[\w.+-]+|\S""")
#: Words of other languages, and what they are in JSON.
_WORDS = {"True": "true", "False": "false", "None": "null", "NaN": "null", "nan": "null", "undefined": "null", "NULL": "null"}
_SIGNS = {";": ",", "=": ":", ".": ",", "(": "[", ")": "]"}
#: Tokens around the place where the parser gave up that are edited, edits in one key, texts gone on from.
_NEAR, _MOST, _BEAM = 3, 8, 3
#: Characters before and behind that place that are looked at, characters of a text that is searched, and seconds.
_AROUND, _LONGEST, _SECONDS = 300, 400_000, 0.5
#: Places of one edit that are changed each by itself; of more the whole stretch is.
_EACH = 40

Span = tuple[int, int, str]


def stops_at(text: str, *, by_line: bool = False) -> int | None:
    """Return where a text stops being JSON, None for one that is JSON; `by_line` where each line is one."""
    if not by_line:
        return _stop(text)
    start = 0
    for row in text.split("\n"):
        stop = _stop(row) if row.strip() else None
        if stop is not None:
            return start + stop
        start += len(row) + 1
    return None


def _stop(text: str) -> int | None:
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        return error.pos
    except (ValueError, RecursionError):
        return 0
    return None


def mended_json(text: str, *, by_line: bool = False) -> list[Mended]:
    """Return the edits that make a text JSON, the cheapest first.

    Args:
        text: that a parser refused.
        by_line: whether each line is to be JSON by itself.
    """
    stop = stops_at(text, by_line=by_line)
    if stop is None or len(text) > _LONGEST:
        return []
    allowed = Budget(_SECONDS)
    found: list[Mended] = []
    for spans in _everywhere(text):
        made = _with(text, spans)
        if not allowed.spent() and stops_at(made, by_line=by_line) is None:
            cost = 1.0 + 0.01 * len(spans)
            found.append(Mended((_edit(text, spans, cost),), made, cost))
    edge: list[tuple[int, Mended]] = [(stop, Mended((), text, 0.0))]
    for _ in range(_MOST):
        further: list[tuple[int, Mended]] = []
        for place, before in edge:
            for edit in _edits(before.text, place):
                if allowed.spent():
                    break
                after = Mended((*before.edits, edit), edit.of(before.text), before.cost + edit.cost)
                error = stops_at(after.text, by_line=by_line)
                if error is None:
                    found.append(after)
                elif error > place + max(len(edit.new) - (edit.end - edit.start), 0):
                    further.append((error, after))
        if found or not further:
            break
        edge = sorted(further, key=lambda item: (20 * item[1].cost - item[0], item[1].cost))[:_BEAM]
    return sorted(found, key=lambda item: (item.cost, len(item.edits)))


def _with(text: str, spans: Sequence[Span]) -> str:
    pieces, at = [], 0
    for start, end, new in spans:
        pieces += [text[at:start], new]
        at = end
    return "".join([*pieces, text[at:]])


def _edit(text: str, spans: Sequence[Span], cost: float) -> Edit:
    """Return one edit of many places."""
    start, end, new = spans[0]
    if len(spans) <= _EACH:
        return Edit("everywhere", start, end, new, cost, tuple(spans[1:]))
    last = spans[-1][1]
    inside = [(first - start, behind - start, word) for first, behind, word in spans]
    return Edit("everywhere", start, last, _with(text[start:last], inside), cost)


def _everywhere(text: str) -> Iterator[list[Span]]:
    """Yield what one habit of writing has changed in several places."""
    quoted: list[Span] = []
    words: list[Span] = []
    others: list[Span] = []
    tokens = list(_TOKEN.finditer(text))
    for token, behind in itertools.zip_longest(tokens, tokens[1:]):
        word, start, end = token[0], token.start(), token.end()
        if word[0] in "'“" and len(word) > 1:
            quoted.append((start, end, json.dumps(word[1:-1], ensure_ascii=False)))
        elif word in _WORDS:
            words.append((start, end, _WORDS[word]))
        elif word.startswith(("//", "#")) or (word == "," and behind is not None and behind[0] in "]}"):
            others.append((start, end, ""))
        elif re.match(r"[^\W\d]", word) and behind is not None and behind[0] == ":":
            quoted.append((start, end, f'"{word}"'))
    sets = (quoted, words, others, quoted + words, quoted + others, quoted + words + others)
    seen: list[list[Span]] = []
    for spans in map(sorted, sets):
        if len(spans) > 1 and spans not in seen:
            seen.append(spans)
            yield spans


def _edits(text: str, stop: int) -> list[Edit]:
    """Return the edits of tokens around a place, the cheapest first."""
    tokens = list(_TOKEN.finditer(text, max(text.rfind("\n", 0, max(stop - _AROUND, 0)), 0), stop + _AROUND))
    at = next((number for number, token in enumerate(tokens) if token.end() > stop), len(tokens))
    made: list[Edit] = []
    for token in tokens[max(at - _NEAR, 0) : at + _NEAR]:
        word, start, end = token[0], token.start(), token.end()
        if word in _WORDS:
            made.append(Edit("replace", start, end, _WORDS[word], 1.0))
        elif word[0] in "'“":
            new = json.dumps(word[1:-1], ensure_ascii=False) if len(word) > 1 else '"'
            made.append(Edit("replace", start, end, new, 1.0))
        elif word.startswith(("//", "#")):
            made.append(Edit("delete", start, end, "", 1.0))
        elif word in _SIGNS:
            made.append(Edit("replace", start, end, _SIGNS[word], 2.0))
        elif re.match(r"[^\W\d]", word) and word not in ("true", "false", "null"):
            made.append(Edit("replace", start, end, f'"{word}"', 1.5))
        elif re.fullmatch(r"[+-]?\.?0*\d[\w.+-]*", word):
            made.append(Edit("replace", start, end, word.lstrip("+0") or "0", 2.0))
        if word in ",:;":
            made.append(Edit("delete", start, end, "", 1.2))
        elif word in "]})":
            made.append(Edit("delete", start, end, "", 2.5))
        made += [Edit("insert", end, end, sign, cost) for sign, cost in ((",", 1.4), (":", 1.6), ("]", 1.8), ("}", 1.8))]
        made += [Edit("insert", place, place, '"', 2.2) for place in (start, end)]
    last = len(text.rstrip())
    made += [Edit("insert", last, last, sign, 1.8) for sign in "}]"]
    return sorted(made, key=lambda edit: edit.cost)
