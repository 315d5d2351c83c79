"""Trees of broken text too: one grammar package a language, loaded when first asked for."""

from __future__ import annotations

import functools
from collections.abc import Callable
from importlib import import_module
from typing import Any

#: Language -> (package, function that gives its grammar).
_GRAMMARS = {
    "javascript": ("tree_sitter_javascript", "language"),
    "java": ("tree_sitter_java", "language"),
    "lua": ("tree_sitter_lua", "language"),
    "julia": ("tree_sitter_julia", "language"),
    "swift": ("tree_sitter_swift", "language"),
    "c": ("tree_sitter_c", "language"),
    "c++": ("tree_sitter_cpp", "language"),
    "html": ("tree_sitter_html", "language"),
    "objective-c": ("tree_sitter_objc", "language"),
}
_ENDINGS = {".cpp": "c++", ".cc": "c++", ".cxx": "c++", ".hpp": "c++"}


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


def judge(language: str, ending: str = "") -> Callable[[str], int] | None:
    """Return what counts the places of a text where a tree of the language does not fit; None without a grammar."""
    found = parser(_ENDINGS.get(ending, language))
    if found is None:
        return None

    def count(text: str) -> int:
        root = found.parse(text.encode("utf-8", "replace")).root_node
        if not root.has_error:
            return 0
        errors, stack = 0, [root]
        while stack:
            node = stack.pop()
            if node.is_error or node.is_missing:
                errors += 1 + (node.end_point[0] - node.start_point[0] > 3)
            elif node.has_error:
                stack.extend(node.children)
        return max(errors, 1)

    return count


def is_whole(text: str, language: str, ending: str) -> bool:
    """Tell whether a tree of the language fits a text without an error; no where there is no grammar.

    Args:
        text: a source.
        language: name of its language.
        ending: of its file, with the dot.
    """
    found = judge(language, ending)
    return found is not None and found(text) == 0
