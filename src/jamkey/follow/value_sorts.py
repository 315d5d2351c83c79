"""What sort of thing a captured value is, whatever runtime described it."""

from __future__ import annotations

import re

from jamkey.model import Value

#: Types of which nothing is the only value.
MISSING_TYPES = ("NoneType", "Nil", "nil", "NULL", "null", "undefined")
#: How languages whose names have types of their own show nothing.
NOTHING = ("null", "NULL", "nil", "nullptr", "Nothing", "undefined")
GAPS = ("nan", "na", "nat", "<na>")
#: What the runtimes call a text.
TEXT_TYPES = frozenset({"str", "string", "character", "char", "String", "bytes"})
_NUMBERS = frozenset(
    "int float number numeric integer double complex Decimal Fraction long short Integer Long Double Float size_t".split()
)
_GAP = re.compile(r"(?<![\w.'\"])(?:NA|NaN|nan)(?![\w.'\"])")


def sort_of(value: Value) -> str:
    """Return the last word of a value's type."""
    return value.type.rpartition(".")[2]


def is_missing(value: Value) -> bool:
    """Tell whether it is the word for nothing."""
    return value.type in MISSING_TYPES or value.text in NOTHING


def gap_of(value: Value) -> str:
    """Return the word for a gap that a value is, or that stands among its items; empty for none."""
    if value.text.lower() in GAPS:
        return value.text
    found = None if is_text(value) else _GAP.search(value.text)
    return found[0] if found is not None else ""


def is_text(value: Value) -> bool:
    """Tell whether it is a text."""
    return sort_of(value) in TEXT_TYPES or value.text.startswith('"')


def is_number(value: Value) -> bool:
    """Tell whether it is a single number."""
    return sort_of(value) in _NUMBERS or "int" in value.type or "float" in value.type
