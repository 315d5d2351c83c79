"""Questions to a Python source, answered from its syntax tree."""

from __future__ import annotations

import ast
from collections.abc import Iterator, Sequence
from functools import cached_property

from jamkey.languages.base import Definition, Function, Loop, Param, Part, Span, Statement
from jamkey.languages.python_parts import Parts
from jamkey.languages.python_reach import reaching_lines

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)
_BLOCKS = ("body", "orelse", "finalbody", "handlers", "cases")


_LEAVES = (ast.Return, ast.Raise, ast.Continue, ast.Break)


class PythonCode:
    """A Python source with its tree."""

    whole = True

    def __init__(self, text: str, tree: ast.Module) -> None:
        self.text = text
        self.tree = tree
        self.parts = Parts(text)
        self._statements: list[tuple[ast.stmt, str]] = []
        self._functions: list[tuple[ast.AST, Function]] = []
        self._definitions: list[Definition] = []
        self._classes: dict[str, ast.ClassDef] = {}
        self._heads: dict[int, list[Statement]] = {}
        self._made: dict[ast.stmt, Statement] = {}
        self._gather(tree.body, scope="", owner="")

    # --- gathering

    def _gather(self, body: Sequence[ast.stmt], scope: str, owner: str) -> None:
        for node in body:
            self._statements.append((node, scope))
            self._define(node, scope)
            if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
                function = self._function(node, scope, owner)
                self._functions.append((node, function))
                for param in function.params:
                    self._add(param.name, "parameter", param.span, function.qualified, param.default)
                self._gather(node.body, function.qualified, "")
            elif isinstance(node, ast.ClassDef):
                self._classes[node.name] = node
                qualified = f"{scope}.{node.name}" if scope else node.name
                self._gather(node.body, qualified, node.name)
            else:
                for name in _BLOCKS:
                    for child in getattr(node, name, ()):
                        inner = [child] if isinstance(child, ast.stmt) else child.body
                        if isinstance(child, ast.ExceptHandler) and child.name:
                            span = self.parts.span(child)
                            self._add(child.name, "caught", span, scope)
                        self._gather(inner, scope, owner)

    def _add(self, name: str, sort: str, span: Span, scope: str, value: Part | None = None, **more: object) -> None:
        self._definitions.append(Definition(name, sort, span, scope, value, **more))  # type: ignore[arg-type]

    def _define(self, node: ast.stmt, scope: str) -> None:
        span = self.parts.span(node)
        if isinstance(node, ast.Assign):
            for target in node.targets:
                self._targets(target, "assigned", scope, node.value, span)
        elif isinstance(node, ast.AnnAssign) and node.value is not None:
            self._targets(node.target, "assigned", scope, node.value, span)
        elif isinstance(node, ast.AugAssign):
            self._targets(node.target, "changed", scope, node.value, span)
        elif isinstance(node, (ast.For, ast.AsyncFor)):
            self._targets(node.target, "loop", scope, node.iter, span)
        elif isinstance(node, (ast.With, ast.AsyncWith)):
            for item in node.items:
                if item.optional_vars is not None:
                    self._targets(item.optional_vars, "opened", scope, item.context_expr, span)
        elif isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            self._add(node.name, "function", self._name_span(node), scope, statement=span)
        elif isinstance(node, ast.ClassDef):
            self._add(node.name, "class", self._name_span(node), scope, statement=span)
        elif isinstance(node, ast.Import):
            for alias in node.names:
                bound = alias.asname or alias.name.split(".")[0]
                module = alias.name if alias.asname else alias.name.split(".")[0]
                self._add(bound, "import", span, scope, module=module, statement=span)
        elif isinstance(node, ast.ImportFrom):
            for alias in node.names:
                module = "." * node.level + (node.module or "")
                self._add(alias.asname or alias.name, "import", span, scope, module=module, imported=alias.name, statement=span)
        elif isinstance(node, (ast.Global, ast.Nonlocal)):
            for name in node.names:
                self._add(name, "outer", span, scope, statement=span)
        for inner in self._own_expressions(node):
            for part in ast.walk(inner):
                if isinstance(part, ast.NamedExpr):
                    self._targets(part.target, "assigned", scope, part.value, span)
                elif isinstance(part, ast.comprehension):
                    self._targets(part.target, "loop", scope, part.iter, span, inside=True)
                elif isinstance(part, ast.Lambda):
                    for argument in (*part.args.args, *part.args.kwonlyargs):
                        self._add(argument.arg, "parameter", self.parts.span(argument), scope, statement=span)

    def _targets(
        self, node: ast.expr, sort: str, scope: str, value: ast.expr, statement: Span, *, inside: bool = False
    ) -> None:
        if isinstance(node, ast.Name):
            part = self.parts.part(value)
            self._add(node.id, sort, self.parts.span(node), scope, part, statement=statement)
        elif isinstance(node, (ast.Tuple, ast.List)):
            values: Sequence[ast.expr] = ()
            if isinstance(value, (ast.Tuple, ast.List)) and len(value.elts) == len(node.elts) and sort == "assigned":
                values = value.elts
            for index, item in enumerate(node.elts):
                self._targets(item, sort, scope, values[index] if values else value, statement, inside=inside)
        elif isinstance(node, ast.Starred):
            self._targets(node.value, sort, scope, value, statement, inside=inside)
        elif isinstance(node, ast.Attribute):
            span = self.parts.part(node).name_span or self.parts.span(node)
            self._add(node.attr, "member", span, scope, self.parts.part(value), statement=statement)

    def _name_span(self, node: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) -> Span:
        row = self.parts.lines[node.lineno - 1]
        start = row.find(node.name, self.parts.column(node.lineno, node.col_offset) + 3) + 1
        return Span(node.lineno, start, node.lineno, start + len(node.name))

    def _own_expressions(self, node: ast.stmt) -> Iterator[ast.expr]:
        """Yield the expressions that belong to the statement itself, not to statements inside it."""
        for child in ast.iter_child_nodes(node):
            if isinstance(child, ast.expr):
                yield child
            elif isinstance(child, ast.withitem):
                yield child.context_expr
                if child.optional_vars is not None:
                    yield child.optional_vars
            elif isinstance(child, ast.keyword):
                yield child.value
            elif isinstance(child, ast.ExceptHandler) and child.type is not None:
                yield child.type
            elif isinstance(child, ast.arguments):
                yield from child.defaults
                yield from (default for default in child.kw_defaults if default is not None)

    def _function(self, node: ast.FunctionDef | ast.AsyncFunctionDef, scope: str, owner: str) -> Function:
        arguments = node.args
        params: list[Param] = []
        plain = [*arguments.posonlyargs, *arguments.args]
        defaults: list[ast.expr | None] = [None] * (len(plain) - len(arguments.defaults)) + list(arguments.defaults)
        for argument, default in zip(plain, defaults, strict=True):
            params.append(self._param(argument, default, ""))
        if arguments.vararg:
            params.append(self._param(arguments.vararg, None, "*"))
        for argument, default in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True):
            params.append(self._param(argument, default, "k"))
        if arguments.kwarg:
            params.append(self._param(arguments.kwarg, None, "**"))
        name_span = self._name_span(node)
        row = self.parts.lines[name_span.line - 1]
        bracket = row.find("(", name_span.end_column - 1)
        opening = Span(name_span.line, bracket + 2, name_span.line, bracket + 2) if bracket >= 0 else None
        inner = list(_same_function(node.body))
        generator = any(isinstance(item, (ast.Yield, ast.YieldFrom)) for item in inner)
        returns = tuple(
            (item.lineno, self.parts.part(item.value) if item.value is not None else None)
            for item in inner
            if isinstance(item, (ast.Yield, ast.YieldFrom) if generator else ast.Return)
        )
        decorators = tuple(ast.unparse(decorator).split("(")[0] for decorator in node.decorator_list)
        return Function(
            name=node.name,
            qualified=f"{scope}.{node.name}" if scope else node.name,
            span=self.parts.span(node),
            params=tuple(params),
            owner=owner,
            params_span=opening,
            returns=returns,
            falls_off=not generator and _falls_off(node.body),
            last_line=node.end_lineno or node.lineno,
            body_line=node.body[0].lineno,
            decorators=decorators,
            is_static="staticmethod" in decorators,
            is_generator=generator,
        )

    def _param(self, argument: ast.arg, default: ast.expr | None, star: str) -> Param:
        span = self.parts.span(argument)
        return Param(argument.arg, span, self.parts.part(default) if default is not None else None, star)

    # --- answers

    def _statement_node(self, line: int) -> tuple[ast.stmt, str] | None:
        best: tuple[ast.stmt, str] | None = None
        for node, scope in self._statements:
            if node.lineno <= line <= (node.end_lineno or node.lineno):
                best = (node, scope)  # later ones lie inside earlier ones
        return best

    def statement(self, line: int) -> Statement | None:
        """Return the innermost statement that covers the line."""
        found = self._statement_node(line)
        return self._statement(found[0]) if found is not None else None

    def heads(self, line: int) -> list[Statement]:
        """Return the statements whose heads cover the line, outermost first."""
        if line not in self._heads:
            innermost = self._statement_node(line)
            first = innermost[0].lineno if innermost is not None else None
            covering = [
                node for node, _ in self._statements if node.lineno == first and line <= (node.end_lineno or node.lineno)
            ]
            self._heads[line] = [self._statement(node) for node in covering]
        return self._heads[line]

    def _statement(self, node: ast.stmt) -> Statement:
        if node not in self._made:
            self._made[node] = self._made_of(node)
        return self._made[node]

    def _made_of(self, node: ast.stmt) -> Statement:
        targets: tuple[Part, ...] = ()
        if isinstance(node, ast.Assign):
            targets = tuple(self.parts.part(target) for target in node.targets)
        elif isinstance(node, (ast.AugAssign, ast.AnnAssign, ast.For)):
            targets = (self.parts.part(node.target),)
        row = self.parts.lines[node.lineno - 1]
        return Statement(
            type(node).__name__.lower(),
            self.parts.span(node),
            tuple(self.parts.part(item) for item in self._own_expressions(node)),
            targets,
            row[: len(row) - len(row.lstrip())],
        )

    def part_at(self, span: Span) -> Part | None:
        """Return the part with exactly that span, else the smallest that holds it."""
        statement = self.statement(span.line)
        best: Part | None = None
        for top in statement.parts if statement else ():
            for part in top.walk():
                if part.span == span:
                    return part
                if part.span.holds(span):
                    best = part
        return best

    def definitions(self, name: str | None = None) -> list[Definition]:
        """Return the places that define the name (all names when None), in order."""
        return [item for item in self._definitions if item.sort != "member" and name in (None, item.name)]

    def scope_at(self, line: int) -> str:
        """Return the qualified name of the function around the line."""
        best = ""
        for _, function in self._functions:
            if function.span.line <= line <= function.span.end_line:
                best = function.qualified
        return best

    def reaching(self, name: str, line: int) -> list[Definition]:
        """Return the definitions that can give the name its value at the line, likeliest first.

        In the same function: the nearest above, then (in a loop) those below; else the enclosing scopes'.
        """
        scope = self.scope_at(line)
        while True:
            own = [item for item in self.definitions(name) if item.scope == scope and item.sort != "outer"]
            outer = any(item.sort == "outer" for item in self.definitions(name) if item.scope == scope)
            if own and not outer:
                inner_scope = scope == self.scope_at(line)
                from_within = self._from_within(name, scope)
                if not inner_scope:
                    return list(reversed(own)) + from_within
                before = [d for d in own if _before(d, line)]
                after = [d for d in own if not _before(d, line) and d.span.line != line]
                same = [d for d in own if d.span.line == line and d.sort in ("loop", "parameter") and d not in before]
                if self.loops(line):
                    # the line itself, in the round before
                    after = [d for d in own if d.span.line == line and d.sort in ("assigned", "changed")] + after
                return self._still_holding(scope, line, same + list(reversed(before)) + after) + from_within
            if not scope:
                return []
            scope = scope.rpartition(".")[0]
            if scope in self._classes:
                scope = scope.rpartition(".")[0]

    def _from_within(self, name: str, scope: str) -> list[Definition]:
        """Return the definitions in inner functions that declare the name to be this scope's, last first."""
        named = self.definitions(name)
        inner = {d.scope for d in named if d.sort == "outer" and (not scope or d.scope.startswith(f"{scope}."))}
        return [d for d in reversed(named) if d.scope in inner and d.sort not in ("outer", "loop") and d.scope != scope]

    def _still_holding(self, scope: str, line: int, found: list[Definition]) -> list[Definition]:
        """Leave out what a later definition hides on every way to the line; parameters hold unless hidden."""
        body: list[ast.stmt] = self.tree.body
        for node, function in self._functions:
            if function.qualified == scope and isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
                body = node.body
        plain = [d for d in found if d.sort != "parameter"]
        lines = reaching_lines(body, line, (d.span.line for d in plain))
        if lines is None or not lines & {d.span.line for d in plain}:
            return found
        kept = [d for d in found if d.sort == "parameter" or d.span.line in lines or d.span.line == line]
        return kept if kept else found

    def visible(self, line: int) -> set[str]:
        """Return the program's own names that can be used at the line."""
        scope = self.scope_at(line)
        scopes = {""}
        while scope:
            scopes.add(scope)
            scope = scope.rpartition(".")[0]
        classes = set(self._classes)
        return {d.name for d in self.definitions() if d.scope in scopes and d.scope not in classes}

    @cached_property
    def _identifiers(self) -> dict[str, list[Span]]:
        found: dict[str, list[Span]] = {}
        for node in ast.walk(self.tree):
            if isinstance(node, ast.Name):
                found.setdefault(node.id, []).append(self.parts.span(node))
            elif isinstance(node, ast.arg):
                span = self.parts.span(node)
                found.setdefault(node.arg, []).append(Span(span.line, span.column, span.line, span.column + len(node.arg)))
        for definition in self._definitions:
            if definition.sort in ("function", "class"):
                found.setdefault(definition.name, []).append(definition.span)
            elif definition.sort == "import":
                found.setdefault(definition.name, []).extend(self._in_import(definition))
        for spans in found.values():
            spans.sort(key=lambda span: (span.line, span.column))
        return found

    def _in_import(self, definition: Definition) -> list[Span]:
        row = self.parts.lines[definition.span.line - 1]
        start = row.rfind(definition.name)
        line = definition.span.line
        return [Span(line, start + 1, line, start + 1 + len(definition.name))] if start >= 0 else []

    def uses(self, name: str) -> list[Span]:
        """Return every place where the name stands as an identifier."""
        return self._identifiers.get(name, [])

    def functions(self, name: str | None = None) -> list[Function]:
        """Return the functions with that last or qualified name."""
        if name is None:
            return [function for _, function in self._functions]
        return self._functions_by_name.get(name, [])

    @cached_property
    def _functions_by_name(self) -> dict[str, list[Function]]:
        found: dict[str, list[Function]] = {}
        for _, function in self._functions:
            for name in dict.fromkeys((function.name, function.qualified)):
                found.setdefault(name, []).append(function)
        return found

    @cached_property
    def _calls(self) -> dict[str, list[Part]]:
        found: dict[str, list[Part]] = {}
        for node in ast.walk(self.tree):
            if isinstance(node, ast.Call):
                part = self.parts.part(node)
                found.setdefault(part.called, []).append(part)
        return found

    def calls(self, name: str) -> list[Part]:
        """Return the calls of a function of that last name."""
        return self._calls.get(name, [])

    def loops(self, line: int) -> list[Loop]:
        """Return the loops around the line, innermost first, within the line's own function."""
        scope = self.scope_at(line)
        found: list[Loop] = []
        for node, own in self._statements:
            if own != scope or not node.lineno <= line <= (node.end_lineno or node.lineno):
                continue
            if isinstance(node, (ast.For, ast.AsyncFor)):
                over, target = self.parts.part(node.iter), self.parts.part(node.target)
                found.append(Loop("for", self.parts.span(node), target, over))
            elif isinstance(node, ast.While):
                found.append(Loop("while", self.parts.span(node), condition=self.parts.part(node.test)))
        return list(reversed(found))

    def guards(self, line: int) -> list[int]:
        """Return the lines of the conditions that let the line run, nearest first: around it, or above it with an early end."""
        scope = self.scope_at(line)
        found: list[int] = []
        for node, own in self._statements:
            if own != scope or not isinstance(node, (ast.If, ast.While)) or node.lineno >= line:
                continue
            around = node.body[0].lineno <= line <= (node.end_lineno or node.lineno)
            above = isinstance(node, ast.If) and (node.end_lineno or 0) < line and isinstance(node.body[-1], _LEAVES)
            if around or above:
                found.append(node.lineno)
        return list(reversed(found))

    def is_field(self, item: Definition) -> bool:
        """Tell what each object of a class has under a bare name: in Python members are always asked of an object."""
        return False

    def members(self, name: str) -> list[Definition]:
        """Return where a member of that name is set on an object."""
        found = [item for item in self._definitions if item.sort == "member" and item.name == name]
        found += [d for d in self._definitions if d.name == name and d.scope.rpartition(".")[2] in self._classes]
        return found

    def all_members(self) -> set[str]:
        """Return every member name that the source itself gives to its objects."""
        classes = set(self._classes)
        found = {item.name for item in self._definitions if item.sort == "member"}
        found |= {item.name for item in self._definitions if item.scope.rpartition(".")[2] in classes}
        return found

    def used_members(self) -> set[str]:
        """Return every name that is asked of an object."""
        return {node.attr for node in ast.walk(self.tree) if isinstance(node, ast.Attribute)}

    def bases(self, name: str) -> list[str] | None:
        """Return the names of a class's bases."""
        node = self._classes.get(name)
        return None if node is None else [ast.unparse(base) for base in node.bases]

    def literal_keys(self) -> dict[str, list[Span]]:
        """Return the keys written as text literals: in dict displays, subscripts and keyword calls of dict."""
        return self._literal_keys

    @cached_property
    def _literal_keys(self) -> dict[str, list[Span]]:
        found: dict[str, list[Span]] = {}
        for node in ast.walk(self.tree):
            keys: list[ast.expr | None] = []
            if isinstance(node, ast.Dict):
                keys = list(node.keys)
            elif isinstance(node, ast.Subscript):
                keys = [node.slice]
            elif isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "get":
                keys = list(node.args[:1])
            for key in keys:
                if isinstance(key, ast.Constant) and isinstance(key.value, str):
                    found.setdefault(key.value, []).append(self.parts.span(key))
        return found


