"""A shelf: a table of like modules by name. Listing imports nothing; a module loads when first asked for."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, Mapping
from importlib import import_module
from typing import Any


def _named_somewhere(group: str) -> bool:
    """Tell whether an installed package may name a group: what asks them all takes longer to load than to read a trace."""
    wanted = f"[{group}]".encode()
    for folder in sys.path:
        try:
            entries = os.scandir(folder or ".")
        except NotADirectoryError:
            return True  # packed packages: ask
        except OSError:
            continue
        with entries:
            for entry in entries:
                if entry.name.endswith((".dist-info", ".egg-info", ".egg")):
                    try:
                        with open(os.path.join(entry.path, "entry_points.txt"), "rb") as file:
                            if wanted in file.read():
                                return True
                    except FileNotFoundError:
                        continue
                    except OSError:
                        return True
    return False


class Shelf:
    """Modules by name, loaded late, with room for third parties.

    Args:
        table: name -> "module:attribute".
        group: the entry-point group under which other packages add to it, such as `jamkey.readers`.
    """

    def __init__(self, table: Mapping[str, str], group: str) -> None:
        self._table = dict(table)
        self._group = group
        self._loaded: dict[str, Any] = {}
        self._asked_outside = False

    def _ask_outside(self) -> None:
        """Add what other installed packages offer; costs an import, so only when a name is not ours."""
        if self._asked_outside:
            return
        self._asked_outside = True
        if not _named_somewhere(self._group):
            return
        from importlib.metadata import entry_points

        for point in entry_points(group=self._group):
            self._table.setdefault(point.name, point.value)

    def names(self, *, outside: bool = True) -> tuple[str, ...]:
        """Return all names in their order, importing none of the modules."""
        if outside:
            self._ask_outside()
        return tuple(self._table)

    def __contains__(self, name: object) -> bool:
        if name not in self._table:
            self._ask_outside()
        return name in self._table

    def get(self, name: str) -> Any:
        """Return what stands under `name`.

        Raises:
            KeyError: no such name.
        """
        if name not in self._loaded:
            if name not in self:
                raise KeyError(name)
            module, _, attribute = self._table[name].partition(":")
            self._loaded[name] = getattr(import_module(module), attribute)
        return self._loaded[name]

    def __iter__(self) -> Iterator[Any]:
        return (self.get(name) for name in self.names())
