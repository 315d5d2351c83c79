"""Who defines and who uses a name, by the language's scopes (the reference's section on naming and binding)."""

from __future__ import annotations

import ast
import builtins

BUILTINS = frozenset(dir(builtins)) | set(
    """
    __file__ __path__ __builtins__ __annotations__ __class__ WindowsError reveal_type __debug__ __module__ __qualname__
    __firstlineno__ __classdict__ unicode long xrange basestring raw_input unichr cmp reduce execfile exit quit
    copyright credits license get_ipython display __IPYTHON__
""".split()
)
#: Without names of their own.
_LEAVES = frozenset(
    [
        ast.Constant,
        ast.Load,
        ast.Store,
        ast.Del,
        ast.Add,
        ast.Sub,
        ast.Mult,
        ast.Mod,
        ast.And,
        ast.Or,
        ast.Not,
        ast.Pass,
        ast.Break,
        ast.Continue,
    ]
)
#: That only hold others.
_PLAIN = frozenset(
    [
        ast.Attribute,
        ast.Call,
        ast.Expr,
        ast.Assign,
        ast.Return,
        ast.If,
        ast.Compare,
        ast.BinOp,
        ast.Subscript,
        ast.keyword,
        ast.Tuple,
        ast.List,
    ]
)
_COMPREHENSIONS = (ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)


class Scope:
    """A module, class, function, lambda or comprehension."""

    __slots__ = ("bound", "inside", "node", "outer", "outside", "uses")

    def __init__(self, node: ast.AST, outer: Scope | None) -> None:
        self.node = node
        self.outer = outer
        #: Name -> first binding node.
        self.bound: dict[str, ast.AST] = {}
        #: Names declared global or nonlocal.
        self.outside: set[str] = set()
        self.uses: list[ast.Name] = []
        self.inside: list[Scope] = []

    @property
    def is_class(self) -> bool:
        """Tell a class, whose names its functions do not see."""
        return isinstance(self.node, ast.ClassDef)


