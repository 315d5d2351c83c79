"""Secrets are hidden in everything that is stored or written: by the name they stand under, or by their form.

The agent masks values by name before they leave the program; this is for text: source lines, messages, addresses.
A masked stretch keeps its length, so that columns and marks stay where they are.
"""

from __future__ import annotations

import re
from typing import Any

import msgspec

from jamkey.model import Jam

_NAMES = re.compile(r"(?i)passw(?:or)?d|passphrase|secret|token|api_?key|access_?key|private_?key|credential|authorization")
_BEARER = re.compile(r"(?i)\b(?:bearer|basic) ([A-Za-z0-9._~+/=-]{8,})")
#: The user part of an address is bounded, as is its password, so that the search stays linear.
_ADDRESS = re.compile(r"://[^\s:/@]{1,80}:([^\s/@]{1,200})@")
_QUOTED = re.compile(r"[rbfuRBFU]{0,2}(\"\"\"|'''|\"|')")
_BARE = re.compile(r"[A-Za-z0-9_+/=.~-]{6,400}")
#: Characters between a name and its value that are looked through, such as `: str = `.
_BETWEEN = 60


def masked(text: str) -> str:
    """Return the text with what looks like a secret replaced by as many asterisks."""
    if not text or len(text) < 6:
        return text
    spans: list[tuple[int, int]] = []
    for found in _NAMES.finditer(text):
        span = _value_after(text, found.end()) or _argument_after(text, *found.span())
        if span is not None:
            spans.append(span)
    if "://" in text:
        spans += [found.span(1) for found in _ADDRESS.finditer(text)]
    spans += [found.span(1) for found in _BEARER.finditer(text)]
    if not spans:
        return text
    parts: list[str] = []
    position = 0
    for start, stop in sorted(spans):
        if start < position:
            continue
        parts += (text[position:start], "*" * (stop - start))
        position = stop
    return "".join([*parts, text[position:]])


def masked_lines(text: str) -> str:
    """Return a text of many lines masked line by line, so that a quote left open hides no more than its line."""
    return "\n".join(map(masked, text.split("\n")))


def _value_after(text: str, position: int) -> tuple[int, int] | None:
    """Return the span of the value that is set under a name which ends at or after a position."""
    limit = min(position + _BETWEEN, len(text))
    while position < limit and (text[position].isalnum() or text[position] in "_-"):
        position += 1
    while position < limit and text[position] in "\"'])":
        position += 1
    sign = _sign(text, position, limit)
    if sign is None:
        return None
    position, one = sign
    if one == ":":
        # an annotation stands between a name and its value: `token: str = "..."`
        after = position
        while after < limit and (text[after].isalnum() or text[after] in "_ |[]."):
            after += 1
        again = _sign(text, after, limit)
        if again is not None and again[1] == "=":
            position = again[0]
    quoted = _QUOTED.match(text, position)
    if quoted is not None:
        end = text.find(quoted[1], quoted.end())
        end = len(text) if end < 0 else end
        return (quoted.end(), end) if end > quoted.end() else None
    bare = _BARE.match(text, position)
    if bare is None or text[bare.end() : bare.end() + 1] in ("(", "["):
        return None
    word = bare[0]
    if any(character.isdigit() for character in word) and any(character.isalpha() for character in word):
        return bare.span()
    return None


def _argument_after(text: str, start: int, end: int) -> tuple[int, int] | None:
    """Return the span of the word behind an option such as `--token`, on a command line or in its words joined by NUL."""
    least = max(start - _BETWEEN, 0)
    while start > least and (text[start - 1].isalnum() or text[start - 1] in "_-"):
        start -= 1
    if not text.startswith("-", start):
        return None
    most = min(end + _BETWEEN, len(text))
    while end < most and (text[end].isalnum() or text[end] in "_-"):
        end += 1
    if text[end : end + 1] not in (" ", "\0"):
        return None
    stop = end + 1
    while stop < len(text) and stop - end < 400 and text[stop] not in " \0\n":
        stop += 1
    return (end + 1, stop) if stop > end + 1 and text[end + 1] != "-" else None


def _sign(text: str, position: int, limit: int) -> tuple[int, str] | None:
    """Return where a value begins behind `=`, `:`, `<-` or `:=`, and that sign."""
    while position < limit and text[position] == " ":
        position += 1
    for sign in (":=", "<-", "=", ":"):
        if text.startswith(sign, position):
            if sign == "=" and text.startswith("==", position):
                return None
            position += len(sign)
            while position < len(text) and text[position] == " ":
                position += 1
            return position, "=" if sign != ":" else ":"
    return None


def masked_jam(jam: Jam) -> Jam:
    """Return a jam with secrets hidden in all its texts; only what a key would write into a file stays as it is."""
    if not _suspicious(jam):
        return jam
    return msgspec.convert(_walk(msgspec.to_builtins(jam)), Jam)


def _suspicious(jam: Jam) -> bool:
    text = msgspec.json.encode(jam).decode()
    return bool(_NAMES.search(text)) or "://" in text or bool(_BEARER.search(text))


def _walk(value: Any) -> Any:
    if isinstance(value, str):
        return masked(value)
    if isinstance(value, dict):
        return {key: inner if key in ("new_text", "file") else _walk(inner) for key, inner in value.items()}
    if isinstance(value, (list, tuple)):
        return [_walk(inner) for inner in value]
    return value
