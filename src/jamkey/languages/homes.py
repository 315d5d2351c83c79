"""Where a name comes from: the lines that give it, counted in real code or asked of the runtimes (`benchmarks/homes.py`)."""

from __future__ import annotations

from jamkey.packaged import row, rows

#: Language, name, and the lines that give it; one row a name.
_TABLE = "languages/homes.tsv"
#: Endings of C++, whose library is another than C's.
_CPP = (".cpp", ".cc", ".cxx", ".hpp", ".hh", ".mm")


def homes(language: str, name: str, file: str = "") -> tuple[str, ...]:
    """Return the import lines that give a name in a language, the most usual first; none where none is known.

    Args:
        language: as in `Language.name`.
        name: of a module, a class, a function.
        file: that needs it; its ending tells C++ from C.
    """
    found = row(_TABLE, "cpp", name) if language == "c" and file.endswith(_CPP) else []
    return tuple(found or row(_TABLE, language, name))


def lines_of(language: str, file: str = "") -> str:
    """Return all lines that give a name in a language, one row a name.

    Args:
        language: as in `Language.name`.
        file: its ending tells C++ from C.
    """
    return rows(_TABLE, "cpp" if language == "c" and file.endswith(_CPP) else language)
