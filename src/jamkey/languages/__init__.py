"""LANGUAGE -> FACTS: what a language's source looks like, and how one writes the usual small things in it."""

from __future__ import annotations

from pathlib import PurePath

from jamkey.languages.base import Language
from jamkey.shelf import Shelf

#: Language -> its facts; loaded when first asked for.
SHELF = Shelf(
    {
        "python": "jamkey.languages.python:LANGUAGE",
        "javascript": "jamkey.languages.javascript:LANGUAGE",
    },
    group="jamkey.languages",
)

#: File ending -> language.
ENDINGS = {
    ".py": "python",
    ".pyw": "python",
    ".ipynb": "python",
    ".js": "javascript",
    ".mjs": "javascript",
    ".cjs": "javascript",
}

#: Runtime -> language, where their names differ.
RUNTIMES = {"pypy": "python"}


def language_of(file: str, runtime: str = "") -> Language | None:
    """Return the language of a file by its ending, else by the runtime it ran on; None when unknown."""
    name = ENDINGS.get(PurePath(file).suffix.lower()) or RUNTIMES.get(runtime, runtime)
    return SHELF.get(name) if name in SHELF else None
