"""A tree's statements: the span of each without its blocks, what is set in it, and what it works with."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import Any

from jamkey.languages.base import Part, Span, Statement
from jamkey.languages.tree_parts import TreeParts
from jamkey.languages.tree_tokens import COMMENTS

#: Nodes that say what sort a value is: nothing is computed there.
TYPES = frozenset(
    """
    primitive_type integral_type floating_point_type boolean_type void_type generic_type array_type type_descriptor
    placeholder_type_specifier sized_type_specifier modifiers type_annotation template_type type_qualifier
    storage_class_specifier type_arguments type_parameters annotation user_type optional_type value_binding_pattern operator
""".split()
)
#: What holds statements without a block of its own.
_HOLDERS = frozenset(
    """
    for_statement while_statement if_statement function_definition else_clause try_statement ERROR begin compound_expression
    let_statement do_clause elseif_clause quote_statement module_definition
""".split()
)
#: Where an expression belongs to the head of a statement.
_IN_HEAD = ("condition", "initializer", "init", "update", "increment", "value", "left", "right")
#: Those of them whose holder is one statement with them, whatever stands there.
_OF_LOOP = ("initializer", "init", "update", "increment")
#: `x++`, where nothing is written beside what is set.
_COUNTED = "update_expression"
#: Patterns of which one part gets the value: a key's name, one with a default, the rest.
_INNER = {"pair_pattern": "value", "object_assignment_pattern": "left", "assignment_pattern": "left", "rest_pattern": ""}


class TreeStatements(TreeParts):
    """A source whose statements are read from its tree."""

    def _is_statement(self, node: Any) -> bool:
        if node.type not in self.means.statements:
            return False
        parent = node.parent
        if parent is not None and parent.child_by_field_name("type") == node:
            return False  # `struct hive` before what is declared
        looped = parent is not None and self.means.statements.get(parent.type) in ("for", "while")
        if looped and any(parent.child_by_field_name(name) == node for name in _OF_LOOP):
            return False
        if node.type in self.means.shaped or node.type in ("assignment", "declaration", "variable_declaration"):
            if parent is not None and any(parent.child_by_field_name(name) == node for name in _IN_HEAD):
                return False
            # an expression by itself, as languages without a sign for the end have them
            return parent is None or parent.type in self.means.blocks or parent.parent is None or parent.type in _HOLDERS
        return True

    def _head(self, node: Any) -> tuple[Span, list[Any]]:
        """Return the span of a statement without its blocks, and the nodes in it."""
        span = self.span(node)
        own: list[Any] = []
        for child in node.children:
            if child.type in self.means.blocks or (child.is_named and own and self._is_statement(child)):
                if child.start_point > node.start_point:
                    begin = self.span(child)
                    if (begin.line, begin.column) < (span.end_line, span.end_column):
                        last = own[-1] if own else node.children[0]
                        end = self.span(last)
                        span = Span(span.line, span.column, end.end_line, end.end_column)
                break
            own.append(child)
        return span, own

    @cached_property
    def _heads(self) -> list[tuple[Span, Any, list[Any]]]:
        """Return every statement with the span of its head, in order."""
        found = []
        for node in self.of_types(self.means.statements):
            if self._is_statement(node):
                span, own = self._head(node)
                found.append((span, node, own))
        return found

    @cached_property
    def _nodes(self) -> list[Any]:
        """Every node of the tree, in order: it is gone through for more than one answer."""
        return list(self._each(self.root))

    @cached_property
    def _typed(self) -> dict[str, list[tuple[int, Any]]]:
        """Type -> its nodes, each with its place among all: most questions are about few types."""
        found: dict[str, list[tuple[int, Any]]] = {}
        for place, node in enumerate(self._nodes):
            found.setdefault(node.type, []).append((place, node))
        return found

    def of_types(self, types: Iterable[str]) -> list[Any]:
        """Return the nodes of some types, in order."""
        found = [pair for kind in types for pair in self._typed.get(kind, ())]
        found.sort(key=lambda pair: pair[0])
        return [node for _, node in found]

    def _walk(self, root: Any) -> Iterable[Any]:
        return self._nodes if root is self.root else self._each(root)

    def _each(self, root: Any) -> Iterator[Any]:
        stack = [root]
        while stack:
            node = stack.pop()
            yield node
            stack.extend(reversed(self.below(node)))

    def statement(self, line: int) -> Statement | None:
        """Return the innermost statement whose head covers the line."""
        around = self._heads_at.get(line)
        return self._statement(*around[-1]) if around else super().statement(line)

    @cached_property
    def _heads_at(self) -> dict[int, list[tuple[Span, Any, list[Any]]]]:
        """Line -> the statements whose heads cover it, in order."""
        found: dict[int, list[tuple[Span, Any, list[Any]]]] = {}
        for head in self._heads:
            for line in range(head[0].line, head[0].end_line + 1):
                found.setdefault(line, []).append(head)
        return found

    def heads(self, line: int) -> list[Statement]:
        """Return the statements whose heads cover the line, outermost first."""
        found = [self._statement(*head) for head in self._heads_at.get(line, ())]
        return found or super().heads(line)

    def _statement(self, span: Span, node: Any, own: list[Any]) -> Statement:
        sort = self.means.statements[node.type]
        targets: list[Part] = []
        parts: list[Part] = []
        if sort in ("functiondef", "classdef"):
            own = [value for param in self._walk_head(node) if (value := self._get(param, "right|value")) is not None]
        if node.type in self.means.shaped:
            parts.append(self.part(node))
            own = []
        for item in own:
            self._gather(item, node, parts, targets)
        if sort == "expr" and any(self._is_changed(inner) for item in own for inner in (item, *self.below(item))):
            sort = "augassign"
        elif targets and sort == "expr":
            sort = "assign"
        row = self._rows[span.line - 1]
        return Statement(sort, span, tuple(parts), tuple(targets), row[: len(row) - len(row.lstrip())])

    def _is_changed(self, node: Any) -> bool:
        return node.type in ("augmented_assignment_expression", "compound_assignment_expression", _COUNTED) or (
            node.type == "assignment_expression"
            and (sign := node.child_by_field_name("operator")) is not None
            and sign.type != "="
        )

    def _gather(self, node: Any, statement: Any, parts: list[Part], targets: list[Part]) -> None:
        """Sort what stands in a statement's head into what is set and what is worked with."""
        if not node.is_named or node.type in COMMENTS or statement.child_by_field_name("type") == node:
            return
        if node.type == "variable_list" and node.parent is not None and node.parent.type == "variable_declaration":
            made = self._targets(node)  # names that are only declared
            targets.extend(made)
            parts.extend(made)
            return
        pair = self.means.sets.get(node.type) or self.means.loops.get(node.type)
        if (node.type in self.means.sets and node == statement) or (
            node.type == _COUNTED and self.means.statements[statement.type] != "expr"
        ):
            pair = None
        if pair is not None:
            left, right = self._get(node, pair[0]), self._get(node, pair[1])
            if left is not None:
                made = self._targets(left)
                targets.extend(made)
                parts.extend(made if node.type != _COUNTED else self._listed(node))
            if right is not None and right is not left:
                parts.extend(self._listed(right))
            # where a loop begins, and its step
            parts.extend(self.part(more) for path in pair[2:] if (more := self._get(node, path)) is not None)
        elif node.type in (
            "variable_declaration",
            "lexical_declaration",
            "local_variable_declaration",
            "declaration",
            "assignment_statement",
            "init_statement",
            "resource_specification",
        ):
            for child in self.below(node):
                self._gather(child, statement, parts, targets)
        elif statement.type in self.means.sets and node.parent == statement:
            pair = self.means.sets[statement.type]
            if node == self._get(statement, pair[0]):
                made = self._targets(node)
                targets.extend(made)
                parts.extend(made)
            elif node == self._get(statement, pair[1]):
                parts.extend(self._listed(node))
        elif (
            statement.type in self.means.loops and node.parent == statement and self._in_loop(statement, node, parts, targets)
        ) or node.type in TYPES:
            return
        else:
            parts.extend(self._listed(node))

    def _in_loop(self, statement: Any, node: Any, parts: list[Part], targets: list[Part]) -> bool:
        left, right = (self._get(statement, path) for path in self.means.loops[statement.type][:2])
        if left is not None and node == left:
            made = self._targets(node)
            targets.extend(made)
            parts.extend(made)
            return True
        if right is not None and node == right:
            parts.append(self.part(node))
            return True
        return False

    def _targets(self, node: Any) -> list[Part]:
        if node.type in _INNER:
            inner = node.child_by_field_name(_INNER[node.type]) if _INNER[node.type] else self.below(node)[0]
            return self._targets(inner) if inner is not None else []
        if node.type in ("variable_list", "array_pattern", "object_pattern", "open_tuple", "tuple_expression"):
            return [part for child in self.below(node) for part in self._targets(child)]
        if node.type == "shorthand_property_identifier_pattern":
            return [Part("name", self.span(node), self._text(node), self._text(node), self.span(node))]
        return [self.part(node)]

    def _listed(self, node: Any) -> list[Part]:
        bare = node.type in ("expression_list", "argument_list", "body") and node.type not in self.means.shaped
        if bare and self._made_of(node) is None:
            return [self.part(child) for child in self.below(node)]
        return [self.part(node)]

    def part_at(self, span: Span) -> Part | None:
        """Return the part with that span, the one whose name stands there, else the smallest that holds its start."""
        statement = self.statement(span.line)
        best: Part | None = None
        for top in statement.parts if statement else ():
            for part in top.walk():
                named = part.name_span
                if part.span == span or (
                    part.sort != "name" and named and (named.line, named.column) == (span.line, span.column)
                ):
                    return part
                if part.span.holds(span.start) and (best is None or best.span.holds(part.span)):
                    best = part
        return best
