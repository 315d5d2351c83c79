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
        "typescript": "jamkey.languages.typescript:LANGUAGE",
        "java": "jamkey.languages.java:LANGUAGE",
        "c": "jamkey.languages.c:LANGUAGE",
        "objective-c": "jamkey.languages.objective_c:LANGUAGE",
        "r": "jamkey.languages.r:LANGUAGE",
        "octave": "jamkey.languages.octave:LANGUAGE",
        "lua": "jamkey.languages.lua:LANGUAGE",
        "supercollider": "jamkey.languages.supercollider:LANGUAGE",
        "julia": "jamkey.languages.julia:LANGUAGE",
        "stata": "jamkey.languages.stata:LANGUAGE",
        "basic": "jamkey.languages.basic:LANGUAGE",
        "swift": "jamkey.languages.swift:LANGUAGE",
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
    ".ts": "typescript",
    ".mts": "typescript",
    ".cts": "typescript",
    ".tsx": "typescript",
    ".java": "java",
    ".c": "c",
    ".h": "c",
    ".cpp": "c",
    ".cc": "c",
    ".cxx": "c",
    ".hpp": "c",
    ".r": "r",
    ".rmd": "r",
    ".qmd": "r",
    ".m": "octave",
    ".mm": "objective-c",
    ".lua": "lua",
    ".scd": "supercollider",
    ".sc": "supercollider",
    ".jl": "julia",
    ".do": "stata",
    ".ado": "stata",
    ".bas": "basic",
    ".cls": "basic",
    ".swift": "swift",
}

#: Language -> the one whose words are put into it.
LIKE = {"objective-c": "c", "typescript": "javascript"}
#: Runtime -> language, where their names differ.
RUNTIMES = {"pypy": "python"}


def is_source(file: str) -> bool:
    """Tell a file of code, by its ending or for want of one, from one of data."""
    suffix = PurePath(file).suffix.lower()
    return not suffix or suffix in ENDINGS


def language_of(file: str, runtime: str = "") -> Language | None:
    """Return the language of a file by its ending, else by the runtime it ran on; None when unknown."""
    suffix = PurePath(file).suffix.lower()
    if suffix == ".m" and runtime in ("objective-c", "c", "swift"):
        name = "objective-c"
    else:
        name = ENDINGS.get(suffix) or RUNTIMES.get(runtime, runtime)
    return SHELF.get(name) if name in SHELF else None
