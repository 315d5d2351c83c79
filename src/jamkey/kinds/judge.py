"""What every key must satisfy before anybody sees it, whatever made it."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from functools import lru_cache
from pathlib import PurePath

from jamkey.follow.sources import Sources
from jamkey.languages import SHELF, is_source
from jamkey.languages.base import Language
from jamkey.languages.scan import Style, prose
from jamkey.model import Edit, Key
from jamkey.text import lines_of, offset, splice

#: Texts of which the first error and the prose are kept in mind: all keys of a reading are edits of the same few.
_KEPT = 4


def sound_keys(keys: Iterable[Key], sources: Sources, runtime: str) -> list[Key]:
    """Return the keys that leave a text that can still be read and that change code, not what only talks about it."""
    return [key for key in keys if sound(key.edits, sources, runtime)]


def sound(edits: Sequence[Edit], sources: Sources, runtime: str) -> bool:
    """Tell whether edits keep what parsed parsing, stay out of comments and docstrings, and within the project."""
    for file in {edit.file for edit in edits}:
        if sources.root is not None and (os.path.isabs(file) or file.startswith("../")):
            return False  # not the project's: nobody may change it
        language = language_of_source(file, sources, runtime)
        text = sources.text(file)
        if language is None or text is None or file.endswith(".ipynb"):
            continue
        own = [edit for edit in edits if edit.file == file and edit.cell is None]
        try:
            changed = splice(text, own)
        except ValueError:
            return False
        if not still_parses(text, changed, language, PurePath(file).suffix.lower()) or _only_talks(text, own, language):
            return False
    return True


def still_parses(before: str, after: str, language: Language, ending: str = "") -> bool:
    """Tell whether a change leaves a text that the parser takes, where it took the one before, or one that fits no worse."""
    if language.name != "python":
        from jamkey.languages import trees

        tree, changed = (trees.judge(language.name, ending, text) for text in (before, after))
        if tree is not None and changed is not None:
            return changed.errors <= tree.errors
    return bool(_first_error(before, language.name)) or not language.first_error(after)


@lru_cache(maxsize=_KEPT)
def _first_error(text: str, language: str) -> int | None:
    found = SHELF.get(language)
    return found.first_error(text) if found is not None else None


@lru_cache(maxsize=_KEPT)
def _prose(text: str, style: Style) -> list[tuple[int, int]]:
    return prose(text, style)


def _only_talks(text: str, edits: Sequence[Edit], language: Language) -> bool:
    """Tell an edit within a comment or a docstring."""
    lines = lines_of(text)
    spans = [(offset(lines, edit.line, edit.column), offset(lines, edit.end_line, edit.end_column)) for edit in edits]
    quiet = _prose(text, language.style)
    return any(start < begin and end <= stop for begin, end in spans if begin < end for start, stop in quiet)


def language_of_source(file: str, sources: Sources, runtime: str) -> Language | None:
    """Return the language of a source file; None for data, whatever the runtime."""
    return sources.language(file, runtime) if is_source(file) else None
