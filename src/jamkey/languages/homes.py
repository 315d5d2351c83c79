"""Where a name comes from: the lines that give it, counted in real code or asked of the runtimes (`benchmarks/homes.py`)."""

from __future__ import annotations

import os
from functools import cache

import msgspec

#: Endings of C++, whose library is another than C's.
_CPP = (".cpp", ".cc", ".cxx", ".hpp", ".hh", ".mm")


def homes(language: str, name: str, file: str = "") -> tuple[str, ...]:
    """Return the import lines that give a name in a language, the most usual first; none where none is known.

    Args:
        language: as in `Language.name`.
        name: of a module, a class, a function.
        file: that needs it; its ending tells C++ from C.
    """
    table = _tables()
    found = table.get("cpp", {}).get(name, ()) if language == "c" and file.endswith(_CPP) else ()
    return tuple(found or table.get(language, {}).get(name, ()))


@cache
def _tables() -> dict[str, dict[str, list[str]]]:
    # `importlib.resources` would load the readers of archives for it
    with open(os.path.join(os.path.dirname(os.path.abspath(__file__)), "homes.json"), "rb") as file:
        return msgspec.json.decode(file.read(), type=dict[str, dict[str, list[str]]])
