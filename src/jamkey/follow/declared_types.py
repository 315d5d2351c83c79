"""Of what type an expression is, where a language has its types written: C, Java and their like."""

from __future__ import annotations

import re

from jamkey.languages.base import Code, Definition, Part
from jamkey.text import line_at

#: What stands before the name that is declared: words that are no type, the type, how many of it.
_TYPE = re.compile(
    r"\s*(?:(?:public|private|protected|static|final|const|volatile|extern|register|inline|unsigned|signed|struct|abstract)\s+)*"
    r"(?P<name>[A-Za-z_][\w.:]*)(?:\s*<[^;(){}]*>)?(?P<many>(?:\s*(?:\[\s*\]|[*&]|const\b))*)"
)
_CAST = re.compile(r"\(\s*([A-Za-z_]\w*)\s*\)\s*[^\s)]")
_ARRAY = re.compile(r"\s*(?:\[[^\]]*\])")
_WHOLE = frozenset(
    "int long short byte char size_t ssize_t int8_t int16_t int32_t int64_t uint8_t uint16_t uint32_t uint64_t".split()
)
_WHOLE_BOXES = frozenset({"Integer", "Long", "Short", "Byte"})
_FRACTION = frozenset({"double", "float", "Double", "Float"})
#: Members and methods that tell how many there are, in whatever class.
_COUNTS = frozenset({"length", "size"})
_SIGNS = frozenset({"+", "-", "*", "/", "%"})
_NO_TYPES = frozenset({"return", "else", "case", "new", "import", "package", "class", "goto", "throw"})
_DEEPEST = 12
#: Characters of a line that are looked at.
_WIDTH = 400


def is_whole(name: str) -> bool:
    """Tell the types of whole numbers."""
    return name in _WHOLE or name in _WHOLE_BOXES


def is_fraction(name: str) -> bool:
    """Tell the types of numbers with a fraction."""
    return name in _FRACTION


def is_text(name: str) -> bool:
    """Tell a type whose values are texts, and are no texts to `==`."""
    return name in ("String", "char*")


def declared_type(code: Code, part: Part, depth: int = 0) -> str:
    """Return the type of a part as it is declared, `double`, `String`, `int[]`, `char*`; empty where nothing says it.

    Args:
        code: the source in which it stands.
        part: an expression.
        depth: expressions that have been gone into.
    """
    if depth > _DEEPEST:
        return ""
    cast = _CAST.match(part.source)
    if cast is not None and part.sort not in ("binary", "compare"):
        return cast[1]
    if part.sort == "literal":
        return _of_literal(part.source)
    if part.sort == "text":
        return "char" if part.source.startswith("'") else "String"
    if part.sort == "binary" and part.name in _SIGNS:
        return _of_both([declared_type(code, child, depth + 1) for _, child in part.children])
    if part.sort == "name":
        return type_of_name(code, part.name, part.span.line)
    if part.sort == "index":
        return _one_of(next((declared_type(code, child, depth + 1) for role, child in part.children if role == "object"), ""))
    if part.sort == "call":
        own = [item for item in code.definitions(part.called) if item.sort == "function"]
        return type_before(code, own[0]) if own else "int" if part.called in _COUNTS else ""
    if part.sort == "member":
        own = [item for item in code.definitions(part.name) if code.is_field(item) or item.sort == "member"]
        return type_before(code, own[0]) if own else "int" if part.name in _COUNTS else ""
    if part.sort in ("unary", "other"):
        return next((declared_type(code, child, depth + 1) for _, child in part.children), "")
    return ""


def type_before(code: Code, item: Definition) -> str:
    """Return the type that stands before a name that is declared; empty where none does."""
    row = line_at(code.text, item.span.line)
    ahead = re.split(r"[;{}(]", row[: item.span.column - 1])[-1]
    if item.sort == "parameter":
        ahead = re.sub(r"^.*,(?![^<]*>)", "", ahead)
    found = _TYPE.match(ahead)
    if found is None or found.end() == 0 or found["name"] in _NO_TYPES:
        return ""
    many = re.sub(r"const|&|\s", "", found["many"])
    behind = _ARRAY.match(row[item.span.column - 1 + len(item.name) :])
    return found["name"] + many + ("[]" if behind is not None else "")


def type_of_name(code: Code, name: str, line: int) -> str:
    """Return the type with which a name is declared that is used on a line; empty where none is seen."""
    told = next((known for item in code.reaching(name, line) if (known := type_before(code, item))), "")
    if told or not name.isidentifier():
        return told
    # what is declared without a value is no definition in every language
    around = [item for item in code.functions() if item.span.line <= line <= item.last_line]
    rows = code.text.split("\n")
    for number in range(line, around[-1].span.line if around else 0, -1):
        row = rows[number - 1][:_WIDTH]
        found = _TYPE.match(row) if name in row else None
        if found is not None and found["name"] not in _NO_TYPES and name in _declared_in(row[found.end() :]):
            return found["name"] + re.sub(r"const|&|\s", "", found["many"])
    return ""


def _declared_in(rest: str) -> list[str]:
    """Return the names in a list of names, each perhaps with a value: `low, high = 3;`."""
    words = [re.match(r"\s*[*]*(\w+)\s*(?:=|\[|$)", piece) for piece in rest.partition(";")[0].split(",")]
    return [word[1] for word in words if word is not None] if ";" in rest else []


def _of_literal(source: str) -> str:
    if source in ("true", "false"):
        return "boolean"
    if re.fullmatch(r"\d[\d_]*[uUlL]*|0[xX][\da-fA-F_]+[uUlL]*", source):
        return "int"
    return "double" if re.fullmatch(r"[\d_]*\.?[\d_]+(?:[eE][+-]?\d+)?[fFdD]?|\d+\.[fFdD]?", source) else ""


def _of_both(types: list[str]) -> str:
    if any(is_fraction(name) for name in types):
        return "double"
    return "int" if types and all(is_whole(name) for name in types) else ""


def _one_of(many: str) -> str:
    return many.removesuffix("[]") if many.endswith("[]") else many.removesuffix("*") if many.endswith("*") else ""
