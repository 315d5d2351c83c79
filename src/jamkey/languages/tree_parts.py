"""A tree's nodes as parts, with their places in characters; what the nodes mean stands in `trees.toml`."""

from __future__ import annotations

import functools
import tomllib
from collections.abc import Iterator
from functools import cached_property
from typing import Any

import msgspec

from jamkey.languages.base import Part, Span
from jamkey.languages.token_shapes import Grammar, Token
from jamkey.languages.tokens import TokenCode
from jamkey.languages.tree_tokens import COMMENTS, leaves
from jamkey.packaged import packaged

#: Levels of a tree that are looked into.
_DEEPEST = 150


class Meaning(msgspec.Struct, frozen=True):
    """What the nodes of all grammars mean."""

    parts: dict[str, str]
    shaped: dict[str, list[str]]
    statements: dict[str, str]
    sets: dict[str, list[str]]
    loops: dict[str, list[str]]
    blocks: frozenset[str]
    through: frozenset[str]
    arguments: frozenset[str]
    compares: frozenset[str]

    @property
    def texts(self) -> frozenset[str]:
        """Types of nodes that are text literals."""
        return frozenset(node for node, sort in self.parts.items() if sort == "text")

    @property
    def functions(self) -> frozenset[str]:
        """Types of nodes that make a function."""
        without = frozenset(node for node, sort in self.parts.items() if sort == "function")
        return without | self.of_sort("functiondef") | {"function_definition"}

    @property
    def unnamed(self) -> frozenset[str]:
        """Types of nodes that make a function where no name need stand."""
        return frozenset(node for node, sort in self.parts.items() if sort == "function") | {"function_definition", "do_clause"}

    @property
    def defining(self) -> frozenset[str]:
        """Types of nodes that set a name, go over something, or make a class."""
        return frozenset(self.sets) | frozenset(self.loops) | self.of_sort("classdef")

    def of_sort(self, *sorts: str) -> frozenset[str]:
        """Return the types of nodes that are statements of some sorts."""
        return frozenset(node for node, sort in self.statements.items() if sort in sorts)


@functools.cache
def meaning() -> Meaning:
    """Return the table."""
    table = tomllib.loads(packaged("languages/trees.toml").decode())
    nodes = {name: frozenset(words) for name, words in table["nodes"].items()}
    return Meaning(
        {node: sort for sort, own in table["parts"].items() for node in own},
        table["shaped"],
        {node: sort for sort, own in table["statements"].items() for node in own},
        table["sets"],
        table["loops"],
        nodes["blocks"],
        nodes["through"],
        nodes["arguments"],
        nodes["compares"],
    )


