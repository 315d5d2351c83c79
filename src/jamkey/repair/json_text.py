"""The smallest edits after which a text is JSON: the parser of the standard library judges, as other parsers do in `mend`."""

from __future__ import annotations

import itertools
import json
import re
from collections.abc import Iterator
from typing import NamedTuple

_TOKEN = re.compile(r""""(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'|“[^”\n]*”|//[^\n]*|#[^\n]*|[\w.+-]+|\S""")
#: Words of other languages, and what they are in JSON.
_WORDS = {"True": "true", "False": "false", "None": "null", "NaN": "null", "nan": "null", "undefined": "null", "NULL": "null"}
_SIGNS = {";": ",", "=": ":", ".": ",", "(": "[", ")": "]"}
#: Tokens around the place where the parser gave up that are edited, edits in one key, texts gone on from, texts tried.
_NEAR, _MOST, _BEAM, _TRIED = 3, 8, 3, 900
#: Characters of a text that is searched.
_LONGEST = 400_000


class Change(NamedTuple):
    """One change of a text, in characters."""

    start: int
    end: int
    new: str
    #: What it costs: less where it keeps what the text says.
    cost: float


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


def mended_json(text: str, *, by_line: bool = False) -> list[tuple[Change, ...]]:
    """Return the changes that make a text JSON, the cheapest first; each goes with the text before it as it was.

    Args:
        text: that a parser refused.
        by_line: whether each line is to be JSON by itself.
    """
    stop = stops_at(text, by_line=by_line)
    if stop is None or len(text) > _LONGEST:
        return []
    found: list[tuple[float, tuple[Change, ...]]] = []
    for changes in _everywhere(text):
        whole = text
        for change in changes:
            whole = whole[: change.start] + change.new + whole[change.end :]
        if len(changes) > 1 and stops_at(whole, by_line=by_line) is None:
            found.append((1.0 + 0.01 * len(changes), changes))
    edge: list[tuple[float, str, int, tuple[Change, ...]]] = [(0.0, text, stop, ())]
    tried = 0
    for _ in range(_MOST):
        further: list[tuple[float, str, int, tuple[Change, ...]]] = []
        for cost, now, place, made in edge:
            for change in _changes(now, place):
                tried += 1
                if tried > _TRIED:
                    break
                after = now[: change.start] + change.new + now[change.end :]
                error = stops_at(after, by_line=by_line)
                if error is None:
                    found.append((cost + change.cost, (*made, change)))
                elif error > place + max(len(change.new) - (change.end - change.start), 0):
                    further.append((cost + change.cost, after, error, (*made, change)))
        if found or not further:
            break
        edge = sorted(further, key=lambda item: (-item[2] + 20 * item[0], item[0]))[:_BEAM]
    return [made for _, made in sorted(found, key=lambda item: (item[0], len(item[1])))]


def _everywhere(text: str) -> Iterator[tuple[Change, ...]]:
    """Yield what one habit of writing has changed in all places, from the end on."""
    quoted: list[Change] = []
    words: list[Change] = []
    others: list[Change] = []
    tokens = list(_TOKEN.finditer(text))
    for token, behind in itertools.zip_longest(tokens, tokens[1:]):
        word, start, end = token[0], token.start(), token.end()
        if word[0] in "'“" and len(word) > 1:
            quoted.append(Change(start, end, json.dumps(word[1:-1], ensure_ascii=False), 1.0))
        elif word in _WORDS:
            words.append(Change(start, end, _WORDS[word], 1.0))
        elif word.startswith(("//", "#")) or (word == "," and behind is not None and behind[0] in "]}"):
            others.append(Change(start, end, "", 1.0))
        elif re.match(r"[^\W\d]", word) and behind is not None and behind[0] == ":":
            quoted.append(Change(start, end, f'"{word}"', 1.0))
    for changes in (quoted, words, others, [*quoted, *words], [*quoted, *others], [*quoted, *words, *others]):
        yield tuple(sorted(changes, reverse=True))


def _changes(text: str, stop: int) -> Iterator[Change]:
    """Yield the edits of tokens around a place, the cheapest first."""
    tokens = list(_TOKEN.finditer(text, max(text.rfind("\n", 0, max(stop - 300, 0)), 0), stop + 300))
    at = next((number for number, token in enumerate(tokens) if token.end() > stop), len(tokens))
    near = tokens[max(at - _NEAR, 0) : at + _NEAR]
    made: list[Change] = []
    for token in near:
        word, start, end = token[0], token.start(), token.end()
        if word in _WORDS:
            made.append(Change(start, end, _WORDS[word], 1.0))
        elif word[0] in "'“":
            made.append(Change(start, end, json.dumps(word[1:-1], ensure_ascii=False) if len(word) > 1 else '"', 1.0))
        elif word.startswith(("//", "#")):
            made.append(Change(start, end, "", 1.0))
        elif word in _SIGNS:
            made.append(Change(start, end, _SIGNS[word], 2.0))
        elif re.match(r"[^\W\d]", word) and word not in ("true", "false", "null"):
            made.append(Change(start, end, f'"{word}"', 1.5))
        elif re.fullmatch(r"[+-]?\.?0*\d[\w.+-]*", word):
            made.append(Change(start, end, word.lstrip("+0") or "0", 2.0))
        if word in ",:;":
            made.append(Change(start, end, "", 1.2))
        elif word in "]})":
            made.append(Change(start, end, "", 2.5))
        for sign, cost in ((",", 1.4), (":", 1.6), ("]", 1.8), ("}", 1.8), ('"', 2.2)):
            made.append(Change(end, end, sign, cost))
            if sign == '"':
                made.append(Change(start, start, sign, cost))
    made.append(Change(len(text.rstrip()), len(text.rstrip()), "}", 1.8))
    made.append(Change(len(text.rstrip()), len(text.rstrip()), "]", 1.8))
    yield from sorted(made, key=lambda change: change.cost)
