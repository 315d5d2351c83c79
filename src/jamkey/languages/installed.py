"""Members of the standard library's modules and of the built-in types, without running anything of the user's."""

from __future__ import annotations

import builtins
from functools import cache
from importlib import import_module

#: Modules whose import does nothing but define names.
_HARMLESS = frozenset(
    """
    math cmath statistics random csv json re os os.path sys time datetime calendar itertools functools collections
    string pathlib decimal fractions operator copy glob shutil textwrap bisect heapq io enum dataclasses typing pprint
    struct hashlib uuid tempfile logging argparse subprocess threading queue zipfile gzip sqlite3
""".split()
)


@cache
def members_of(module: str) -> tuple[str, ...]:
    """Return the public names of a harmless standard module, nothing for any other."""
    if module not in _HARMLESS:
        return ()
    try:
        return tuple(name for name in dir(import_module(module)) if not name.startswith("_"))
    except ImportError:
        return ()


@cache
def members_of_type(name: str) -> tuple[str, ...]:
    """Return the members of a built-in type, or of one in a harmless module such as `datetime.date`."""
    kind = getattr(builtins, name, None)
    if kind is None and "." in name:
        module, _, short = name.rpartition(".")
        if module in _HARMLESS:
            kind = getattr(import_module(module), short, None)
    if not isinstance(kind, type):
        return ()
    return tuple(member for member in dir(kind) if not member.startswith("__"))
