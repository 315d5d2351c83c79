"""Nodes of a tree whose grammar calls things by names of its own, told in those that most grammars share."""

from __future__ import annotations

import functools
import tomllib
from functools import cached_property
from typing import Any

import msgspec

from jamkey.packaged import packaged


class Naming(msgspec.Struct, frozen=True):
    """What a grammar's own names are in those that are shared."""

    #: Node type -> type.
    types: dict[str, str]
    #: Node type, as it is shared -> field -> field.
    fields: dict[str, dict[str, str]]
    #: Of nodes for all operators: type -> sign -> type as it is shared.
    signed: dict[str, dict[str, str]] = {}
    #: Of calls by their callee's type: type -> callee's type -> type as it is shared.
    called: dict[str, dict[str, str]] = {}
    #: Types by what they stand in: type -> the holder's type -> type as it is shared.
    within: dict[str, dict[str, str]] = {}
    #: Types, as they are shared, whose two sides stand the other way round.
    turned: frozenset[str] = frozenset()
    #: Node types that are signs though the grammar names them.
    signs: frozenset[str] = frozenset()
    #: Types, as they are shared -> what they are where they have more than one child.
    several: dict[str, str] = {}


class Node:
    """A node as the tree has it, under shared names; equal to another of the same place in the tree."""

    __slots__ = ("__dict__", "_naming", "_node")

    def __init__(self, node: Any, naming: Naming) -> None:
        self._node, self._naming = node, naming

    def __eq__(self, other: object) -> bool:
        """Tell whether it is the same node."""
        return isinstance(other, Node) and bool(self._node == other._node)

    def __hash__(self) -> int:
        """Return the hash of the node."""
        return hash(self._node.id)

    @cached_property
    def type(self) -> str:
        """The shared name of what it is."""
        own: str = self._node.type
        naming = self._naming
        if own in naming.signed:
            sign = self._node.child_by_field_name("operator")
            return naming.signed[own].get(sign.type if sign is not None else "", naming.types.get(own, own))
        if own in naming.called:
            callee = self._node.child_by_field_name("function")
            return naming.called[own].get(callee.type if callee is not None else "", naming.types.get(own, own))
        if own in naming.within and self._node.parent is not None:
            found = naming.within[own].get(self._node.parent.type, naming.types.get(own, own))
        else:
            found = naming.types.get(own, own)
        if found in naming.several and len(self.named_children) > 1:
            return naming.several[found]
        return found

    @cached_property
    def children(self) -> list[Any]:
        """Everything below it, signs too."""
        return [Node(child, self._naming) for child in self._holder.children]

    @cached_property
    def named_children(self) -> list[Any]:
        """What is below it, without the signs."""
        own = [child for child in self._holder.named_children if child.type not in self._naming.signs]
        if self._node.type in self._naming.signed and self.type in self._naming.turned:
            own.reverse()
        return [Node(child, self._naming) for child in own]

    @property
    def _holder(self) -> Any:
        """What holds its children: where a word of the language stands as what is called, what that is given."""
        if self._node.type in self._naming.called:
            callee = self._node.child_by_field_name("function")
            if callee is not None and callee.type in self._naming.called[self._node.type]:
                return self._node.child_by_field_name("arguments") or self._node
        return self._node

    @property
    def is_named(self) -> bool:
        """Whether it is more than a sign."""
        return bool(self._node.is_named) and self._node.type not in self._naming.signs

    @property
    def parent(self) -> Any:
        """What it is part of; None for the whole."""
        above = self._node.parent
        return Node(above, self._naming) if above is not None else None

    def child_by_field_name(self, name: str) -> Any:
        """Return the child in a field of that shared name; None without."""
        fields = self._naming.fields.get(self.type, {})
        found = self._node.child_by_field_name(fields.get(name, name))
        return Node(found, self._naming) if found is not None else None

    def children_by_field_name(self, name: str) -> list[Any]:
        """Return the children in fields of that shared name."""
        fields = self._naming.fields.get(self.type, {})
        return [Node(child, self._naming) for child in self._node.children_by_field_name(fields.get(name, name))]

    def field_name_for_child(self, place: int) -> str | None:
        """Return the shared name of the field in which a child stands."""
        own: str | None = self._node.field_name_for_child(place)
        shared = {theirs: ours for ours, theirs in self._naming.fields.get(self.type, {}).items()}
        return shared.get(own, own) if own is not None else None

    @property
    def start_point(self) -> Any:
        """Row and byte of its begin."""
        return self._node.start_point

    @property
    def end_point(self) -> Any:
        """Row and byte behind its end."""
        return self._node.end_point

    @property
    def start_byte(self) -> int:
        """The byte of its begin."""
        return int(self._node.start_byte)

    @property
    def end_byte(self) -> int:
        """The byte behind its end."""
        return int(self._node.end_byte)


@functools.cache
def naming(language: str) -> Naming | None:
    """Return how a grammar's names are told; None for one that has the shared ones."""
    tables = tomllib.loads(packaged("languages/retold.toml").decode())
    return msgspec.convert(tables[language], Naming) if language in tables else None


def retold(language: str, root: Any) -> Any:
    """Return the root of a tree under shared names.

    Args:
        language: name of its grammar.
        root: as the parser gave it.
    """
    own = naming(language)
    return Node(root, own) if own is not None else root
