"""Secrets are hidden in everything that is stored or written: by the name they stand under, or by their form.

The agent masks values by name before they leave the program; this is for text: source lines, messages, addresses.
A masked stretch keeps its length, so that columns and marks stay where they are.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import msgspec

from jamkey.late import pattern
from jamkey.model import Jam

_NAMES = pattern(
    r"(?i)passw(?:or)?d|passphrase|secret|token|api_?key|access_?key|private_?key|credential|authorization"
    r"|(?<![^\W_])(?:pwd?|auth|cookie|key)(?![^\W_])|(?<=[a-z])(?-i:Pwd|Auth|Cookie)(?![a-z])"
)
#: Of these names a bare word of letters alone may be the value.
_PASSWORDS = pattern(r"(?i)passw(?:or)?d|passphrase|pwd?")
_WORDS_OF_CODE = frozenset(("none", "null", "true", "false", "nil", "str", "string", "self", "undefined", "required", "nan"))
#: A value under so common a name is one only if it looks like chance.
_COMMON = frozenset(("key",))
#: Tokens whose form alone says what they are: three parts in base 64, or a short prefix and a long run of chance.
_SHORT = ("sk", "pk", "rk", "gho", "ghp", "ghs", "ghu", "glpat", "xoxa", "xoxb", "xoxp")
_SHAPES = pattern(
    r"\beyJ[A-Za-z0-9_-]{8,600}\.[A-Za-z0-9_-]{8,2000}\.[A-Za-z0-9_-]{8,600}"
    rf"|\b(?:{'|'.join(_SHORT)})[-_][A-Za-z0-9_-]{{16,200}}|\bAKIA[A-Z0-9]{{16}}\b"
)
_STARTS = ("eyJ", "AKIA", *(f"{start}{sign}" for start in _SHORT for sign in "-_"))
#: Values that a watched program has under a secret name: never stored, known only to hide them wherever they turn up.
_known: set[str] = set()
_LEAST = 5
_BEARER = pattern(r"(?i)\b(?:bearer|basic) ([A-Za-z0-9._~+/=-]{8,})")
#: The user part of an address is bounded, as is its password, so that the search stays linear.
_ADDRESS = pattern(r"://([^\s/@]{1,280})@")
_QUERY = pattern(r"(?i)[?&](?:sig|signature|auth|key|code|session|sid|jwt)=([^\s&\"'#]{4,400})")
_QUOTED = pattern(r"[rbfuRBFU]{0,2}(\"\"\"|'''|\"|')")
_BARE = pattern(r"[A-Za-z0-9_+/=.~-]{6,400}")
#: Characters between a name and its value that are looked through, such as `: str = `.
_BETWEEN = 60


def know(values: Iterable[str]) -> None:
    """Take in values that stand under secret names in a watched program, to hide them in all that is shown or kept."""
    _known.update(value for value in values if len(value) >= _LEAST and value.lower() not in _WORDS_OF_CODE)


def names_a_secret(text: str) -> bool:
    """Tell a line of code in which a name stands whose values are not shown."""
    return any(match[0].lower() not in _COMMON for match in _NAMES.finditer(text))


def held_text(name: str, text: str) -> str:
    """Return a watched value's text as it may be shown: not under the name of a secret.

    Args:
        name: what held it.
        text: how it is described.
    """
    if not names_a_secret(name):
        return text
    know({text.strip("\"'")})
    return "(hidden)"


def masked(text: str, values: Iterable[str] = ()) -> str:
    """Return the text with what looks like a secret replaced by as many asterisks.

    Args:
        text: one line or a short text.
        values: secrets known by their value, hidden wherever they stand.
    """
    if not text or len(text) < _LEAST:
        return text
    spans = _spans(text)
    for value in (*_known, *values):
        start = text.find(value)
        while start >= 0:
            spans.append((start, start + len(value)))
            start = text.find(value, start + len(value))
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


def _spans(text: str) -> list[tuple[int, int]]:
    """Return the stretches that look like secrets by the name before them, or by their form."""
    spans: list[tuple[int, int]] = []
    for found in _NAMES.finditer(text):
        span = _value_after(text, found.end(), found[0]) or _argument_after(text, *found.span())
        if span is not None and (found[0].lower() not in _COMMON or _is_chance(text[span[0] : span[1]])):
            spans.append(span)
    if "://" in text:
        spans += [found.span(1) for found in _ADDRESS.finditer(text)]
    return [*spans, *_formed(text)]


def _formed(text: str) -> Iterator[tuple[int, int]]:
    """Yield the stretches that look like secrets by their form; most texts have none of what these begin with."""
    if "?" in text or "&" in text:
        yield from (found.span(1) for found in _QUERY.finditer(text))
    folded = text.lower()
    if "bearer" in folded or "basic" in folded:
        yield from (found.span(1) for found in _BEARER.finditer(text))
    if any(start in text for start in _STARTS):
        yield from (found.span() for found in _SHAPES.finditer(text))


def _is_chance(word: str) -> bool:
    """Tell whether a word looks like one that no person made up: long, letters and digits mixed."""
    return (
        len(word) >= 12
        and not any(character.isspace() for character in word)
        and sum(character.isdigit() for character in word) >= 3
        and sum(character.isalpha() for character in word) >= 3
    )


def masked_lines(text: str) -> str:
    """Return a text of many lines masked line by line, so that a quote left open hides no more than its line."""
    return "\n".join(map(masked, text.split("\n")))


def _value_after(text: str, position: int, name: str) -> tuple[int, int] | None:
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
    letters = _PASSWORDS.fullmatch(name) is not None and text[position - 1] in "=:" and word.isalpha()
    if letters and word.lower() not in _WORDS_OF_CODE and not _PASSWORDS.search(word):
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
    built = msgspec.to_builtins(jam)
    return msgspec.convert(_walk(built, _hidden_in(built)), Jam)


def _hidden_in(value: Any) -> frozenset[str]:
    """Return the values that are hidden somewhere in a jam, to be hidden in the rest of it too."""
    if isinstance(value, str):
        found = {value[start:stop] for start, stop in _spans(value)}
        return frozenset(text for text in found if len(text) >= _LEAST and text.lower() not in _WORDS_OF_CODE)
    inner = value.values() if isinstance(value, dict) else value if isinstance(value, (list, tuple)) else ()
    return frozenset().union(*map(_hidden_in, inner))


def _suspicious(jam: Jam) -> bool:
    text = msgspec.json.encode(jam).decode()
    return (
        bool(_NAMES.search(text)) or "://" in text or any(True for _ in _formed(text)) or any(value in text for value in _known)
    )


#: What is not for reading: names of files and kinds, and what a key would write.
_AS_THEY_ARE = frozenset(("new_text", "file", "kind", "runtime", "what", "outcome"))


def _walk(value: Any, hidden: frozenset[str]) -> Any:
    if isinstance(value, str):
        return masked(value, hidden)
    if isinstance(value, dict):
        return {key: inner if key in _AS_THEY_ARE else _walk(inner, hidden) for key, inner in value.items()}
    if isinstance(value, (list, tuple)):
        return [_walk(inner, hidden) for inner in value]
    return value
