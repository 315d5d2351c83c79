"""Which commands a shell would find on this machine."""

from __future__ import annotations

import os

#: Files that are looked at.
_MOST = 20_000


def commands() -> list[str]:
    """Return the names of the files in the folders in which commands are sought, each once."""
    found: dict[str, None] = {}
    for folder in os.get_exec_path():
        try:
            entries = os.scandir(folder)
        except OSError:
            continue
        with entries:
            for entry in entries:
                found.setdefault(entry.name.removesuffix(".exe"), None)
                if len(found) >= _MOST:
                    return list(found)
    return list(found)
