"""MESSAGE -> KIND: one table per runtime, its messages with named holes, each mapped to a universal kind.

A table is TOML: `[[phrase]]` with `kind`, optional `type` (one name or several) and `text` (one wording or
several); `[types]` gives the kind of a type whose message is not known; `[[tail]]` wordings that a runtime
appends to any message, `[[aside]]` those that it puts in anywhere. Holes: `{name}` takes text up to the next literal,
`{n:int}` only a whole number, `{rest*}` everything left. Matching is a left-to-right search for literals: linear, no
backtracking.
"""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from functools import cache, lru_cache

import msgspec

from jamkey.model import Struct
from jamkey.packaged import entry
from jamkey.text import plain_quotes

#: Runtime -> table beside this file.
TABLES = {
    name: f"{name}.toml"
    for name in (
        "python",
        "javascript",
        "typescript",
        "java",
        "c",
        "r",
        "octave",
        "lua",
        "supercollider",
        "julia",
        "stata",
        "basic",
        "swift",
    )
}

#: Messages whose kinds are kept in mind: a log says the same thousands of times, and each is asked for more than once.
_KEPT = 512
#: Runtimes that share a table.
_SAME = {"pypy": "python", "objective-c": "swift"}

#: A message is held against each wording of a table: its quotes are made plain once.
_plain = lru_cache(maxsize=_KEPT)(plain_quotes)

#: The tables with their patterns cut, written by `make phrases`: reading TOML at every failure would cost more.
_CUT = os.path.join(os.path.dirname(os.path.abspath(__file__)), "cut.json")


class Pattern(Struct, frozen=True, kw_only=True):
    """One wording, cut at its holes: literals[i] stands before holes[i]; the last literal ends it."""

    literals: tuple[str, ...]
    holes: tuple[str, ...]

    def match(self, text: str) -> dict[str, str] | None:
        """Return the holes' texts when the whole of `text` fits, else None; one pair of quotes is as good as another."""
        told, text = text, _plain(text)
        if not text.startswith(self.literals[0]):
            return None
        position = len(self.literals[0])
        facts: dict[str, str] = {}
        for index, hole in enumerate(self.holes):
            following = self.literals[index + 1]
            if hole.endswith("*"):
                stop = len(text)
            elif hole.endswith(":int"):
                stop = len(text) - len(text[position:].lstrip("-0123456789"))
                if not text.startswith(following, stop):
                    return None
            elif index == len(self.holes) - 1:
                stop = len(text) - len(following)
                if stop < position or not text.endswith(following):
                    return None
            else:
                stop = text.find(following, position)
            found = text[position:stop] if stop >= position else ""
            if stop < position or (not found and not hole.endswith("*")):
                return None
            name, _, sort = hole.rstrip("*").partition(":")
            if sort == "int" and not found.strip().lstrip("-").isdigit():
                return None
            if name:
                facts[name] = told[position:stop]
            position = stop + (0 if hole.endswith("*") else len(following))
        return facts if position >= len(text) else None


class Phrase(Struct, frozen=True, kw_only=True):
    """A kind with the wordings that mean it."""

    kind: str
    types: tuple[str, ...]
    patterns: tuple[Pattern, ...]


class Table(Struct, frozen=True, kw_only=True):
    """One runtime's messages."""

    phrases: tuple[Phrase, ...]
    types: dict[str, str]
    #: Wordings appended to any message, with the kind that they decide, if they do.
    tails: tuple[tuple[Pattern, str | None], ...]
    defaults: dict[str, str]
    #: Beginning and end of what is said aside, anywhere in a message.
    asides: tuple[tuple[str, str], ...] = ()


def compile_pattern(text: str) -> Pattern:
    """Cut a wording at its holes; `{{` and `}}` stand for the characters themselves."""
    literals = [""]
    holes: list[str] = []
    position, text = 0, _plain(text)
    while position < len(text):
        pair = text[position : position + 2]
        if pair in ("{{", "}}"):
            literals[-1] += pair[0]
            position += 2
        elif text[position] == "{":
            end = text.index("}", position)
            holes.append(text[position + 1 : end])
            literals.append("")
            position = end + 1
        else:
            literals[-1] += text[position]
            position += 1
    return Pattern(literals=tuple(literals), holes=tuple(holes))


def _several(value: str | Sequence[str] | None) -> tuple[str, ...]:
    return () if value is None else (value,) if isinstance(value, str) else tuple(value)


def compile_table(text: str) -> Table:
    """Return the table that a TOML text holds, its patterns cut."""
    import tomllib

    data = tomllib.loads(text)
    phrases = tuple(
        Phrase(
            kind=entry["kind"],
            types=_several(entry.get("type")),
            patterns=tuple(compile_pattern(text) for text in _several(entry["text"])),
        )
        for entry in data["phrase"]
    )
    tails = tuple(
        (compile_pattern(text), entry.get("kind")) for entry in data.get("tail", ()) for text in _several(entry["text"])
    )
    cut = [compile_pattern(text).literals for entry in data.get("aside", ()) for text in _several(entry["text"])]
    return Table(
        phrases=phrases,
        types=data.get("types", {}),
        tails=tails,
        defaults=data.get("defaults", {}),
        asides=tuple((literals[0], literals[-1]) for literals in cut),
    )


