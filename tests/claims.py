"""Claims that the sentences of a reading make about values, held against the values that were captured."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterator
from typing import Any

Value = dict[str, Any]
_MISSING = {"NoneType", "Nil", "nil", "NULL", "null", "undefined"}
_TEXT = {"str", "string", "character", "char", "String", "bytes"}
_NUMBERS = {"int", "float", "number", "numeric", "integer", "double", "complex", "Decimal", "decimal.Decimal", "Fraction"}
_NAME = r"`([^`\n]{1,80})`"


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


#: What is claimed of the thing in backticks -> whether a recorded value bears it out (None: it cannot be told).
CLAIMS: list[tuple[re.Pattern[str], Callable[[Value, str], bool | None]]] = [
    (re.compile(_NAME + r" (?:is|was) (?:None|null|nil|NULL|undefined)\b"), lambda v, _: v["type"] in _MISSING),
    (
        re.compile(_NAME + r" (?:is|was) (?:NaN|NA|not a number)\b"),
        lambda v, _: v["text"].lower() in ("nan", "na", "nat", "<na>"),
    ),
    (
        re.compile(_NAME + r" (?:is|was) (?:missing|nothing|not there)\b"),
        lambda v, _: v["type"] in _MISSING or v["text"].lower() in ("nan", "na", "nat", "<na>"),
    ),
    (
        re.compile(_NAME + r" (?:is|was) empty\b"),
        lambda v, _: (v.get("length") or 0) == 0 if v.get("length") is not None or v["text"] in ("''", '""') else None,
    ),
    (
        re.compile(_NAME + r" (?:is|was|holds|held) (?:zero|0)\b"),
        lambda v, _: _number(v["text"]) == 0 if _number(v["text"]) is not None else None,
    ),
    (re.compile(_NAME + r" (?:is|was|holds|held) text\b"), lambda v, _: v["type"].rpartition(".")[2] in _TEXT),
    (
        re.compile(_NAME + r" (?:is|was|holds|held) a(?: whole)? number\b"),
        lambda v, _: v["type"].rpartition(".")[2] in _NUMBERS or "int" in v["type"] or "float" in v["type"],
    ),
    (
        re.compile(_NAME + r" (?:is|was) an? `([\w.]+)`"),
        lambda v, told: v["type"].rpartition(".")[2] == told.rpartition(".")[2],
    ),
    (
        re.compile(_NAME + r" has (\d+) (?:items?|rows?|places?|characters?|values?)\b"),
        lambda v, told: v["length"] == int(told) if v.get("length") is not None else None,
    ),
]
EMPTY = re.compile(r"``|` `|\{\d?\}|\ba an\b|\ban a\b|\bthe the\b|: *$|  ")
#: Code in backticks, in which quotes may be empty and anything may stand.
_CODE = re.compile(r"`[^`]+`")


def texts_of(jam: dict[str, Any]) -> Iterator[tuple[str, str]]:
    """Yield (place, text) of everything a reading says in words."""
    yield "meaning", jam.get("meaning") or ""
    yield "look_at", jam.get("look_at") or ""
    for cause in jam.get("causes") or []:
        yield "cause", cause
    for root in jam.get("roots") or []:
        yield "root", root.get("reason") or ""
    for key in jam.get("keys") or []:
        yield "title", key.get("title") or ""
        yield "reason", key.get("reason") or ""


def judged(jam: dict[str, Any]) -> dict[str, list[str]]:
    """Return what is wrong in a reading: contradictions and empty slots, and how many claims were held against values."""
    values: dict[str, list[Value]] = defaultdict(list)
    for frame in jam.get("frames") or []:
        for value in frame.get("values") or []:
            if frame.get("owner") == "yours":
                values[value["name"]].append(value)
    found: dict[str, list[str]] = {"claims": [], "contradictions": [], "empty": []}
    for place, text in texts_of(jam):
        if EMPTY.search(_CODE.sub("`x`", text.replace("```", ""))):
            found["empty"].append(f"{place}: {text}")
        for pattern, bears in CLAIMS:
            for match in pattern.finditer(text):
                told = match[2] if match.lastindex and match.lastindex > 1 else ""
                answers = [bears(value, told) for value in values.get(match[1], ())]
                sure = [answer for answer in answers if answer is not None]
                if sure:
                    found["claims"].append(match[0])
                    if not any(sure):
                        seen = values[match[1]][-1]
                        found["contradictions"].append(f"{place}: {text} | {match[1]} = {seen['type']} {seen['text'][:60]}")
    return found
