"""Python's syntax tree turned into parts."""

from __future__ import annotations

import ast

from jamkey.languages.base import Part, Span

_OPERATORS: dict[type[ast.AST], str] = {
    ast.Add: "+",
    ast.Sub: "-",
    ast.Mult: "*",
    ast.Div: "/",
    ast.FloorDiv: "//",
    ast.Mod: "%",
    ast.Pow: "**",
    ast.MatMult: "@",
    ast.LShift: "<<",
    ast.RShift: ">>",
    ast.BitAnd: "&",
    ast.BitOr: "|",
    ast.BitXor: "^",
    ast.And: "and",
    ast.Or: "or",
    ast.Not: "not",
    ast.USub: "-",
    ast.UAdd: "+",
    ast.Invert: "~",
    ast.Eq: "==",
    ast.NotEq: "!=",
    ast.Lt: "<",
    ast.LtE: "<=",
    ast.Gt: ">",
    ast.GtE: ">=",
    ast.Is: "is",
    ast.IsNot: "is not",
    ast.In: "in",
    ast.NotIn: "not in",
}


class Parts:
    """Turns nodes into parts; keeps the lines for the byte-to-character conversion of columns."""

    def __init__(self, text: str) -> None:
        self.lines = text.split("\n")

    def column(self, line: int, offset: int) -> int:
        """Turn ast's 0-based UTF-8 offset into a 1-based column in characters."""
        if not 1 <= line <= len(self.lines):
            return offset + 1
        row = self.lines[line - 1]
        if row.isascii():
            return offset + 1
        return len(row.encode("utf-8", "surrogatepass")[:offset].decode("utf-8", "ignore")) + 1

    def span(self, node: ast.AST) -> Span:
        """Return the span of a node."""
        line: int = node.lineno  # type: ignore[attr-defined]
        end: int = node.end_lineno  # type: ignore[attr-defined]
        return Span(
            line,
            self.column(line, node.col_offset),  # type: ignore[attr-defined]
            end,
            self.column(end, node.end_col_offset),  # type: ignore[attr-defined]
        )

    def source(self, span: Span) -> str:
        """Return the text of a span."""
        rows = self.lines[span.line - 1 : span.end_line]
        if not rows:
            return ""
        rows = list(rows)
        rows[-1] = rows[-1][: span.end_column - 1]
        rows[0] = rows[0][span.column - 1 :]
        return "\n".join(rows)

    def part(self, node: ast.expr) -> Part:
        """Return the part for an expression."""
        span = self.span(node)
        source = self.source(span)
        maker = getattr(self, f"_{type(node).__name__.lower()}", None)
        if maker is not None:
            made: Part = maker(node, span, source)
            return made
        children = tuple(("item", self.part(child)) for child in ast.iter_child_nodes(node) if isinstance(child, ast.expr))
        return Part("other", span, source, children=children)

    def _name(self, node: ast.Name, span: Span, source: str) -> Part:
        return Part("name", span, source, node.id, span)

    def _attribute(self, node: ast.Attribute, span: Span, source: str) -> Part:
        name_span = Span(span.end_line, span.end_column - len(node.attr), span.end_line, span.end_column)
        return Part("member", span, source, node.attr, name_span, (("object", self.part(node.value)),))

    def _subscript(self, node: ast.Subscript, span: Span, source: str) -> Part:
        key = node.slice
        if type(key).__name__ == "Index":  # Python 3.8's tree
            key = key.value  # type: ignore[attr-defined]
        return Part("index", span, source, children=(("object", self.part(node.value)), ("key", self.part(key))))

    def _slice(self, node: ast.Slice, span: Span, source: str) -> Part:
        bounds = (("lower", node.lower), ("upper", node.upper), ("step", node.step))
        return Part("slice", span, source, children=tuple((r, self.part(b)) for r, b in bounds if b is not None))

    def _call(self, node: ast.Call, span: Span, source: str) -> Part:
        children = [("callee", self.part(node.func))]
        children += [("argument", self.part(argument)) for argument in node.args]
        children += [(f"argument:{word.arg or '**'}", self.part(word.value)) for word in node.keywords]
        return Part("call", span, source, children=tuple(children))

    def _binop(self, node: ast.BinOp, span: Span, source: str) -> Part:
        children = (("left", self.part(node.left)), ("right", self.part(node.right)))
        return Part("binary", span, source, _OPERATORS[type(node.op)], children=children)

    def _boolop(self, node: ast.BoolOp, span: Span, source: str) -> Part:
        children = tuple(("item", self.part(value)) for value in node.values)
        return Part("other", span, source, _OPERATORS[type(node.op)], children=children)

    def _compare(self, node: ast.Compare, span: Span, source: str) -> Part:
        operands = [node.left, *node.comparators]
        children = [("left", self.part(operands[0]))]
        children += [("right", self.part(operand)) for operand in operands[1:]]
        return Part("compare", span, source, _OPERATORS[type(node.ops[0])], children=tuple(children))

    def _unaryop(self, node: ast.UnaryOp, span: Span, source: str) -> Part:
        if isinstance(node.operand, ast.Constant) and isinstance(node.op, ast.USub):
            return Part("literal", span, source, source)
        return Part("unary", span, source, _OPERATORS[type(node.op)], children=(("right", self.part(node.operand)),))

    def _constant(self, node: ast.Constant, span: Span, source: str) -> Part:
        sort = "text" if isinstance(node.value, (str, bytes)) else "literal"
        name = node.value if isinstance(node.value, str) else source
        return Part(sort, span, source, name)

    def _joinedstr(self, node: ast.JoinedStr, span: Span, source: str) -> Part:
        children: list[tuple[str, Part]] = []
        for value in node.values:
            # before 3.12 the tree of an f-string's inside has wrong places: those parts are left out
            if isinstance(value, ast.FormattedValue) and span.holds(self.span(value.value)):
                inner = self.part(value.value)
                if inner.source and inner.sort != "other":
                    children.append(("item", inner))
        return Part("text", span, source, children=tuple(children))

    def _ifexp(self, node: ast.IfExp, span: Span, source: str) -> Part:
        children = (("value", self.part(node.body)), ("test", self.part(node.test)), ("value", self.part(node.orelse)))
        return Part("choice", span, source, children=children)

    def _items(self, sort: str, node: ast.List | ast.Tuple | ast.Set, span: Span, source: str) -> Part:
        return Part(sort, span, source, children=tuple(("item", self.part(item)) for item in node.elts))

    def _list(self, node: ast.List, span: Span, source: str) -> Part:
        return self._items("list", node, span, source)

    def _tuple(self, node: ast.Tuple, span: Span, source: str) -> Part:
        return self._items("tuple", node, span, source)

    def _set(self, node: ast.Set, span: Span, source: str) -> Part:
        return self._items("set", node, span, source)

    def _dict(self, node: ast.Dict, span: Span, source: str) -> Part:
        children: list[tuple[str, Part]] = []
        for key, value in zip(node.keys, node.values, strict=True):
            if key is not None:
                children.append(("key", self.part(key)))
            children.append(("value", self.part(value)))
        return Part("dict", span, source, children=tuple(children))

    def _comprehension(self, node: ast.expr, span: Span, source: str) -> Part:
        children: list[tuple[str, Part]] = []
        if isinstance(node, ast.DictComp):
            children += [("element", self.part(node.key)), ("element", self.part(node.value))]
        else:
            children.append(("element", self.part(node.elt)))  # type: ignore[attr-defined]
        for generator in node.generators:  # type: ignore[attr-defined]
            children.append(("target", self.part(generator.target)))
            children.append(("iterable", self.part(generator.iter)))
            children += [("test", self.part(test)) for test in generator.ifs]
        return Part("comprehension", span, source, type(node).__name__, children=tuple(children))

    _listcomp = _setcomp = _dictcomp = _generatorexp = _comprehension

    def _lambda(self, node: ast.Lambda, span: Span, source: str) -> Part:
        return Part("function", span, source, children=(("value", self.part(node.body)),))

    def _starred(self, node: ast.Starred, span: Span, source: str) -> Part:
        return Part("star", span, source, children=(("item", self.part(node.value)),))

    def _await(self, node: ast.Await, span: Span, source: str) -> Part:
        return Part("other", span, source, "await", children=(("item", self.part(node.value)),))
