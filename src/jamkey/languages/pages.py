"""The scripts of an HTML page, each where it stands: what is no script is blank."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from jamkey.languages.trees import parser

#: Types of a script element that are JavaScript.
_SCRIPT = re.compile(r"text/(?:java|ecma)script|application/(?:x-)?(?:java|ecma)script|module|", re.I)
_SIGN = re.compile(r"[^\n]")


def scripts_of(text: str) -> str:
    """Return a page with all that is no JavaScript blanked, so that lines and columns stay; as it is without a grammar.

    Args:
        text: of the page.
    """
    found = parser("html")
    if found is None:
        return text
    raw = text.encode("utf-8", "replace")
    made: list[str] = []
    here = 0
    for start, end, is_handler in _scripts(found.parse(raw).root_node):
        made.append(_SIGN.sub(" ", raw[here:start].decode("utf-8", "replace")))
        made.append(raw[start:end].decode("utf-8", "replace"))
        here = end
        if is_handler and raw[end : end + 1] in (b'"', b"'"):
            made.append(";")
            here += 1
    made.append(_SIGN.sub(" ", raw[here:].decode("utf-8", "replace")))
    return "".join(made)


def _scripts(root: Any) -> Iterator[tuple[int, int, bool]]:
    """Yield (first byte, byte behind, whether it is a handler) of the scripts and of the handlers in tags, in order."""
    stack = [root]
    while stack:
        node = stack.pop()
        if node.type == "script_element":
            tags = [child for child in node.children if child.type == "start_tag"]
            kind = dict(_attributes(tags[0])).get("type", "") if tags else ""
            if _SCRIPT.fullmatch(kind.strip()):
                yield from ((child.start_byte, child.end_byte, False) for child in node.children if child.type == "raw_text")
        elif node.type == "attribute":
            names = [child for child in node.children if child.type == "attribute_name"]
            if names and names[0].text[:2].lower() == b"on":
                yield from ((value.start_byte, value.end_byte, True) for value in _values(node))
        else:
            stack.extend(reversed(node.children))


def _values(attribute: Any) -> Iterator[Any]:
    for child in attribute.children:
        if child.type == "attribute_value":
            yield child
        elif child.type == "quoted_attribute_value":
            yield from (inner for inner in child.children if inner.type == "attribute_value")


def _attributes(tag: Any) -> Iterator[tuple[str, str]]:
    for node in tag.children:
        if node.type == "attribute":
            name = next(
                (child.text.decode("utf-8", "replace") for child in node.children if child.type == "attribute_name"), ""
            )
            yield name.lower(), next((value.text.decode("utf-8", "replace") for value in _values(node)), "")
