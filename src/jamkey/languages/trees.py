"""Trees of broken text too: one grammar package a language, loaded when first asked for."""

from __future__ import annotations

import functools
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from importlib import import_module
from typing import Any

#: Language -> (package, function that gives its grammar).
_GRAMMARS = {
    "javascript": ("tree_sitter_javascript", "language"),
    "typescript": ("tree_sitter_typescript", "language_typescript"),
    "tsx": ("tree_sitter_typescript", "language_tsx"),
    "java": ("tree_sitter_java", "language"),
    "lua": ("tree_sitter_lua", "language"),
    "julia": ("tree_sitter_julia", "language"),
    "swift": ("tree_sitter_swift", "language"),
    "c": ("tree_sitter_c", "language"),
    "c++": ("tree_sitter_cpp", "language"),
    "html": ("tree_sitter_html", "language"),
    "objective-c": ("tree_sitter_objc", "language"),
}
_ENDINGS = {".cpp": "c++", ".cc": "c++", ".cxx": "c++", ".hpp": "c++", ".tsx": "tsx"}


@functools.cache
def parser(language: str) -> Any:
    """Return a parser of the language, None where there is no grammar package for it."""
    if language not in _GRAMMARS:
        return None
    package, name = _GRAMMARS[language]
    try:
        tree_sitter = import_module("tree_sitter")
        return tree_sitter.Parser(tree_sitter.Language(getattr(import_module(package), name)()))
    except (ImportError, AttributeError, TypeError, ValueError):
        return None


class Judge:
    """Counts the places of a text, and of what edits make of it, where a tree of the language does not fit.

    What an edit does not touch is read once.
    """

    def __init__(self, found: Any, text: str) -> None:
        self._parser = found
        self._text = text
        self._tree = found.parse(text.encode("utf-8", "replace"))
        self._starts = [0]
        for row in text.split("\n"):
            self._starts.append(self._starts[-1] + len(row) + 1)
        #: In the text as it is.
        self.errors = _errors(self._tree.root_node)

    def after(self, spans: Sequence[tuple[int, int, str]]) -> int:
        """Return the count after replacing character ranges, which stand one behind the other."""
        tree = self._tree.copy()
        made = self._text
        for start, end, new in reversed(spans):
            row, column = self._point(start)
            old_end, new_bytes = self._point(end), new.encode("utf-8", "replace")
            rows = new.count("\n")
            begin = self._bytes(0, start)
            tree.edit(
                start_byte=begin,
                old_end_byte=begin + self._bytes(start, end),
                new_end_byte=begin + len(new_bytes),
                start_point=(row, column),
                old_end_point=old_end,
                new_end_point=(row + rows, len(new_bytes) - new_bytes.rfind(b"\n") - 1 if rows else column + len(new_bytes)),
            )
            made = made[:start] + new + made[end:]
        return _errors(self._parser.parse(made.encode("utf-8", "replace"), tree).root_node)

    def _bytes(self, start: int, end: int) -> int:
        return len(self._text[start:end].encode("utf-8", "replace"))

    def _point(self, at: int) -> tuple[int, int]:
        row = bisect_right(self._starts, at) - 1
        return row, self._bytes(self._starts[row], at)


def _errors(root: Any) -> int:
    if not root.has_error:
        return 0
    errors: int = sum(1 + (node.end_point[0] - node.start_point[0] > _FEW_ROWS) for node in _misfits(root))
    return max(errors, 1)


#: An error that takes up more rows than so many begins and ends where something does not fit; between, all may.
_FEW_ROWS = 3


def _misfits(root: Any) -> Iterator[Any]:
    """Yield the outermost nodes that are errors, or that the text lacks."""
    stack = [root]
    while stack:
        node = stack.pop()
        if node.is_error or node.is_missing:
            yield node
        elif node.has_error:
            stack.extend(node.children)


def judge(language: str, ending: str, text: str) -> Judge | None:
    """Return what counts the places of a text where a tree of the language does not fit; None without a grammar."""
    found = parser(_ENDINGS.get(ending, language))
    return Judge(found, text) if found is not None else None


def is_whole(text: str, language: str, ending: str) -> bool:
    """Tell whether a tree of the language fits a text without an error; no where there is no grammar.

    Args:
        text: a source.
        language: name of its language.
        ending: of its file, with the dot.
    """
    found = judge(language, ending, text)
    return found is not None and found.errors == 0


def fits_at(text: str, line: int, language: str, ending: str) -> bool:
    """Tell whether a tree of the language fits a line of a text; yes where there is no grammar.

    Args:
        text: a source.
        line: 1-based.
        language: name of its language.
        ending: of its file, with the dot.
    """
    found = parser(_ENDINGS.get(ending, language))
    if found is None:
        return True
    for node in _misfits(found.parse(text.encode("utf-8", "replace")).root_node):
        first, last = node.start_point[0] + 1, node.end_point[0] + 1
        if line in (first, last) or (first <= line <= last and last - first <= _FEW_ROWS):
            return False
    return True
