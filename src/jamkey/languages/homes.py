"""Where a name comes from: the lines that give it, counted in real code or asked of the runtimes (`benchmarks/homes.py`)."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files

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
def packages() -> frozenset[str]:
    """Return the modules that Python code is seen to import, by their first name."""
    return frozenset(line.split()[1].partition(".")[0] for lines in _tables().get("python", {}).values() for line in lines)


@cache
def _tables() -> dict[str, dict[str, list[str]]]:
    text = files("jamkey.languages").joinpath("homes.json").read_text(encoding="utf-8")
    tables: dict[str, dict[str, list[str]]] = json.loads(text)
    return tables
