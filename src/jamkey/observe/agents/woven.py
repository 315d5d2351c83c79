"""The calls that are put around a script's expressions, so that a watch sees what meets there.

Loaded beside `watcher.py` by the user's interpreter: Python 3.8 to 3.14, standard library only.
"""

import ast
import operator
import sys

BINARY = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.FloorDiv: operator.floordiv,
    ast.Mod: operator.mod,
    ast.Pow: operator.pow,
    ast.BitAnd: operator.and_,
    ast.BitOr: operator.or_,
    ast.MatMult: operator.matmul,
}
COMPARE = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
    ast.In: lambda a, b: a in b,
    ast.NotIn: lambda a, b: a not in b,
}
_SPECIAL = frozenset(name for kind in (object, int, list, dict, type(i for i in ())) for name in dir(kind)) | {
    "__enter__",
    "__exit__",
    "__call__",
    "__getattr__",
    "__missing__",
    "__post_init__",
    "__len__",
    "__next__",
}
#: What looks at the frame that calls it, or is watched elsewhere.
_LEFT_ALONE = frozenset("super locals globals vars dir eval exec breakpoint input print query __import__ type".split())


class _Around(ast.NodeTransformer):
    def __init__(self, watch, file):
        self.watch, self.file = watch, file
        self.loops = []
        self.quiet = 0

    def site(self, node):
        return ast.Constant(self.watch.place(self.file, node.lineno))

    def ask(self, node, name, *args):
        function = ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), name, ast.Load())
        return ast.copy_location(ast.Call(function, [self.site(node), *args], []), node)

    def say(self, node, code, example):
        """Note what the text alone tells."""
        site = self.watch.place(self.file, node.lineno)
        self.watch.seen[site] = 1
        self.watch.note(site, code, example)

    def how(self, table, node):
        return ast.Subscript(
            ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), table, ast.Load()),
            _index(ast.Constant(type(node).__name__)),
            ast.Load(),
        )

    def visit_BinOp(self, node):
        node = self.generic_visit(node)
        if type(node.op) in BINARY and not (isinstance(node.op, ast.Mod) and isinstance(node.left, ast.Constant)):
            return self.ask(node, "binary", self.how("of", node.op), node.left, node.right)
        return node

    def visit_Compare(self, node):
        operands = [node.left, *node.comparators]
        for inner in operands:
            if isinstance(inner, ast.BinOp) and isinstance(inner.op, (ast.BitAnd, ast.BitOr)):
                if not any(isinstance(part, ast.Constant) and isinstance(part.value, int) for part in ast.walk(inner)):
                    sign = "&" if isinstance(inner.op, ast.BitAnd) else "|"
                    self.say(node, "binds-tighter", "`%s` is computed before the comparison" % sign)
        node = self.generic_visit(node)
        if len(node.ops) == 1 and type(node.ops[0]) in COMPARE:
            return self.ask(node, "compare", self.how("of", node.ops[0]), node.left, node.comparators[0])
        return node

    def visit_Call(self, node):
        whole = node
        node = self.generic_visit(node)
        function = node.func
        name = function.attr if isinstance(function, ast.Attribute) else function.id if isinstance(function, ast.Name) else ""
        if not name or name in _LEFT_ALONE:
            return node
        nothing = ast.Constant(None)
        if isinstance(function, ast.Attribute):
            if isinstance(function.value, ast.Call) and isinstance(function.value.func, ast.Name):
                if function.value.func.id == "super":
                    return node
            made = ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "call_of", ast.Load())
            args = [self.site(whole), ast.Constant(name), function, *node.args]
            return ast.copy_location(ast.Call(made, args, node.keywords), node)
        made = ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "call", ast.Load())
        args = [self.site(whole), ast.Constant(name), nothing, function, *node.args]
        return ast.copy_location(ast.Call(made, args, node.keywords), node)

    def visit_Subscript(self, node):
        inside = self.loops and isinstance(node.ctx, ast.Load) and not isinstance(node.slice, (ast.Tuple, ast.Constant))
        used = {inner.id for inner in ast.walk(node.slice) if isinstance(inner, ast.Name)} if inside else set()
        loop = next((loop for loop in reversed(self.loops) if loop[1] & used), None) if inside else None
        node = self.generic_visit(node)
        if loop is None or type(node.slice).__name__ == "ExtSlice":
            return node
        place = node.slice.value if type(node.slice).__name__ == "Index" else node.slice
        if isinstance(place, ast.Slice):
            empty = ast.Constant(None)
            place = ast.Call(
                ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "slice", ast.Load()),
                [place.lower or empty, place.upper or empty, place.step or empty],
                [],
            )
        return self.ask(loop[0], "item", node.value, place)

    def visit_For(self, node):
        names = {inner.id for inner in ast.walk(node.target) if isinstance(inner, ast.Name)}
        node.iter = self.visit(node.iter)
        node.target = self.visit(node.target)
        asked = self.ask(node, "rounds", node.iter)
        node.iter = ast.copy_location(asked, node.iter)
        self.loops.append((node, names, asked.args[0].value))
        body = list(node.body)
        made = [self.visit(inner) for inner in body]
        self.loops.pop()
        node.body = made
        node.orelse = [self.visit(inner) for inner in node.orelse]
        return node

    def visit_Assign(self, node):
        only = node.targets[0] if len(node.targets) == 1 else None
        read = sorted({inner.id for inner in ast.walk(node.value) if isinstance(inner, ast.Name)})[:8]
        node = self.generic_visit(node)
        for target in node.targets:
            self.of_target(target)
        if isinstance(only, ast.Name) and not isinstance(node.value, ast.Constant):
            names = ast.Tuple([ast.Constant(name) for name in read], ast.Load())
            node.value = self.ask(node, "step", node.value, ast.Constant(only.id), names)
        return node

    def visit_AugAssign(self, node):
        node.value = self.visit(node.value)
        self.of_target(node.target)
        return node

    def of_target(self, target):
        base = target.value if isinstance(target, ast.Subscript) else None
        if isinstance(base, (ast.Subscript, ast.Call)):
            target.value = self.ask(target, "base", base)
        elif isinstance(base, ast.Name) and self.loops and base.id in self.loops[-1][1]:
            # the loop's own name, not asked for again before the next round gives it another value
            inside = ast.walk(self.loops[-1][0])
            later = [
                name for name in inside if isinstance(name, ast.Name) and name.id == base.id and name.lineno > target.lineno
            ]
            if not later:
                target.value = self.ask(target, "base", base, ast.Constant(1), ast.Constant(self.loops[-1][2]))

    def visit_ExceptHandler(self, node):
        node = self.generic_visit(node)
        trivial = all(isinstance(inner, (ast.Pass, ast.Continue)) for inner in node.body)
        if trivial and node.type is not None:
            node.name = node.name or "__jamkey_error__"
            node.body.insert(0, ast.Expr(self.ask(node, "caught", ast.Name(node.name, ast.Load()))))
        return node

    def visit_Return(self, node):
        direct = next((site for loop, _, site in self.loops[-1:] if node in loop.body), None)
        node = self.generic_visit(node)
        if node.value is not None and direct is not None:
            node.value = self.ask(node, "left", ast.Constant(direct), node.value)
        return node

    def visit_Expr(self, node):
        call = node.value
        if isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute) and isinstance(call.func.value, ast.Name):
            owner = ast.Name(call.func.value.id, ast.Load())
            node = self.generic_visit(node)
            before = ast.Call(ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "mark", ast.Load()), [owner], [])
            node.value = self.ask(node, "dropped", ast.Constant(False), owner, before, node.value)
        elif isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id in ("sorted", "reversed", "zip"):
            node = self.generic_visit(node)
            none = ast.Constant(None)
            node.value = self.ask(node, "dropped", ast.Constant(True), none, none, node.value)
        elif isinstance(call, (ast.Attribute, ast.Name)):
            node = self.generic_visit(node)
            node.value = self.ask(node, "uncalled", node.value)
        else:
            node = self.generic_visit(node)
        return node

    def visit_FunctionDef(self, node):
        arguments = node.args
        pairs = list(zip(reversed(arguments.posonlyargs + arguments.args), reversed(arguments.defaults)))
        pairs += [(arg, default) for arg, default in zip(arguments.kwonlyargs, arguments.kw_defaults) if default]
        shared = [arg.arg for arg, default in pairs if isinstance(default, (ast.List, ast.Dict, ast.Set, ast.Call))]
        self.taken_over(node.body)
        loops, self.loops = self.loops, []
        node.body = [self.visit(inner) for inner in node.body]
        self.loops = loops
        if shared and isinstance(node, ast.FunctionDef):
            values = ast.Tuple(
                [ast.Tuple([ast.Constant(name), ast.Name(name, ast.Load())], ast.Load()) for name in shared], ast.Load()
            )
            first = 1 if ast.get_docstring(node) is not None else 0
            node.body.insert(first, ast.copy_location(ast.Expr(self.ask(node, "entered", values)), node.body[0]))
        return node

    visit_AsyncFunctionDef = visit_FunctionDef  # noqa: N815

    def visit_ClassDef(self, node):
        for inner in node.body:
            core = inner.name.strip("_") if isinstance(inner, ast.FunctionDef) else ""
            if (
                core
                and inner.name != "__%s__" % core
                and inner.name[0] == inner.name[-1] == "_"
                and "__%s__" % core in _SPECIAL
            ):
                self.say(inner, "nearly-special", "the language asks for `__%s__`, not `%s`" % (core, inner.name))
        for inner in node.body:
            if isinstance(inner, ast.Assign) and len(inner.targets) == 1 and isinstance(inner.targets[0], ast.Name):
                if isinstance(inner.value, (ast.List, ast.Dict, ast.Set)) and not inner.targets[0].id.startswith("__"):
                    name = ast.Constant(inner.targets[0].id)
                    inner.value = self.ask(inner, "member", name, inner.value)
        node.body = [self.visit(inner) if not isinstance(inner, ast.Assign) else inner for inner in node.body]
        return node

    def taken_over(self, body):
        """A name that has a value, is used as a loop's, and is asked for afterwards as if it had not been."""
        known = set()
        for number, statement in enumerate(body):
            if isinstance(statement, ast.For):
                names = {inner.id for inner in ast.walk(statement.target) if isinstance(inner, ast.Name)}
                for name in sorted(names & known):
                    for later in body[number + 1 :]:
                        uses = [inner for inner in ast.walk(later) if isinstance(inner, ast.Name) and inner.id == name]
                        if any(isinstance(inner.ctx, ast.Store) for inner in uses):
                            break
                        if uses:
                            words = "the loop gives `%s` other values, and it is asked for on line %d" % (name, later.lineno)
                            self.say(statement, "taken-over", words)
                            break
            elif isinstance(statement, (ast.Assign, ast.AnnAssign)):
                targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]
                known |= {inner.id for target in targets for inner in ast.walk(target) if isinstance(inner, ast.Name)}

    def visit_Module(self, node):
        self.taken_over(node.body)
        return self.generic_visit(node)

    def visit_JoinedStr(self, node):
        return node if sys.version_info < (3, 12) else self.generic_visit(node)

    def visit_AnnAssign(self, node):
        if node.value is not None:
            node.value = self.visit(node.value)
        return node


def _index(value):
    return ast.Index(value) if sys.version_info < (3, 9) else value


def watched(watch, source, file):
    tree = ast.parse(source, file)
    tree = _Around(watch, file).visit(tree)
    ast.fix_missing_locations(tree)
    return compile(tree, file, "exec", dont_inherit=True)
