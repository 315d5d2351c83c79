"""A source known by its tokens only: for other languages, and for Python text that the parser refuses.

Pygments cuts the text; names, assignments, functions and calls are found by the shapes nearly all languages
share: `name =`, `function name(`, `name(...)`, `.member`. What cannot be told is answered with nothing.
"""

from __future__ import annotations

import re
from functools import cached_property

import msgspec

from jamkey.languages.base import Definition, Function, Loop, Param, Part, Span, Statement

_OPENERS = {"(": ")", "[": "]", "{": "}"}
_DECLARES = {"const", "let", "var", "local", "val"}
_FUNCTION_WORDS = {"function", "def", "func", "fn"}
_COMPARES = {"<", "<=", ">", ">=", "==", "!=", "~=", "===", "!=="}
_WORDY = re.compile(r"[A-Za-z_]")
_PIECES = re.compile(r"[A-Za-z_]\w*|\d+(?:\.\d+)?|[^\s\w]")
#: Signs of several characters.
_SIGNS = {"->", "<-", "<<", "<<-", ">>", "<=", ">=", "==", "!=", "~=", "::", "&&", "||", "++", "--", "+=", "-=", "*=", "/=", ":=", "..", "...",
          "=>", "===", "!==", "|>", "?.", "??", ".+", ".-", ".*", "./", "%%", "%/", "%/%", "%*", "%*%", "%in%", "//", "**"}  # fmt: skip
#: How tightly operators bind, loosest first.
_RANKS = {**dict.fromkeys(_COMPARES, 1), "..": 2, "++": 2, ":": 2, "+": 3, "-": 3, ".+": 3, ".-": 3, "*": 4, "/": 4, "%": 4, "./": 4, ".*": 4,
          "%%": 4, "%/%": 4, "//": 4, "%*%": 4, "÷": 4}  # fmt: skip
#: Words that look like a typed function's head and are none.
_CONTROL = {"if", "for", "while", "switch", "catch", "return", "else", "new", "throw", "synchronized", "sizeof", "do", "case"}
#: Sources longer than this are not cut into tokens, in characters.
_LONGEST = 250_000


class Token(msgspec.Struct, frozen=True):
    """One token: `sort` is name, keyword, number, string, comment, operator or other."""

    sort: str
    text: str
    span: Span


class Grammar(msgspec.Struct, frozen=True):
    """What tokens alone do not tell about a language: how functions and blocks are written."""

    #: Whether functions are written `type name(...) {`.
    typed: bool = False
    #: Whether functions are written `{ |a, b| ... }`, named by `name = {` or `name {`.
    barred: bool = False
    function_words: frozenset[str] = frozenset(_FUNCTION_WORDS)
    #: Words that open a block which `ends` close; none where blocks are in braces.
    blocks: frozenset[str] = frozenset()
    ends: frozenset[str] = frozenset({"end"})
    #: Whether a function gives back its last expression, or what its output name holds.
    last_value: bool = False
    output_name: bool = False
    #: Whether words are told apart by capitals.
    exact_case: bool = True


