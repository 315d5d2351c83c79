"""What the runtimes' own types, modules and global objects have: asked of them by `benchmarks/members.py`."""

from __future__ import annotations

import functools
from collections.abc import Mapping, Sequence

from jamkey.packaged import entry

#: How runtimes call the type of a value -> whose members it has.
_ALSO = {
    "javascript": {"string": "String", "number": "Number", "boolean": "Boolean", "bigint": "BigInt", "symbol": "Symbol"},
    "lua": {"userdata": "file"},
}


@functools.cache
def _table(name: str) -> dict[str, list[str]]:
    return entry("languages/members.json", name, dict[str, list[str]]) or {}


@functools.cache
def own_members(language: str) -> Mapping[str, Sequence[str]]:
    """Return the names that each type, module or global object of a language has; none for a language nobody asked.

    Args:
        language: by name, as in `languages`.
    """
    found = {kind: names for kind, names in _table(language).items() if kind}
    return found | {word: found[kind] for word, kind in _ALSO.get(language, {}).items() if kind in found}


@functools.cache
def own_names(language: str) -> frozenset[str]:
    """Return the names of a language that stand alone: functions of R and Octave, Lua's globals."""
    return frozenset(_table(language).get("", ()))


@functools.cache
def takers(language: str) -> Mapping[str, frozenset[str]]:
    """Return which of the language's own functions take an argument, by its name; none where nobody asked."""
    return {name: frozenset(functions) for name, functions in _table(f"{language} arguments").items()}