class Scopes:
    """All scopes of a module."""

    def __init__(self, tree: ast.Module) -> None:
        self.module = Scope(tree, None)
        self.every: list[Scope] = [self.module]
        #: Whether names come in that cannot be told: `from x import *`, `exec`, `globals()`.
        self.open = False
        for statement in tree.body:
            self._visit(statement, self.module)

    def _new(self, node: ast.AST, outer: Scope) -> Scope:
        scope = Scope(node, outer)
        outer.inside.append(scope)
        self.every.append(scope)
        return scope

    def _bind(self, scope: Scope, name: str, node: ast.AST) -> None:
        if name in scope.outside:
            self.module.bound.setdefault(name, node)
        else:
            scope.bound.setdefault(name, node)

    def _visit(self, node: ast.AST, scope: Scope) -> None:
        kind = type(node)
        if kind in _PLAIN:
            self._children(node, scope)
            return
        if kind is ast.Name:
            if type(node.ctx) is ast.Load:  # type: ignore[attr-defined]
                scope.uses.append(node)  # type: ignore[arg-type]
                if node.id in ("exec", "globals", "locals", "vars", "eval"):  # type: ignore[attr-defined]
                    self.open = True
            else:
                self._bind(scope, node.id, node)  # type: ignore[attr-defined]
            return
        if kind in (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda):
            self._function(node, scope)
            return
        if kind is ast.ClassDef:
            self._bind(scope, node.name, node)  # type: ignore[attr-defined]
            for part in (*node.decorator_list, *node.bases, *node.keywords):  # type: ignore[attr-defined]
                self._visit(part, scope)
            inner = self._new(node, scope)
            self._type_params(node, inner)
            for statement in node.body:  # type: ignore[attr-defined]
                self._visit(statement, inner)
            return
        if kind in _COMPREHENSIONS:
            self._comprehension(node, scope)
            return
        if kind in (ast.Import, ast.ImportFrom):
            for alias in node.names:  # type: ignore[attr-defined]
                if alias.name == "*":
                    self.open = True
                else:
                    self._bind(scope, alias.asname or alias.name.split(".")[0], node)
            return
        if kind in (ast.Global, ast.Nonlocal):
            scope.outside.update(node.names)  # type: ignore[attr-defined]
            if kind is ast.Global:
                for name in node.names:  # type: ignore[attr-defined]
                    self.module.bound.setdefault(name, node)
            return
        if (kind is ast.ExceptHandler and node.name) or (kind in (ast.MatchAs, ast.MatchStar) and node.name):  # type: ignore[attr-defined]
            self._bind(scope, node.name, node)  # type: ignore[attr-defined]
        elif kind is ast.MatchMapping and node.rest:  # type: ignore[attr-defined]
            self._bind(scope, node.rest, node)  # type: ignore[attr-defined]
        elif kind is ast.NamedExpr:
            holder = scope
            while isinstance(holder.node, _COMPREHENSIONS) and holder.outer is not None:
                holder = holder.outer
            self._bind(holder, node.target.id, node)  # type: ignore[attr-defined]
            self._visit(node.value, scope)  # type: ignore[attr-defined]
            return
        elif kind.__name__ == "TypeAlias":
            self.open = True
        self._children(node, scope)

    def _children(self, node: ast.AST, scope: Scope) -> None:
        for field in node._fields:
            child = getattr(node, field, None)
            if child.__class__ is list:
                for item in child:
                    if item.__class__ is not ast.Constant and isinstance(item, ast.AST):
                        self._visit(item, scope)
            elif child.__class__ in _LEAVES:
                continue
            elif isinstance(child, ast.AST):
                self._visit(child, scope)

    def _type_params(self, node: ast.AST, scope: Scope) -> None:
        for param in getattr(node, "type_params", ()):
            scope.bound.setdefault(param.name, param)

    def _function(self, node: ast.AST, scope: Scope) -> None:
        arguments: ast.arguments = node.args  # type: ignore[attr-defined]
        name = getattr(node, "name", None)
        if name is not None:
            self._bind(scope, name, node)
        inner = self._new(node, scope)
        self._type_params(node, inner)
        for part in (
            *getattr(node, "decorator_list", ()),
            *arguments.defaults,
            *(d for d in arguments.kw_defaults if d is not None),
        ):
            self._visit(part, scope)
        for argument in (*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs, arguments.vararg, arguments.kwarg):
            if argument is not None:
                inner.bound.setdefault(argument.arg, argument)
        body = node.body  # type: ignore[attr-defined]
        for statement in body if isinstance(body, list) else [body]:
            self._visit(statement, inner)

    def _comprehension(self, node: ast.AST, scope: Scope) -> None:
        inner = self._new(node, scope)
        first = True
        for generator in node.generators:  # type: ignore[attr-defined]
            self._visit(generator.iter, scope if first else inner)
            first = False
            self._visit(generator.target, inner)
            for condition in generator.ifs:
                self._visit(condition, inner)
        for part in ("elt", "key", "value"):
            child = getattr(node, part, None)
            if child is not None:
                self._visit(child, inner)

    def holder(self, name: str, scope: Scope) -> Scope | None:
        """Return the scope that defines a name as seen from a scope, None when none does."""
        if name in scope.outside:
            return self.module if name in self.module.bound else None
        looking: Scope | None = scope
        while looking is not None:
            if name in looking.bound and (looking is scope or not looking.is_class or isinstance(scope.node, _COMPREHENSIONS)):
                return looking
            looking = looking.outer
        return None

    def visible(self, scope: Scope) -> set[str]:
        """Return the names one can use in a scope."""
        names: set[str] = set()
        looking: Scope | None = scope
        while looking is not None:
            if looking is scope or not looking.is_class:
                names |= set(looking.bound)
            looking = looking.outer
        return names
