"""The modules that come with a language, as far as the lines name them that give a name (`homes.py`)."""

from __future__ import annotations

import re
from functools import cache

from jamkey.languages.homes import lines_of

_NAMED = re.compile(r"#include <([^>]+)>|import (?:static )?([\w.]+);")


@cache
def modules_of(language: str, file: str = "") -> frozenset[str]:
    """Return the modules that are known to be there, and the packages that hold them.

    Args:
        language: as in `Language.name`.
        file: that asks; its ending tells C++ from C.
    """
    found: set[str] = set()
    for match in _NAMED.finditer(lines_of(language, file)):
        name = match[1] or match[2]
        found.add(name)
        while match[2] and "." in name:
            name = name.rpartition(".")[0]
            found.add(name)
    return frozenset(found)