class TokenCode:
    """A source that answers from its tokens."""

    whole = False

    def __init__(self, text: str, lexer: str, grammar: Grammar | None = None) -> None:
        self.text = text
        self._lexer = lexer
        self._grammar = grammar

    @cached_property
    def tokens(self) -> list[Token]:
        """Return the tokens without white space and comments."""
        from pygments.lexers import get_lexer_by_name
        from pygments.token import Comment, Keyword, Name, Number, Operator, Punctuation, String, Text, Whitespace

        lexer = get_lexer_by_name(self._lexer, stripnl=False, ensurenl=False)
        found: list[Token] = []
        line = column = 1
        for sort, value in lexer.get_tokens(self.text[:_LONGEST]):
            start = (line, column)
            breaks = value.count("\n")
            line += breaks
            column = len(value) - value.rfind("\n") if breaks else column + len(value)
            if not value.strip() or sort in Comment or (sort in Text and not value.strip()) or sort in Whitespace:
                continue
            name = "other"
            if sort in String:
                name = "string"
            elif sort in Number:
                name = "number"
            elif sort in Keyword.Constant or sort in Name.Builtin.Pseudo:
                name = "name"
            elif sort in Keyword:
                name = "keyword"
            elif sort in Name:
                name = "name"
            elif sort in Operator or sort in Punctuation:
                name = "operator"
            if name == "operator" and len(value) > 1 and all(c in "()[]{};," for c in value):
                for shift, character in enumerate(value):
                    place = Span(start[0], start[1] + shift, start[0], start[1] + shift + 1)
                    found.append(Token(name, character, place))
                continue
            if name == "other" and not breaks and _WORDY.search(value):
                # a lexer that gives a stretch as plain text
                for piece in _PIECES.finditer(value):
                    sort_of = "name" if piece[0][0].isalpha() or piece[0][0] == "_" else "number" if piece[0][0].isdigit() else "operator"
                    at = start[1] + piece.start()
                    found.append(Token(sort_of, piece[0], Span(start[0], at, start[0], at + len(piece[0]))))
                continue
            token = Token(name, value, Span(*start, line, column))
            if found and name == found[-1].sort == "operator" and found[-1].text + value in _SIGNS:
                before = found[-1].span
                if (before.end_line, before.end_column) == start:
                    # some lexers give signs one character at a time
                    found[-1] = Token(name, found[-1].text + value, Span(before.line, before.column, line, column))
                    continue
            found.append(token)
        return found

    def _is_member(self, index: int) -> bool:
        return index > 0 and self.tokens[index - 1].text in (".", "?.", "->", "::", "$")

    def _close(self, index: int) -> int:
        """Return the index of the token that closes the bracket at `index`, or the last index."""
        depth = 0
        for position in range(index, len(self.tokens)):
            text = self.tokens[position].text
            if text in _OPENERS:
                depth += 1
            elif text in _OPENERS.values():
                depth -= 1
                if depth == 0:
                    return position
        return len(self.tokens) - 1

    def _source(self, span: Span) -> str:
        rows = self.text.split("\n")[span.line - 1 : span.end_line]
        if not rows:
            return ""
        rows[-1] = rows[-1][: span.end_column - 1]
        rows[0] = rows[0][span.column - 1 :]
        return "\n".join(rows)

    def _part(self, first: int, last: int) -> Part:
        """Make a part of the tokens first..last, with the sort its outermost shape shows."""
        last = max(first, last)
        tokens = self.tokens
        span = Span(
            tokens[first].span.line, tokens[first].span.column, tokens[last].span.end_line, tokens[last].span.end_column
        )
        source = self._source(span)
        only = tokens[first]
        if first == last:
            if only.sort == "name":
                return Part("name", span, source, only.text, span)
            if only.sort == "string":
                return Part("text", span, source, only.text.strip("\"'`"))
            return Part("literal", span, source, only.text)
        if self._grammar is not None and (split := self._split(first, last)) is not None:
            sign = tokens[split].text
            children = (("left", self._part(first, split - 1)), ("right", self._part(split + 1, last)))
            return Part("compare" if sign in _COMPARES else "binary", span, source, sign, children=children)
        if tokens[last].text == ")":
            opener = self._open(last)
            if opener is not None and opener > first and tokens[opener - 1].sort == "name":
                return self._call(first, opener, last)
        if tokens[last].text == "]":
            opener = self._open(last)
            if (
                opener is not None
                and first < opener < last - 1
                and (tokens[opener - 1].sort == "name" or tokens[opener - 1].text in ")]")
            ):
                children = (("object", self._part(first, opener - 1)), ("key", self._part(opener + 1, last - 1)))
                return Part("index", span, source, children=children)
        if last - 2 >= first and tokens[last].sort == "name" and tokens[last - 1].text in (".", "?.", ":", "->", "::", "$"):
            inner = self._part(first, last - 2)
            return Part("member", span, source, tokens[last].text, tokens[last].span, (("object", inner),))
        return Part("other", span, source)

    def _split(self, first: int, last: int) -> int | None:
        """Return the operator that binds least in tokens first..last, the rightmost of its rank, or None."""
        if last - first > 200:
            return None
        depth = 0
        best: tuple[int, int] | None = None
        for position in range(first, last):
            text = self.tokens[position].text
            if text in _OPENERS:
                depth += 1
            elif text in _OPENERS.values():
                depth -= 1
            rank = _RANKS.get(text)
            if depth or rank is None or position == first:
                continue
            before = self.tokens[position - 1]
            if before.sort == "operator" and before.text not in ")]}":
                continue  # a sign before a number
            if best is None or rank <= best[0]:
                best = (rank, position)
        return best[1] if best is not None else None

    def _open(self, index: int) -> int | None:
        depth = 0
        for position in range(index, -1, -1):
            text = self.tokens[position].text
            if text in _OPENERS.values():
                depth += 1
            elif text in _OPENERS:
                depth -= 1
                if depth == 0:
                    return position
        return None

    def _call(self, first: int, opener: int, last: int) -> Part:
        tokens = self.tokens
        span = Span(
            tokens[first].span.line, tokens[first].span.column, tokens[last].span.end_line, tokens[last].span.end_column
        )
        children = [("callee", self._part(first, opener - 1))]
        start = opener + 1
        depth = 0
        for position in range(opener + 1, last + 1):
            text = tokens[position].text
            if depth == 0 and (text == "," or position == last):
                if start <= position - 1:
                    children.append(("argument", self._part(start, position - 1)))
                start = position + 1
            elif text in _OPENERS:
                depth += 1
            elif text in _OPENERS.values():
                depth -= 1
        return Part("call", span, self._source(span), children=tuple(children))

    @cached_property
    def _all_calls(self) -> list[Part]:
        found: list[Part] = []
        for index, token in enumerate(self.tokens):
            if token.text != "(" or index == 0 or self.tokens[index - 1].sort != "name":
                continue
            first = index - 1
            while first >= 2 and self._is_member(first) and self.tokens[first - 2].sort == "name":
                first -= 2
            before = self.tokens[first - 1].text if first else ""
            if before in _FUNCTION_WORDS or before == "new":
                continue
            found.append(self._call(first, index, self._close(index)))
        return found

    def _block_end(self, first: int) -> int:
        """Return the index of the word that ends the block whose opening word is at `first`."""
        grammar = self._grammar
        depth = 0
        for position in range(first, len(self.tokens)):
            word = self._word(position)
            if grammar is None or self._is_member(position):
                continue
            if word in grammar.blocks:
                depth += 1
            elif word in grammar.ends:
                depth -= 1
                if depth <= 0:
                    return position
        return len(self.tokens) - 1

    def _word(self, index: int) -> str:
        text = self.tokens[index].text
        return text if self._grammar is None or self._grammar.exact_case else text.lower()

    def _shaped(self) -> list[tuple[int, int, int, int]]:
        """Return (first token, name, opening bracket or -1, last token) of every function, by the grammar's shapes."""
        grammar = self._grammar
        tokens = self.tokens
        found: list[tuple[int, int, int, int]] = []
        if grammar is None:
            return found
        for index, token in enumerate(tokens):
            word = self._word(index)
            if word in grammar.function_words and not (index and self._word(index - 1) in ("end", "exit", "declare")):
                line = token.span.line
                here = [i for i in range(index + 1, min(index + 40, len(tokens))) if tokens[i].span.line == line]
                bracket = next((i for i in here if tokens[i].text == "("), -1)
                before = tokens[index - 1].text if index else ""
                equals = next((i for i in here if tokens[i].text == "=" and (bracket < 0 or i < bracket)), -1)
                if bracket == index + 1 and before in ("=", "<-", "<<-", ":") and index >= 2 and tokens[index - 2].sort == "name":
                    name = index - 2  # name <- function(
                elif bracket > index + 1 and tokens[bracket - 1].sort == "name":
                    name = bracket - 1
                elif bracket < 0 and (after := [i for i in here if tokens[i].sort == "name" and i > equals]):
                    name = after[-1] if equals >= 0 else after[0]
                else:
                    continue
                body = self._close(bracket) + 1 if bracket >= 0 else name + 1
                brace = next((i for i in range(body, min(body + 4, len(tokens))) if tokens[i].text == "{"), None)
                if brace is not None:
                    end = self._close(brace)
                elif grammar.blocks:
                    end = self._block_end(index)
                else:
                    end = body
                found.append((index, name, bracket, min(end, len(tokens) - 1)))
            elif grammar.typed and token.text == "(" and index >= 2 and tokens[index - 1].sort == "name":
                kind = tokens[index - 2]
                if kind.text in _CONTROL or tokens[index - 1].text in _CONTROL or not (
                    kind.sort in ("name", "keyword") or kind.text in ("*", "&", ">", "]", "::", "}", ";", "{")
                ):
                    continue
                closer = self._close(index)
                brace = next((i for i in range(closer + 1, min(closer + 12, len(tokens))) if tokens[i].text in ("{", ";", "(", "=", ")")), None)
                if brace is not None and tokens[brace].text == "{" and all(
                    tokens[i].sort in ("name", "keyword") or tokens[i].text in (",", ".", "::", ":") for i in range(closer + 1, brace)
                ):
                    found.append((index - 2, index - 1, index, self._close(brace)))
            elif grammar.barred and token.text == "{" and index >= 1:
                named = index - 1 if tokens[index - 1].sort == "name" else index - 2 if index >= 2 and tokens[index - 1].text == "=" else -1
                if named >= 0 and tokens[named].sort == "name":
                    found.append((named, named, index, self._close(index)))
        return found

    @cached_property
    def _all_functions(self) -> list[Function]:
        if self._grammar is not None:
            return [self._function(*shape) for shape in self._shaped()]
        found: list[Function] = []
        tokens = self.tokens
        for index, token in enumerate(tokens):
            name = opener = -1
            if token.text in _FUNCTION_WORDS and index + 2 < len(tokens) and tokens[index + 1].sort == "name":
                name, opener = index + 1, index + 2
            elif token.text == "=>" and tokens[index - 1].text == ")":
                # const name = (a, b) => ...
                opening = self._open(index - 1)
                if opening is not None and opening >= 2 and tokens[opening - 1].text in ("=", "async"):
                    equals = opening - 1 if tokens[opening - 1].text == "=" else opening - 2
                    name, opener = equals - 1, opening
            if name < 0 or tokens[name].sort != "name" or tokens[opener].text != "(":
                continue
            closer = self._close(opener)
            params = tuple(
                Param(tokens[i].text, tokens[i].span)
                for i in range(opener + 1, closer)
                if tokens[i].sort == "name" and tokens[i - 1].text in ("(", ",", "...", "{")
            )
            body = next((i for i in range(closer + 1, min(closer + 6, len(tokens))) if tokens[i].text == "{"), None)
            end = self._close(body) if body is not None else closer
            returns = tuple(
                (tokens[i].span.line, None)
                for i in range(body or closer, end)
                if tokens[i].text == "return" and i + 1 < len(tokens) and tokens[i + 1].text in (";", "}")
            )
            has_return = any(tokens[i].text == "return" for i in range(body or closer, end))
            place = tokens[name].span
            span = Span(token.span.line, token.span.column, tokens[end].span.end_line, tokens[end].span.end_column)
            inside = Span(
                tokens[opener].span.line, tokens[opener].span.end_column, tokens[opener].span.line,
                tokens[opener].span.end_column,
            )  # fmt: skip
            found.append(
                Function(
                    tokens[name].text,
                    tokens[name].text,
                    span,
                    params,
                    params_span=inside,
                    returns=returns,
                    falls_off=body is not None and (not has_return or self._ends_open(body, end)),
                    last_line=span.end_line,
                    body_line=place.line + 1,
                )  # fmt: skip
            )
        return found

    def _function(self, first: int, name: int, opener: int, end: int) -> Function:
        tokens = self.tokens
        params: tuple[Param, ...] = ()
        inside = None
        if opener >= 0 and tokens[opener].text == "(":
            closer = self._close(opener)
            chosen = [
                i for i in range(opener + 1, closer)
                if tokens[i].sort == "name" and i + 1 < len(tokens)
                and (tokens[i + 1].text in (",", ")", "=", "[", ":") if self._grammar and self._grammar.typed else tokens[i - 1].text in ("(", ","))
            ]  # fmt: skip
            params = tuple(Param(tokens[i].text, tokens[i].span) for i in chosen)
            at = tokens[opener].span
            inside = Span(at.line, at.end_column, at.line, at.end_column)
        elif opener >= 0 and opener + 1 < len(tokens) and tokens[opener + 1].text in ("|", "arg"):
            closing = "|" if tokens[opener + 1].text == "|" else ";"
            stop = next((i for i in range(opener + 2, min(opener + 40, len(tokens))) if tokens[i].text == closing), opener + 1)
            params = tuple(Param(tokens[i].text, tokens[i].span) for i in range(opener + 2, stop) if tokens[i].sort == "name")
        start = tokens[first].span
        last = tokens[end].span
        returns, falls_off = self._returned(first, name, opener, end)
        title = tokens[name].text
        return Function(title, title, Span(start.line, start.column, last.end_line, last.end_column), params, params_span=inside,
                        returns=returns, falls_off=falls_off, last_line=last.end_line, body_line=tokens[name].span.line + 1)  # fmt: skip

    def _returned(self, first: int, name: int, opener: int, end: int) -> tuple[tuple[tuple[int, Part | None], ...], bool]:
        """Return what a function gives back, by line: after `return`, as its last expression, or through its output name."""
        tokens = self.tokens
        grammar = self._grammar
        found: list[tuple[int, Part | None]] = []
        start = self._close(opener) + 1 if opener >= 0 and tokens[opener].text == "(" else name + 1
        for i in range(start, min(end, len(tokens) - 1)):
            if self._word(i) != "return":
                continue
            following = tokens[i + 1]
            line = tokens[i].span.line
            if following.text in (";", "}") or (following.span.line > line and grammar is not None and not grammar.typed) or i + 1 >= end:
                found.append((line, None))
            elif following.text == "(" and grammar is not None and grammar.last_value:
                closer = self._close(i + 1)
                found.append((line, self._part(i + 2, max(closer - 1, i + 2))))
            else:
                found.append((line, self._value(i + 1)[0]))
        if grammar is not None and grammar.output_name and name - first >= 2:
            names = {tokens[i].text for i in range(first + 1, name) if tokens[i].sort == "name"}
            for i in range(start, min(end, len(tokens) - 2)):
                if tokens[i].text in names and tokens[i + 1].text == "=":
                    found.append((tokens[i].span.line, self._value(i + 2)[0]))
            return tuple(reversed(found)), False
        if grammar is not None and grammar.last_value and end - 1 > start:
            line = tokens[end - 1].span.line
            here = [i for i in range(start, end) if tokens[i].span.line == line and tokens[i].text not in ("{", "}")]
            if here and not any(self._word(i) in ("return", "end") for i in here):
                found.append((line, self._part(here[0], here[-1])))
            return tuple(found), False
        explicit = any(part is not None for _, part in found)
        return tuple(found), bool(grammar is not None and grammar.blocks and not explicit)

    def _ends_open(self, body: int, end: int) -> bool:
        """Tell whether the last statement of a block in braces is a plain one or an `if` without `else`."""
        depth = 0
        start = body + 1
        for position in range(body + 1, end):
            text = self.tokens[position].text
            if text in _OPENERS:
                depth += 1
            elif text in _OPENERS.values():
                depth -= 1
            if (
                depth == 0
                and text in (";", "}")
                and position + 1 < end
                and self.tokens[position + 1].text not in (";", ")", ",", ".")
            ):
                start = position + 1
        first = self.tokens[start].text if start < end else ""
        return first not in ("return", "throw", "else", "switch", "try", "catch", "finally", "while", "for", "do", "")

    @cached_property
    def _all_definitions(self) -> list[Definition]:
        found: list[Definition] = []
        tokens = self.tokens
        for function in self._all_functions:
            start = Span(function.span.line, function.span.column, function.span.line, function.span.column)
            found.append(Definition(function.name, "function", start, "", statement=function.span))
            for param in function.params:
                found.append(Definition(param.name, "parameter", param.span, function.qualified))
        declared = {param.span for function in self._all_functions for param in function.params}
        for index, token in enumerate(tokens):
            following = tokens[index + 1].text if index + 1 < len(tokens) else ""
            before = tokens[index - 1].text if index else ""
            if token.text == "class" and index + 1 < len(tokens) and tokens[index + 1].sort == "name":
                found.append(Definition(tokens[index + 1].text, "class", tokens[index + 1].span))
            if token.sort != "name" or self._is_member(index):
                continue
            scope = self.scope_at(token.span.line)
            if (following in ("=", ":=", "<-", "<<-") and before not in ("(", ",")) or (following in ("=", "<-") and before in _DECLARES):
                sort = "assigned"
                value, end = self._value(index + 2)
                span = Span(token.span.line, token.span.column, end.end_line, end.end_column)
                found.append(Definition(token.text, sort, token.span, scope, value, statement=span))
            elif following in ("in", "∈") and before in ("(", "for", ",", "each") and self._grammar is not None:
                found.append(Definition(token.text, "loop", token.span, scope, self._value(index + 2)[0], statement=token.span))
            elif (
                self._grammar is not None and self._grammar.typed and following in (";", ",", "[", ")", ":")
                and token.span not in declared and index
                and (tokens[index - 1].sort in ("name", "keyword") or before in ("*", ">", "]", "&")) and before not in _CONTROL
            ):  # fmt: skip
                found.append(Definition(token.text, "assigned", token.span, scope, None, statement=token.span))
            elif before in _DECLARES or (before in ("{", ",") and self._declared_list(index)):
                sort = "loop" if following in ("of", "in") else "assigned"
                value = self._value(index + 2)[0] if sort == "loop" else None
                found.append(Definition(token.text, sort, token.span, scope, value, statement=token.span))
        return sorted(found, key=lambda item: (item.span.line, item.span.column))

    def _declared_list(self, index: int) -> bool:
        """Tell whether the name stands in `const { a, b } =` or `import { a }`."""
        for position in range(index - 1, max(index - 40, -1), -1):
            text = self.tokens[position].text
            if text in _DECLARES or text == "import":
                return self.tokens[position + 1].text in ("{", "[")
            if text in (";", "}", "(", ")", "="):
                return False
        return False

    def _value(self, first: int) -> tuple[Part | None, Span]:
        """Return what is assigned from token `first` on, to the end of the line or statement."""
        tokens = self.tokens
        if first >= len(tokens):
            return None, tokens[-1].span
        depth = 0
        last = first
        for position in range(first, len(tokens)):
            text = tokens[position].text
            if depth == 0 and position > first:
                new_line = tokens[position].span.line > tokens[position - 1].span.end_line
                joins = tokens[position].sort == "operator" and text not in _OPENERS
                if text in (";", ",", ")", "}", "]") or (new_line and not joins):
                    break
            if text in _OPENERS:
                depth += 1
            elif text in _OPENERS.values():
                depth -= 1
                if depth < 0:
                    break
            last = position
        return self._part(first, last), tokens[last].span

    # --- answers

    def statement(self, line: int) -> Statement | None:
        """Return the line's tokens as one statement with the calls, members and names in it."""
        indices = [i for i, token in enumerate(self.tokens) if token.span.line == line]
        if not indices:
            return None
        first, last = indices[0], indices[-1]
        span = self._part(first, last).span
        parts: list[Part] = [call for call in self._all_calls if call.span.line == line]
        for index in indices:
            if self.tokens[index].sort == "name":
                start = index
                while start >= 2 and self._is_member(start) and self.tokens[start - 2].sort == "name":
                    start -= 2
                parts.append(self._part(start, index))
                if index + 1 < len(self.tokens) and self.tokens[index + 1].text == "[":
                    parts.append(self._part(start, self._close(index + 1)))
        row = self.text.split("\n")[line - 1]
        return Statement("tokens", span, tuple(parts), (), row[: len(row) - len(row.lstrip())])

    def part_at(self, span: Span) -> Part | None:
        """Return the part that ends or starts at the place; V8 marks the member, not the whole expression."""
        statement = self.statement(span.line)
        best: Part | None = None
        for part in statement.parts if statement else ():
            named = part.name_span
            if part.span == span or (named and (named.line, named.column) == (span.line, span.column)):
                return part
            if part.span.holds(span.start):
                best = part
        return best

    def definitions(self, name: str | None = None) -> list[Definition]:
        """Return the places that define the name."""
        return [item for item in self._all_definitions if name in (None, item.name)]

    def reaching(self, name: str, line: int) -> list[Definition]:
        """Return the definitions in the innermost scope that has one, nearest above first."""
        scope = self.scope_at(line)
        for wanted in (scope, ""):
            own = [item for item in self.definitions(name) if item.scope == wanted]
            if own:
                before = [item for item in own if item.span.line <= line]
                return list(reversed(before)) + [item for item in own if item not in before]
        return []

    def scope_at(self, line: int) -> str:
        """Return the name of the innermost function around the line."""
        best = ""
        for function in self._all_functions:
            if function.span.line <= line <= function.span.end_line:
                best = function.qualified
        return best

    def visible(self, line: int) -> set[str]:
        """Return the program's own names at the line: its function's and the outermost ones."""
        scopes = {"", self.scope_at(line)}
        return {item.name for item in self._all_definitions if item.scope in scopes}

    def uses(self, name: str) -> list[Span]:
        """Return every place where the name stands as an identifier of its own."""
        return [t.span for i, t in enumerate(self.tokens) if t.sort == "name" and t.text == name and not self._is_member(i)]

    def functions(self, name: str | None = None) -> list[Function]:
        """Return the functions with that name."""
        return [function for function in self._all_functions if name in (None, function.name)]

    def calls(self, name: str) -> list[Part]:
        """Return the calls of a function of that last name."""
        return [part for part in self._all_calls if part.called == name]

    def loops(self, line: int) -> list[Loop]:
        """Return the loops around the line, innermost first, as far as tokens show them."""
        if self._grammar is None:
            return []
        return [loop for loop in reversed(self._all_loops) if loop.span.line <= line <= loop.span.end_line]

    @cached_property
    def _all_loops(self) -> list[Loop]:
        found: list[Loop] = []
        tokens = self.tokens
        for index, token in enumerate(tokens[:-2]):
            word = self._word(index)
            if word not in ("for", "while", "foreach"):
                continue
            bracket = index + 1 if tokens[index + 1].text == "(" else -1
            closer = self._close(bracket) if bracket > 0 else next(
                (i for i in range(index + 1, len(tokens)) if tokens[i].text in ("do", "{", "loop") or tokens[i].span.line > token.span.line), len(tokens) - 1)
            brace = closer if tokens[closer].text == "{" else closer + 1 if closer + 1 < len(tokens) and tokens[closer + 1].text == "{" else -1
            if brace >= 0:
                end = self._close(brace)
            elif self._grammar is not None and self._grammar.blocks:
                end = self._block_end(index)
            else:
                end = min(closer + 12, len(tokens) - 1)
            inner = range((bracket if bracket > 0 else index) + 1, closer)
            span = Span(token.span.line, token.span.column, tokens[end].span.end_line, tokens[end].span.end_column)
            signs = [i for i in inner if tokens[i].text == ";"]
            names = [i for i in inner if tokens[i].sort == "name"]
            if word == "while" and len(inner):
                found.append(Loop("while", span, None, None, self._part(inner[0], inner[-1])))
            elif len(signs) == 2 and names and signs[1] > signs[0] + 1:
                found.append(Loop("while", span, self._part(names[0], names[0]), None, self._part(signs[0] + 1, signs[1] - 1)))
            elif names and len(inner) >= 3:
                at = next((i for i in inner if tokens[i].text in ("in", "=", "∈", ":") and i > names[0]), None)
                if at is not None and at + 1 <= inner[-1]:
                    found.append(Loop("for", span, self._part(names[0], names[0]), self._part(at + 1, inner[-1]), None))
        return found

    def members(self, name: str) -> list[Definition]:
        """Return where `.name =` or `name:` sets a member."""
        found: list[Definition] = []
        for index, token in enumerate(self.tokens[:-1]):
            if token.text != name or token.sort not in ("name", "string"):
                continue
            if self.tokens[index + 1].text == ":" or (self._is_member(index) and self.tokens[index + 1].text == "="):
                value, end = self._value(index + 2)
                scope = self.scope_at(token.span.line)
                found.append(Definition(name, "member", token.span, scope, value, statement=end))
        return found

    def all_members(self) -> set[str]:
        """Return every member name that stands after a dot or before a colon, except after `this` look-ups only."""
        found: set[str] = set()
        for index, token in enumerate(self.tokens[:-1]):
            following = self.tokens[index + 1].text
            if token.sort == "name" and (following == ":" or (self._is_member(index) and following == "=")):
                found.add(token.text)
        return found | {function.name for function in self._all_functions}

    def bases(self, name: str) -> list[str] | None:
        """Tokens do not show bases."""
        return None

    def literal_keys(self) -> dict[str, list[Span]]:
        """Return text literals in square brackets or before a colon."""
        found: dict[str, list[Span]] = {}
        for index, token in enumerate(self.tokens[:-1]):
            if token.sort == "string" and (self.tokens[index - 1].text == "[" or self.tokens[index + 1].text == ":"):
                found.setdefault(token.text.strip("\"'`"), []).append(token.span)
        return found