def _before(definition: Definition, line: int) -> bool:
    """Tell whether the definition is done when control reaches the line."""
    if definition.sort == "parameter":
        return True
    if definition.sort == "loop":
        return definition.span.line <= line
    end = definition.statement.end_line if definition.statement else definition.span.end_line
    if definition.sort in ("function", "class", "opened"):
        return definition.span.line < line
    return end < line


def _same_function(body: Sequence[ast.AST]) -> Iterator[ast.AST]:
    """Yield all nodes below, not entering functions or classes inside."""
    for node in body:
        yield node
        if not isinstance(node, (*_FUNCTIONS, ast.ClassDef)):
            yield from _same_function(list(ast.iter_child_nodes(node)))


def _falls_off(body: Sequence[ast.stmt]) -> bool:
    """Tell whether control can reach the end of the block."""
    for node in body:
        if isinstance(node, (ast.Return, ast.Raise, ast.Continue, ast.Break)):
            return False
        if isinstance(node, ast.If) and node.orelse and not _falls_off(node.body) and not _falls_off(node.orelse):
            return False
        if isinstance(node, (ast.With, ast.AsyncWith)) and not _falls_off(node.body):
            return False
        if isinstance(node, ast.While) and isinstance(node.test, ast.Constant) and node.test.value:
            if not any(isinstance(inner, ast.Break) for inner in _same_function(node.body)):
                return False
        if isinstance(node, ast.Try):
            main = _falls_off([*node.body, *node.orelse])
            handlers = [_falls_off(handler.body) for handler in node.handlers]
            if node.finalbody and not _falls_off(node.finalbody):
                return False
            if not main and not any(handlers):
                return False
        if type(node).__name__ == "Match":
            cases = node.cases  # type: ignore[attr-defined]
            last = cases[-1].pattern
            catches_all = isinstance(last, ast.MatchAs) and last.pattern is None
            if catches_all and not any(_falls_off(case.body) for case in cases):
                return False
    return True
