"""A tree's leaves as tokens, as the shapes that need no tree ask for them: no lexer is loaded where there is a tree."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from jamkey.languages.base import Span
from jamkey.languages.token_shapes import Token

#: What the grammars call a comment.
COMMENTS = frozenset(("comment", "line_comment", "block_comment", "multiline_comment"))
#: What is said to a preprocessor: no code of the program.
_LEFT_OUT = frozenset(
    "preproc_include preproc_import preproc_def preproc_function_def preproc_call preproc_directive hash_bang_line".split()
)
#: What is one word where it is brought in, `java.util.List`, and what is one text though it has pieces: `:kg`, `'a'`, `/a/`.
_WHOLE = frozenset(("scoped_identifier", "quote_expression", "char_literal", "character_literal", "regex"))
#: Words of a language that stand for a value.
_VALUES = frozenset("NULL nullptr null nil undefined true false this self super None nothing".split())
#: Nodes that are filled into a text.
_FILLED = frozenset(("template_substitution", "string_interpolation", "interpolated_expression", "interpolation"))
_QUOTES = "\"'`"


def leaves(root: Any, texts: frozenset[str], span: Callable[[Any], Span], source: Callable[[Any], str]) -> Iterator[Token]:
    """Yield the tokens of a tree, without comments.

    Args:
        root: of the tree.
        texts: types of nodes that are text literals.
        span: gives a node's place.
        source: gives a node's text.
    """
    stack = [root]
    while stack:
        node = stack.pop()
        kind = node.type
        if kind in COMMENTS or kind in _LEFT_OUT:
            continue
        is_text = kind in texts or kind.endswith("string_literal")
        below = node.children
        whole = is_text and not any(child.type in _FILLED for child in below)
        if below and not whole and kind not in _WHOLE:
            stack.extend(reversed(below))
            continue
        text = source(node)
        if text.strip():
            yield Token(_sort(node, text, is_text), text, span(node))


def _sort(node: Any, text: str, is_text: bool) -> str:
    first = text[0]
    kind = node.type
    if is_text or first in _QUOTES or "string" in kind or kind in ("quote_expression", "regex"):
        return "string"
    if first.isdigit():
        return "number"
    if kind == "operator" or not (first.isalpha() or first in "_$@"):
        return "operator"
    if text in _VALUES:
        return "name"
    return "name" if node.is_named and kind != text and not kind.endswith("_type") else "keyword"