class TreeParts(TokenCode):
    """A source whose expressions are read from its tree."""

    def __init__(self, text: str, lexer: str, grammar: Grammar | None, root: Any) -> None:
        super().__init__(text, lexer, grammar)
        self.root = root
        self._bytes = text.encode("utf-8", "replace")
        self._ascii = text.isascii()
        self.means = meaning()
        # a tree makes its nodes anew each time they are asked for: what is known of one is kept by its number
        self._below_of: dict[int, list[Any]] = {}
        self._part_of: dict[int, Part] = {}

    @cached_property
    def tokens(self) -> list[Token]:
        """Return the leaves without comments."""
        return list(leaves(self.root, self.means.texts, self.span, self._text))

    def below(self, node: Any) -> list[Any]:
        """Return what is below a node, without signs and comments."""
        found = self._below_of.get(node.id)
        if found is None:
            found = self._below_of[node.id] = [child for child in node.named_children if child.type not in COMMENTS]
        return found

    # --- places

    def span(self, node: Any) -> Span:
        """Return a node's span, in characters."""
        (line, column), (end_line, end_column) = node.start_point, node.end_point
        if self._ascii:
            return Span(line + 1, column + 1, end_line + 1, end_column + 1)
        return Span(line + 1, self._column(line, column), end_line + 1, self._column(end_line, end_column))

    def _column(self, line: int, column: int) -> int:
        row = self._rows[line] if line < len(self._rows) else ""
        return column + 1 if row.isascii() else len(row.encode("utf-8", "replace")[:column].decode("utf-8", "replace")) + 1

    def _text(self, node: Any) -> str:
        return self._bytes[node.start_byte : node.end_byte].decode("utf-8", "replace")

    def _get(self, node: Any, path: str) -> Any:
        """Return a node's child by `FIELD|FIELD`, or by its place."""
        for name in path.split("|"):
            if name.startswith("#"):
                own, place = self.below(node), int(name[1:])
                if -len(own) <= place < len(own):
                    return own[place]
            elif (found := node.child_by_field_name(name)) is not None:
                return found
        return None

    def part(self, node: Any, depth: int = 0) -> Part:
        """Return a node as a part with all below it."""
        found = self._part_of.get(node.id)
        if found is None:
            found = self._part_of[node.id] = self._made(node, depth)
        return found

    def _made(self, node: Any, depth: int) -> Part:
        means = self.means
        while node.type in means.through and len(self.below(node)) == 1:
            node = self.below(node)[0]
        span, source = self.span(node), self._text(node)
        if (kind := self._made_of(node)) is not None:
            name = self._text(kind)
            callee = Part("name", self.span(kind), name, name, self.span(kind))
            return Part("call", span, source, children=(("callee", callee), *self._arguments(node, depth)))
        sort = means.parts.get(node.type)
        if sort == "name":
            return Part("name", span, source, source, span)
        if sort == "literal":
            return Part("literal", span, source, source)
        if depth > _DEEPEST:
            return Part("other", span, source)
        if sort == "text":
            inner = tuple(("value", part) for part in self._inside(node, depth))
            return Part("text", span, source, source.strip("\"'`"), children=inner)
        if sort == "dict":
            return Part("dict", span, source, children=tuple(self._entries(node, depth)))
        shape = means.shaped.get(node.type)
        if shape is not None:
            return self._shape(node, shape, span, source, depth)
        if sort is not None:
            own = (child for child in self.below(node) if child.type not in means.blocks)
            role = "value" if sort in ("star", "function") else "element"
            return Part(sort, span, source, children=tuple((role, self.part(child, depth + 1)) for child in own))
        own = (child for child in self.below(node) if child.type not in means.blocks)
        return Part("other", span, source, children=tuple(("value", self.part(child, depth + 1)) for child in own))

    def _entries(self, node: Any, depth: int) -> Iterator[tuple[str, Part]]:
        """Yield keys and values of a table that is written out, and what stands in it without a key."""
        keys = {child.id for child in node.children_by_field_name("key")}
        for child in self.below(node):
            if child.id in keys:
                yield "key", self.part(child, depth + 1)
            elif keys:
                yield "value", self.part(child, depth + 1)
            elif child.type in ("pair", "field") and (value := child.child_by_field_name("value")) is not None:
                key = self._get(child, "key|name")
                if key is not None:
                    # `[name] = 1` of Lua asks for the name's value
                    bare = key.type in ("property_identifier", "identifier") and child.children[0].type != "["
                    yield "key", self._key(key) if bare else self.part(key, depth + 1)
                yield "value" if key is not None else "element", self.part(value, depth + 1)
            else:
                yield "element", self.part(child, depth + 1)

    def _key(self, node: Any) -> Part:
        """Return a key that stands without quotes: no name of the program."""
        span, text = self.span(node), self._text(node)
        return Part("key", span, text, text, span)

    def _made_of(self, node: Any) -> Any:
        """Return the class of `Hive hive(0)`, of which that is a call, for its arguments; None for anything else."""
        holder = node.parent if node.type == "argument_list" else None
        above = holder.parent if holder is not None and holder.type == "init_declarator" else None
        kind = above.child_by_field_name("type") if above is not None else None
        return kind if kind is not None and kind.type == "type_identifier" else None

    def _inside(self, node: Any, depth: int) -> Iterator[Part]:
        """Yield what is filled into a text."""
        for child in self.below(node):
            if child.type in ("template_substitution", "string_interpolation", "interpolated_expression"):
                yield from (self.part(inner, depth + 1) for inner in self.below(child))

    def _shape(self, node: Any, shape: list[str], span: Span, source: str, depth: int) -> Part:
        sort = shape[0]
        name, name_span = "", None
        children: list[tuple[str, Part]] = []
        taken: list[Any] = []
        for word in shape[1:]:
            role, _, path = word.partition(":")
            if path == "*":
                named = set(node.children_by_field_name("method"))  # the words of a message stand between what is sent
                rest = [child for child in self.below(node) if child not in taken and child not in named]
                children += [("argument", self.part(child, depth + 1)) for child in rest]
                continue
            found = self._get(node, path)
            if found is None:
                continue
            taken.append(found)
            if role == "name":
                named = self.below(found)[0] if found.type in self.means.through and self.below(found) else found
                name, name_span = self._text(named), self.span(named)
            elif role == "arguments":
                given = self._arguments(found, depth)
                if sort == "call" and self._text(found).startswith("["):  # a look-up that is written as a call
                    sort, owner = "index", next((part for role, part in children if role == "callee"), None)
                    children = [*([("object", owner)] if owner is not None else []), *(("key", part) for _, part in given)]
                else:
                    children += given
            else:
                if role == "key" and path == "#1" and len(self.below(found)) == 1:
                    found = self.below(found)[0]  # the brackets of a look-up, which hold one key
                children.append((role, self.part(found, depth + 1)))
        if sort == "binary":
            between = self._bytes[taken[0].end_byte : taken[-1].start_byte].decode("utf-8", "replace") if len(taken) > 1 else ""
            name = between.strip()
            sort = "compare" if name in self.means.compares else "binary"
        if sort == "call" and name:
            # a method that is named beside its object
            owner = next((part for role, part in children if role == "object"), None)
            callee = Part("name", name_span or span, name, name, name_span)
            if owner is not None and name_span is not None:
                whole = Span(owner.span.line, owner.span.column, name_span.end_line, name_span.end_column)
                callee = Part("member", whole, self._source(whole), name, name_span, (("object", owner),))
            children = [("callee", callee), *[pair for pair in children if pair[0] != "object"]]
        elif sort == "call":
            name = ""
        return Part(sort, span, source, name, name_span, tuple(children))

    def _arguments(self, node: Any, depth: int) -> list[tuple[str, Part]]:
        if node.type in self.means.arguments:
            return [pair for child in self.below(node) for pair in self._arguments(child, depth)]
        if node.type in ("named_argument", "value_argument") and len(self.below(node)) > 1:
            named = self._text(self.below(node)[0]).rstrip(":")
            return [(f"argument:{named}", self.part(self.below(node)[-1], depth + 1))]
        return [("argument", self.part(node, depth + 1))]

    def _walk_head(self, node: Any) -> Iterator[Any]:
        stack = [child for child in self.below(node) if child.type not in self.means.blocks]
        while stack:
            below = stack.pop(0)
            yield below
            if below.type not in ("type_parameters", "annotation", "modifiers"):
                stack.extend(child for child in self.below(below) if child.type not in self.means.blocks)
