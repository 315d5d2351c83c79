"""Jam Key: reads the failure of a script, finds your line and the root behind it, and offers fixes it has tried.

>>> import jamkey
>>> jams = jamkey.read("Traceback (most recent call last):\\n  File \\"hives.py\\", line 3, in <module>\\n"
...                    "    print(wieght)\\nNameError: name 'wieght' is not defined\\n")
>>> jams[0].kind, jams[0].facts["name"]
('unknown-name', 'wieght')
"""

from __future__ import annotations

TYPE_CHECKING = False  # type checkers take the name for true; importing `typing` would cost more than all the rest

__version__ = "0.1.0"

#: Public name -> module it comes from; loaded when first used, so that `import jamkey` costs next to nothing.
_PUBLIC = {
    "CellReport": "jamkey.model",
    "Change": "jamkey.model",
    "Edit": "jamkey.model",
    "Finding": "jamkey.model",
    "Frame": "jamkey.model",
    "Jam": "jamkey.model",
    "Job": "jamkey.model",
    "JamkeyError": "jamkey.errors",
    "Key": "jamkey.model",
    "Kin": "jamkey.model",
    "Pile": "jamkey.model",
    "Place": "jamkey.model",
    "Report": "jamkey.model",
    "Root": "jamkey.model",
    "Sources": "jamkey.follow.sources",
    "Step": "jamkey.model",
    "Trial": "jamkey.model",
    "Value": "jamkey.model",
    "apply": "jamkey.api",
    "attach": "jamkey.doors.attach",
    "cells": "jamkey.tables.find",
    "check": "jamkey.api",
    "diagnose": "jamkey.pipeline",
    "keys": "jamkey.api",
    "pile": "jamkey.api",
    "load_ipython_extension": "jamkey.doors.extension",
    "read": "jamkey.pipeline",
    "read_exception": "jamkey.api",
    "run": "jamkey.api",
    "trail": "jamkey.api",
    "try_keys": "jamkey.api",
    "undo": "jamkey.api",
    "unload_ipython_extension": "jamkey.doors.extension",
}

__all__ = [
    "CellReport",
    "Change",
    "Edit",
    "Finding",
    "Frame",
    "Jam",
    "JamkeyError",
    "Job",
    "Key",
    "Kin",
    "Pile",
    "Place",
    "Report",
    "Root",
    "Sources",
    "Step",
    "Trial",
    "Value",
    "apply",
    "attach",
    "cells",
    "check",
    "diagnose",
    "keys",
    "load_ipython_extension",
    "pile",
    "read",
    "read_exception",
    "run",
    "trail",
    "try_keys",
    "undo",
    "unload_ipython_extension",
]

if TYPE_CHECKING:
    from jamkey.api import apply, check, keys, pile, read_exception, run, trail, try_keys, undo
    from jamkey.doors.attach import attach
    from jamkey.doors.extension import load_ipython_extension, unload_ipython_extension
    from jamkey.errors import JamkeyError
    from jamkey.follow.sources import Sources
    from jamkey.model import (
        CellReport,
        Change,
        Edit,
        Finding,
        Frame,
        Jam,
        Job,
        Key,
        Kin,
        Pile,
        Place,
        Report,
        Root,
        Step,
        Trial,
        Value,
    )
    from jamkey.pipeline import diagnose, read
    from jamkey.tables.find import cells


def __getattr__(name: str) -> object:
    """Load a public name on first use."""
    if name in _PUBLIC:
        from importlib import import_module

        value = getattr(import_module(_PUBLIC[name]), name)
        globals()[name] = value
        return value
    raise AttributeError(f"module 'jamkey' has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted(__all__)
