"""A source known by an error-tolerant tree: functions, definitions, calls and loops of any grammar there is.

Where the tree cannot tell, tokens answer.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any

import msgspec

from jamkey.languages.base import Definition, Function, Loop, Param, Part, Span
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.traits import traits_of
from jamkey.languages.tree_ends import Ends
from jamkey.languages.tree_statements import TYPES, TreeStatements
from jamkey.languages.trees import parser

#: Characters of a source.
_LONGEST = 400_000
_LISTS = frozenset(
    "formal_parameters parameters parameter_list argument_list inferred_parameters lambda_function_type_parameters".split()
)
_PARAMETERS = frozenset(["parameter", "method_parameter"])

#: Nodes that define a name beside those that set one, loops and classes.
_DEFINING = frozenset(
    """
    declaration variable_list import_declaration preproc_def struct_declarator field_declaration field_initializer import_clause
    catch_clause
    catch_formal_parameter instanceof_expression type_pattern
""".split()
)
#: What says which methods there are.
_HEADS = frozenset(["class_interface", "protocol_declaration"])


class TreeCode(TreeStatements):
    """A source that answers from its tree."""

    @cached_property
    def _all_calls(self) -> list[Part]:
        calls = {kind for kind, shape in self.means.shaped.items() if shape[0] == "call"}
        nodes = self.of_types(calls | {"argument_list"})
        return [self.part(node) for node in nodes if node.type in calls or self._made_of(node) is not None]

    @cached_property
    def _function_nodes(self) -> list[tuple[Any, Any, str]]:
        """Return (node, name's node, class it belongs to) of every function that has a name."""
        found = []
        for node in self.of_types(self.means.functions):
            if node.type == "method_declaration" and node.parent is not None and node.parent.type in _HEADS:
                continue  # named there, written elsewhere
            if self.means.statements.get(node.type) == "functiondef":
                name = node.child_by_field_name("name") or self._declared(node) or self._signed(node)
            elif self.means.parts.get(node.type) == "function" or node.type == "function_definition":
                holder = node.parent
                while holder is not None and holder.type in ("expression_list", "parenthesized_expression"):
                    holder = holder.parent
                pair = self.means.sets.get(holder.type) if holder is not None else None
                name = self._get(holder, pair[0]) if pair is not None else None
                name = self.below(name)[0] if name is not None and name.type == "variable_list" else name
            else:
                continue
            if name is not None:
                found.append((node, name, self._owner(node)))
        return found

    def _declared(self, node: Any) -> Any:
        inner = node.child_by_field_name("declarator")
        while inner is not None and inner.type in ("function_declarator", "pointer_declarator", "reference_declarator"):
            below = inner.child_by_field_name("declarator")
            if below is None:
                break
            inner = below
        return inner

    def _signed(self, node: Any) -> Any:
        head = next((child for child in self.below(node) if child.type == "signature"), None)
        while head is not None and self.below(head) and head.type != "identifier":
            head = self.below(head)[0]
        return head or next((child for child in self.below(node) if child.type == "identifier"), None)

    def _owner(self, node: Any) -> str:
        above = node.parent
        while above is not None and self.means.statements.get(above.type) != "functiondef":
            if self.means.statements.get(above.type) == "classdef":
                name = above.child_by_field_name("name") or next(iter(self.below(above)), None)
                return self._text(name) if name is not None else ""
            above = above.parent
        return ""

    @cached_property
    def _all_functions(self) -> list[Function]:
        found: list[Function] = []
        gives = traits_of(self._lexer).gives_its_last
        ends = Ends(self.means, self.below, self._text, traits_of(self._lexer).raises_with)
        for node, name, owner in self._function_nodes:
            last = self._text(name).replace(":", ".").rpartition(".")[2]
            params, inside = self._params(node)
            body = node.child_by_field_name("body") or next(
                (child for child in self.below(node) if child.type in self.means.blocks), None
            )
            whole = body if body is not None else node
            yields = tuple(self._given(whole, "yield_expression"))
            returns = yields or tuple(self._given(whole, "return"))
            if gives:
                returns += tuple(self._last_value(whole))
            span = self.span(node)
            first = self.span(body).line if body is not None else span.line
            last_one = self._last(body) if body is not None else None
            closed = last_one is not None and ends.leave(last_one)
            found.append(
                Function(
                    last,
                    f"{owner}.{last}" if owner else last,
                    span,
                    params,
                    owner=owner,
                    params_span=inside,
                    returns=returns,
                    falls_off=self._gives_nothing(whole) if gives else body is not None and not closed and not yields,
                    is_generator=bool(yields),
                    last_line=span.end_line,
                    body_line=first + 1 if body is not None and first == span.line and span.end_line > first else first,
                )
            )
        return sorted(found, key=lambda function: (function.span.line, function.span.column))

    def _last_value(self, body: Any) -> Iterator[tuple[int, Part | None]]:
        """Yield what a body gives back without a word: its last expression."""
        last = self._last(body)
        if last is not None and self.means.statements.get(last.type, "expr") in ("expr", "assign"):
            yield self.span(last).line, self.part(last)

    def _last(self, body: Any) -> Any:
        """Return the last statement of a body, which may hold a list of them."""
        last = next(reversed(self.below(body)), None)
        return self._last(last) if last is not None and last.type == "statements" else last

    def _gives_nothing(self, body: Any) -> bool:
        """Tell a body whose last statement has no value."""
        last = self._last(body)
        return last is None or self.means.statements.get(last.type) in ("for", "while")

    def _params(self, node: Any) -> tuple[tuple[Param, ...], Span | None]:
        signature = next((child for child in self.below(node) if child.type == "signature"), node)
        lists = [below for below in self._walk_head(signature) if below.type in _LISTS]
        listed = lists[0] if lists else None
        own = self.below(listed) if listed is not None else [c for c in self.below(node) if c.type in _PARAMETERS]
        found: list[Param] = []
        for child in own:
            name = child
            while name is not None and name.type not in ("identifier", "simple_identifier"):
                deeper = self._get(name, "name|declarator|left|pattern") or next(
                    (inner for inner in reversed(self.below(name)) if inner.type not in TYPES), None
                )
                if deeper is None or deeper == name:
                    name = None
                    break
                name = deeper
            if name is not None:
                default = child.child_by_field_name("right") or child.child_by_field_name("value") or _beside(node, child)
                star = "*" if child.type in ("rest_pattern", "spread_parameter", "vararg_expression") else ""
                made = self.part(default) if default is not None else None
                shared = any(below.type == "reference_declarator" for below in self._walk_head(child))
                found.append(Param(self._text(name), self.span(name), made, star, is_reference=shared))
        if listed is None:
            return tuple(found), None
        start = self.span(listed)
        return tuple(found), Span(start.line, start.column + 1, start.line, start.column + 1)

    def _given(self, body: Any, wanted: str) -> Iterator[tuple[int, Part | None]]:
        stack = list(self.below(body))
        while stack:
            node = stack.pop(0)
            sort = self.means.statements.get(node.type)
            if sort == "functiondef" or self.means.parts.get(node.type) == "function":
                continue
            if wanted in (sort, node.type):
                given = self.below(node)
                yield self.span(node).line, self.part(given[0]) if given else None
            else:
                stack = self.below(node) + stack

    @cached_property
    def _all_definitions(self) -> list[Definition]:
        found: list[Definition] = []
        named = {self.span(node): self.span(name) for node, name, _ in self._function_nodes}
        for function in self._all_functions:
            end = named[function.span]  # of a member the last word
            name = Span(end.end_line, max(end.end_column - len(function.name), 1), end.end_line, end.end_column)
            found.append(Definition(function.name, "function", name, "", statement=function.span))
            found += [Definition(param.name, "parameter", param.span, function.qualified) for param in function.params]
        params = {item.span for item in found if item.sort == "parameter"}
        found += self._of_unnamed()
        known = {(item.scope, item.name) for item in found}
        free: list[Definition] = []
        for node in self.of_types(self.means.defining | _DEFINING):
            made = [item for item in self._defined(node) if item.span not in params]
            if node.type in self.means.sets and not self._declares(node) and not traits_of(self._lexer).own_by_setting:
                free += made
            else:
                known |= {(item.scope, item.name) for item in made}
                found += made
        # a name that a function does not declare is one of those around it
        for item in free:
            around = [item.scope, *self._scopes(item.span.line)]
            found.append(
                msgspec.structs.replace(item, scope=next((scope for scope in around if (scope, item.name) in known), ""))
            )
        return sorted(found, key=lambda item: (item.span.line, item.span.column))

    def _of_unnamed(self) -> Iterator[Definition]:
        """Yield what functions without a name take."""
        named = {node.id for node, _, _ in self._function_nodes}
        for node in self.of_types(self.means.unnamed):
            if node.id in named:
                continue
            inside = self.span(node)
            for part in self._taken(node):
                self._reach_of[part.span] = inside
                yield Definition(part.name, "loop", part.span, self.scope_at(part.span.line), statement=part.span)

    @cached_property
    def _reach_of(self) -> dict[Span, Span]:
        """What a function without a name takes -> that function: it is known nowhere else."""
        return {}

    def _taken(self, node: Any) -> Iterator[Part]:
        """Yield the names that a function without a name takes."""
        alone = node.child_by_field_name("parameter") or node.child_by_field_name("parameters")
        if node.type == "arrow_function_expression":
            alone = next(iter(self.below(node)), None)
        if alone is not None and alone.type in ("identifier", "simple_identifier"):
            yield self.part(alone)
            return
        if alone is not None:
            own = self.below(alone)
            patterns = any(child.type in ("object_pattern", "array_pattern") for child in own)
            yield from (part for child in own if patterns for part in self._targets(child) if part.sort == "name")
            if patterns:
                return
        for param in self._params(node)[0]:
            yield Part("name", param.span, param.name, param.name, param.span)

    def _declares(self, node: Any) -> bool:
        """Tell a statement that makes a name of its function's own from one that sets a name that is there."""
        return (
            "declarat" in node.type or node.type == "resource" or (node.parent is not None and "declarat" in node.parent.type)
        )

    def _defined(self, node: Any) -> Iterator[Definition]:
        means = self.means
        if node.type in means.sets:
            left, right = (self._get(node, path) for path in means.sets[node.type])
            values = self._listed(right) if right is not None and right != left else []
            names = self._targets(left) if left is not None else []
            changed = self._is_changed(node)
            holder = node.parent if node.parent is not None and self._is_statement(node.parent) else node
            for place, target in enumerate(names):
                if target.sort == "name" and node.type != "field_definition":  # a field of a class is a member
                    value = (
                        values[place] if place < len(values) and len(values) == len(names) else values[0] if values else None
                    )
                    yield Definition(
                        target.name,
                        "changed" if changed else "assigned",
                        target.span,
                        self.scope_at(target.span.line),
                        value,
                        statement=self.span(holder),
                    )
        elif node.type in means.loops:
            left, right = (self._get(node, path) for path in means.loops[node.type][:2])
            for target in self._targets(left) if left is not None else ():
                if target.sort == "name":
                    value = self._listed(right)[0] if right is not None and self._listed(right) else None
                    yield Definition(
                        target.name, "loop", target.span, self.scope_at(target.span.line), value, statement=target.span
                    )
        elif node.type == "declaration":
            for child in node.children_by_field_name("declarator"):
                inner = self._declared(child) if child.type != "init_declarator" else None
                part = self.part(inner) if inner is not None else None
                if part is not None and part.sort == "name":
                    yield Definition(
                        part.name, "assigned", part.span, self.scope_at(part.span.line), None, statement=self.span(node)
                    )
        elif node.type == "variable_list" and node.parent is not None and node.parent.type == "variable_declaration":
            for part in self._targets(node):
                if part.sort == "name":
                    scope, whole = self.scope_at(part.span.line), self.span(node.parent)
                    yield Definition(part.name, "assigned", part.span, scope, None, statement=whole)
        elif node.type == "preproc_def" and (name := node.child_by_field_name("name")) is not None:
            yield Definition(self._text(name), "assigned", self.span(name), "", None, statement=self.span(node))
        elif means.statements.get(node.type) == "classdef":
            name = node.child_by_field_name("name")
            if name is not None:
                yield Definition(self._text(name), "class", self.span(name), statement=self.span(node))
            # what a record is made of is asked for by its names
            parameters = node.child_by_field_name("parameters")
            for child in self.below(parameters) if parameters is not None else ():
                if (own := child.child_by_field_name("name")) is not None:
                    yield Definition(self._text(own), "member", self.span(own), statement=self.span(node))
        elif node.type == "struct_declarator":
            inner = next((below for below in self._walk(node) if below.type == "identifier"), None)
            if inner is not None:
                yield self._field(node.parent, inner, None)
        elif node.type == "field_declaration":
            for child in node.children_by_field_name("declarator"):
                inner = child
                while inner is not None and inner.type in ("pointer_declarator", "array_declarator", "reference_declarator"):
                    inner = inner.child_by_field_name("declarator") or next(iter(self.below(inner)), None)
                if inner is not None and inner.type == "field_identifier":  # else a method
                    value = node.child_by_field_name("default_value")
                    yield self._field(node, inner, value)
        elif node.type == "field_initializer" and len(self.below(node)) == 2:
            name, given = self.below(node)
            if self._text(name) not in self._bases_around(node):
                yield self._field(node, name, self.below(given)[0] if self.below(given) else None)
        elif node.type == "import_clause":
            yield from self._imported(node)
        elif node.type == "import_declaration" and (module := next(iter(self.below(node)), None)) is not None:
            name = module.child_by_field_name("name")
            if name is not None:
                yield Definition(
                    self._text(name), "import", self.span(name), module=self._text(module), statement=self.span(node)
                )
        elif node.type in ("instanceof_expression", "type_pattern"):
            name = node.child_by_field_name("name") or (self.below(node)[-1] if node.type == "type_pattern" else None)
            if name is not None and name.type == "identifier":
                tested = node.child_by_field_name("left")
                yield Definition(
                    self._text(name),
                    "assigned",
                    self.span(name),
                    self.scope_at(self.span(name).line),
                    self.part(tested) if tested is not None else None,
                    statement=self.span(node),
                )
        elif node.type in ("catch_clause", "catch_formal_parameter"):
            name = self._get(node, "parameter|name")
            if name is not None and name.type == "identifier":
                yield Definition(self._text(name), "caught", self.span(name), self.scope_at(self.span(name).line))

    def _imported(self, clause: Any) -> Iterator[Definition]:
        """Yield the names that an import brings in: the module itself, its own default, or what it is asked for by name."""
        holder = clause.parent
        source = holder.child_by_field_name("source")
        module = self._text(source).strip("'\"") if source is not None else ""
        for child in self.below(clause):
            if child.type == "identifier":
                wanted = [(child, "default")]
            elif child.type == "namespace_import":
                wanted = [(self.below(child)[-1], "")]
            else:
                wanted = [
                    (self.below(item)[-1], self._text(self.below(item)[0]))
                    for item in self.below(child)
                    if item.type == "import_specifier" and self.below(item)
                ]
            for name, imported in wanted:
                yield Definition(
                    self._text(name), "import", self.span(name), module=module, imported=imported, statement=self.span(holder)
                )

    def _bases_around(self, node: Any) -> list[str]:
        while node is not None and self.means.statements.get(node.type) != "classdef":
            node = node.parent
        name = node.child_by_field_name("name") if node is not None else None
        return (self.bases(self._text(name)) or []) if name is not None else []

    def _field(self, holder: Any, name: Any, value: Any) -> Definition:
        made = self.part(value) if value is not None else None
        span = self.span(name)
        return Definition(self._text(name), "member", span, self.scope_at(span.line), made, statement=self.span(holder))

    @cached_property
    def _classes(self) -> list[Span]:
        return [self.span(node) for node in self.of_types(self.means.of_sort("classdef"))]

    def is_field(self, item: Definition) -> bool:
        """Tell what stands in a class and in none of its functions: each of its objects has one."""
        if item.sort not in ("assigned", "member") or item.scope:
            return False
        return any(span.line <= item.span.line <= span.end_line for span in self._classes)

    def _is_there(self, item: Definition, line: int) -> bool:
        """Tell whether a definition's bare name can be meant at the line: a member's only inside its class."""
        reach = self._reach_of.get(item.span)
        if reach is not None:
            return reach.line <= line <= reach.end_line
        if item.sort != "member":
            return True
        around = [span for span in self._classes if span.line <= item.span.line <= span.end_line]
        return any(span.line <= line <= span.end_line for span in around)

    def reaching(self, name: str, line: int) -> list[Definition]:
        """Return the definitions in the innermost scope that has one, nearest above first."""
        return [item for item in super().reaching(name, line) if self._is_there(item, line)]

    def visible(self, line: int) -> set[str]:
        """Return the program's own names at the line: its function's, the outermost ones and those of its class."""
        scopes = {"", self.scope_at(line)}
        return {item.name for item in self._all_definitions if item.scope in scopes and self._is_there(item, line)}

    def members(self, name: str) -> list[Definition]:
        """Return where a member of that name is set: `.name =`, `name:`, and what a class declares."""
        own = [item for item in self._all_definitions if item.sort == "member" and item.name == name]
        return [*super().members(name), *own]

    def all_members(self) -> set[str]:
        """Return every member name that the source itself gives to its objects."""
        return super().all_members() | {item.name for item in self._all_definitions if item.sort == "member"}

    def loops(self, line: int) -> list[Loop]:
        """Return the loops around the line, innermost first."""
        return [loop for loop in reversed(self._tree_loops) if loop.span.line <= line <= loop.span.end_line]

    @cached_property
    def _tree_loops(self) -> list[Loop]:
        found: list[Loop] = []
        for node in self.of_types(self.means.of_sort("for", "while")):
            sort = self.means.statements[node.type]
            inner = (
                node if node.type in self.means.loops and self._get(node, self.means.loops[node.type][0]) is not None else None
            )
            inner = inner or next((child for child in self.below(node) if child.type in self.means.loops), None)
            pair = [self._get(inner, path) for path in self.means.loops[inner.type][:2]] if inner is not None else [None, None]
            condition = node.child_by_field_name("condition")
            target = self._targets(pair[0]) if pair[0] is not None else []
            over = self._listed(pair[1]) if pair[1] is not None else []
            found.append(
                Loop(
                    sort,
                    self.span(node),
                    target[0] if target else None,
                    over[0] if over else None,
                    self.part(condition) if condition is not None else None,
                )
            )
        return found

    def guards(self, line: int) -> list[int]:
        """Return the lines of the conditions that let the line run, nearest first: around it, or above it with an early end."""
        scope = self.scope_at(line)
        found: list[int] = []
        for head, node, _ in self._heads:
            if (
                self.means.statements[node.type] not in ("if", "while")
                or head.line >= line
                or self.scope_at(head.line) != scope
            ):
                continue
            whole = self.span(node)
            around = head.end_line < line <= whole.end_line
            if around or (whole.end_line < line and self._leaves(node)):
                found.append(head.line)
        return list(reversed(found))

    def _leaves(self, node: Any) -> bool:
        """Tell whether the first block of a condition ends early."""
        block = next((child for child in self.below(node) if child.type in self.means.blocks), None)
        own = self.below(block or node)
        return bool(own) and self.means.statements.get(own[-1].type) in ("return", "raise", "break")

    def bases(self, name: str) -> list[str] | None:
        """Return the names of a class's bases; None when the class is not here."""
        for node in self.of_types(self.means.of_sort("classdef")):
            own = node.child_by_field_name("name")
            if own is not None and self._text(own) == name:
                above = [
                    inner
                    for child in self.below(node)
                    if child.type in ("superclass", "class_heritage", "base_class_clause", "super_interfaces")
                    for inner in self._walk(child)
                    if inner.type in ("identifier", "type_identifier")
                ]
                return [self._text(inner) for inner in above]
        return None


def _beside(node: Any, parameter: Any) -> Any:
    """Return the default that stands behind a parameter instead of in it."""
    for place, child in enumerate(node.children):
        if child == parameter and place + 2 < len(node.children):
            return node.children[place + 2] if node.field_name_for_child(place + 2) == "default_value" else None
    return None


def tree_code(text: str, language: str, lexer: str, grammar: Grammar | None) -> TreeCode | None:
    """Return a source by its tree; None where there is no grammar package, or the text is too long."""
    found = parser(language)
    if found is None or len(text) > _LONGEST:
        return None
    return TreeCode(text, lexer, grammar, found.parse(text.encode("utf-8", "replace")).root_node)
