"""What sort of thing a captured value is, whatever runtime described it."""

from __future__ import annotations

import re

from jamkey.late import pattern
from jamkey.model import Value

#: Types of which nothing is the only value.
MISSING_TYPES = ("NoneType", "Nil", "nil", "NULL", "null", "undefined")
#: How languages whose names have types of their own show nothing.
NOTHING = ("null", "NULL", "nil", "nullptr", "Nothing", "undefined")
#: Characters of a row of numbers that are looked at.
_LONGEST = 400
GAPS = ("nan", "na", "nat", "<na>")
#: What the runtimes call a text.
TEXT_TYPES = frozenset({"str", "string", "character", "char", "String", "bytes"})
_NUMBER = pattern(
    r"(?:const )?(?:std::)?(?:(?:un)?signed )?(?:long |short )*(?:u?int\d*(?:_t)?|float\d*|double|long|short|size_t|NSU?Integer"
    r"|number|numeric|integer|complex\d*|[bB]ig[iI]nt|Decimal|Fraction|Integer|Long|Short|Double|Float)(?: ?&)?"
)
#: Numbers and gaps, and what stands between them.
_ROW = pattern(r"[\s\d.,;+\-eE\[\](){}]*(?:(?:NA|NaN|nan)[\s\d.,;+\-eE\[\](){}]*)+")

#: Sort -> what the runtimes call other types of it.
_SORTS = {
    "list": "list tuple Array ArrayList List vector LinkedList cell array ImmutableCollections.ListN",
    "pairs": "dict Map HashMap TreeMap Object table struct object LinkedHashMap defaultdict Counter",
    "set": "set Set HashSet TreeSet frozenset",
    "numbers": "ndarray matrix Series double[] int[]",
    "a table": "DataFrame data.frame",
    "function": "function Function method builtin_function_or_method closure builtin function_handle type",
    "truth": "bool boolean logical Boolean",
    "coming": "coroutine Promise Future Task CompletableFuture",
}
_WRITTEN = pattern(r"\s*[-+]?\d{1,12}(?:[.,]\d{1,12})?\s*%?\s*")
_SORT_OF = {type_: sort for sort, types in _SORTS.items() for type_ in types.split()}


def _is_number_type(name: str) -> bool:
    return name in ("int", "float") or _NUMBER.fullmatch(name) is not None


def sort_of_type(type_: str) -> str:
    """Return the sort that a type of any runtime belongs to; the empty text for one of the program's own, or unknown."""
    for name in (type_, type_.rpartition(".")[2]):
        if name in _SORT_OF:
            return _SORT_OF[name]
    name = type_.rpartition(".")[2]
    return "nothing" if name in MISSING_TYPES else "text" if name in TEXT_TYPES else "number" if _is_number_type(name) else ""


def sort_of(value: Value) -> str:
    """Return the last word of a value's type."""
    return value.type.rpartition(".")[2]


def is_missing(value: Value) -> bool:
    """Tell whether it is the word for nothing."""
    return value.type in MISSING_TYPES or value.text in NOTHING


def gap_of(value: Value) -> str:
    """Return the word for a gap that a value is, or that stands among its numbers; empty for none."""
    if is_gap(value):
        return value.text
    found = re.search(r"NA|NaN|nan", value.text) if _ROW.fullmatch(value.text[:_LONGEST]) else None
    return found[0] if found is not None else ""


def is_gap(value: Value) -> bool:
    """Tell whether it is the word for a gap."""
    return value.text.lower() in GAPS


def is_written_number(value: Value) -> bool:
    """Tell a text that holds a number, as it comes from a file, a form or a command line."""
    return is_text(value) and _WRITTEN.fullmatch(value.text.strip("'\"")) is not None


def is_text(value: Value) -> bool:
    """Tell whether it is a text."""
    return sort_of(value) in TEXT_TYPES or value.text.startswith('"')


def is_number(value: Value) -> bool:
    """Tell whether it is a single number."""
    return _is_number_type(sort_of(value))