def compile_all() -> bytes:
    """Return what cut.json holds: every table, compiled."""
    folder = os.path.dirname(_CUT)
    tables: dict[str, Table] = {}
    for runtime, name in TABLES.items():
        with open(os.path.join(folder, name), encoding="utf-8") as handle:
            tables[runtime] = compile_table(handle.read())
    return msgspec.json.encode(tables) + b"\n"


@cache
def table(runtime: str) -> Table:
    """Return the compiled table of a runtime; an unknown runtime has an empty one."""
    return entry("phrases/cut.json", _SAME.get(runtime, runtime), Table) or Table(phrases=(), types={}, tails=(), defaults={})


def classify(
    runtime: str, exception_type: str | None, message: str | None, phase: str = "run"
) -> tuple[str | None, dict[str, str]]:
    """Return the universal kind and the named facts of a message.

    Args:
        runtime: as in `Jam.runtime`.
        exception_type: the runtime's own name; a module before it does not matter.
        message: as printed; a long one is looked at only in its first 4,000 characters.
        phase: `hang` and `compile` decide where the message does not.
    """
    known, short = table(runtime), _short(exception_type)
    kind, facts = _by_words(runtime, short, _looked_at(message))
    kind = kind or known.types.get(short) or (_by_refusal(known, message) if phase == "compile" else None)
    return kind or known.defaults.get(phase) or _by_ending(short, known.types), dict(facts)


def _by_refusal(known: Table, message: str | None) -> str | None:
    """Return what a compiler refuses, by the words that compilers use; None of a runtime that has no such table."""
    if "refusals" not in known.defaults:
        return None
    from jamkey.phrases.signs import kind_by_refusal

    return kind_by_refusal(message)


def is_worded(runtime: str, exception_type: str | None, message: str | None) -> bool:
    """Tell whether a runtime's table knows a message by its words."""
    return _by_words(runtime, _short(exception_type), _looked_at(message))[0] is not None


#: Letters of a wording from which it is known without its type.
_TELLING = 12


def told_by_words(runtime: str, message: str) -> tuple[str, dict[str, str]] | None:
    """Return kind and facts of a message whose type is not known; None where no telling wording fits the whole of it."""
    for phrase in table(runtime).phrases:
        for pattern in phrase.patterns:
            if sum(map(len, pattern.literals)) >= _TELLING and (facts := pattern.match(message)) is not None:
                return phrase.kind, facts
    return None


def told_by_type(runtime: str, exception_type: str, message: str) -> bool:
    """Tell whether a wording that is said of this very type only fits a message."""
    short = _short(exception_type)
    return any(
        short in phrase.types and any(pattern.match(message) is not None for pattern in phrase.patterns)
        for phrase in table(runtime).phrases
    )


def known_type(runtime: str, exception_type: str) -> bool:
    """Tell whether a runtime's table has a type of failure."""
    return _short(exception_type) in table(runtime).types


def is_fallback(runtime: str, exception_type: str | None, message: str | None) -> bool:
    """Tell whether nothing but a runtime's last resort names the kind: neither the words nor the type are known."""
    return _short(exception_type) not in table(runtime).types and not is_worded(runtime, exception_type, message)


def _short(exception_type: str | None) -> str:
    return (exception_type or "").rsplit(".", 1)[-1]


def _looked_at(message: str | None) -> str:
    return (message or "").strip()[:4000]


@lru_cache(maxsize=_KEPT)
def _by_words(runtime: str, short: str, message: str) -> tuple[str | None, Mapping[str, str]]:
    """Return the kind that the words of a message decide, None where none does, and the facts in them."""
    known = table(runtime)
    text, facts, decided = _without_tails(_without_asides(message, known.asides), known.tails)
    for candidate in dict.fromkeys((text, text.split("\n", 1)[0])):
        for phrase in known.phrases:
            if phrase.types and short not in phrase.types:
                continue
            for pattern in phrase.patterns:
                found = pattern.match(candidate)
                if found is not None:
                    return decided or phrase.kind, {**facts, **found}
    return decided, facts


def _by_ending(short: str, types: Mapping[str, str]) -> str | None:
    """Any other exception is the program's or a library's own check."""
    return types.get("*") if short else None


def _without_asides(text: str, asides: Sequence[tuple[str, str]]) -> str:
    """Leave out what the runtime says aside within any message."""
    for begin, end in asides:
        start = _plain(text).find(begin)
        while start >= 0 and (stop := _plain(text).find(end, start + len(begin))) >= 0:
            text = text[:start] + text[stop + len(end) :]
            start = _plain(text).find(begin, start)
    return text


def _without_tails(text: str, tails: Sequence[tuple[Pattern, str | None]]) -> tuple[str, dict[str, str], str | None]:
    """Take off what the runtime appends to any message, keeping what it tells."""
    facts: dict[str, str] = {}
    decided: str | None = None
    for tail, kind in tails:
        start = _plain(text).rfind(tail.literals[0])
        if start <= 0:
            continue
        found = tail.match(text[start:])
        if found is not None:
            facts.update(found)
            decided = decided or kind
            text = text[:start]
    return text, facts, decided
