"""A source known by its tokens only: for other languages, and for Python text that the parser refuses.

Pygments cuts the text; names, assignments, functions and calls are found by the shapes nearly all languages
share: `name =`, `function name(`, `name(...)`, `.member`. What cannot be told is answered with nothing.
"""

from __future__ import annotations

from functools import cached_property

from jamkey.languages.base import Definition, Function, Loop, Param, Part, Span, Statement
from jamkey.languages.lexed import MEMBERS, lexed
from jamkey.languages.token_shapes import (
    ASSIGNS,
    COMPARES,
    CONTROL,
    FUNCTION_WORDS,
    OPENERS,
    RANKS,
    UNNAMED,
    Grammar,
    Shapes,
    Token,
    statement_sort,
)

_DECLARES = {"const", "let", "var", "local", "val"}


class TokenCode(Shapes):
    """A source that answers from its tokens."""

    whole = False

    def __init__(self, text: str, lexer: str, grammar: Grammar | None = None) -> None:
        self.text = text
        self._lexer = lexer
        self._grammar = grammar
        self._rows = text.split("\n")

    @cached_property
    def tokens(self) -> list[Token]:
        """Return the tokens without white space and comments."""
        return lexed(self.text, self._lexer)

    @property
    def _cells(self) -> str:
        """The brackets, beside the square ones, by which one value is taken out; empty for none."""
        return "{}" if self._grammar is not None and self._grammar.cells else ""

    def _is_member(self, index: int) -> bool:
        return index > 0 and self.tokens[index - 1].text in MEMBERS

    def _first(self, index: int) -> int:
        """Return where the chain begins whose last name stands at `index`: `sheet.cell(1).text`."""
        while index >= 2 and self._is_member(index):
            before: int | None = index - 2
            while before is not None and self.tokens[before].text in (")", "]", *self._cells[1:]):
                opener = self._open(before)
                before = opener - 1 if opener else None
            if before is None or self.tokens[before].sort != "name":
                return index
            index = before
        return index

    def _close(self, index: int) -> int:
        """Return the index of the token that closes the bracket at `index`, or the last index."""
        depth = 0
        for position in range(index, len(self.tokens)):
            text = self.tokens[position].text
            if text in OPENERS:
                depth += 1
            elif text in OPENERS.values():
                depth -= 1
                if depth == 0:
                    return position
        return len(self.tokens) - 1

    def _source(self, span: Span) -> str:
        rows = self._rows[span.line - 1 : span.end_line]
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
            return Part("compare" if sign in COMPARES else "binary", span, source, sign, children=children)
        if tokens[last].text == ")":
            opener = self._open(last)
            if opener is not None and opener > first and tokens[opener - 1].sort == "name":
                return self._call(first, opener, last)
        if tokens[last].text in ("]", *self._cells[1:]):
            opener = self._open(last)
            if (
                opener is not None
                and first < opener < last - 1
                and (tokens[opener - 1].sort == "name" or tokens[opener - 1].text in ")]" + self._cells[1:])
            ):
                # R's double brackets are one
                both = 1 if last - 3 > opener and self._open(last - 1) == opener + 1 else 0
                key = self._part(opener + 1 + both, last - 1 - both)
                children = (("object", self._part(first, opener - 1)), ("key", key))
                return Part("index", span, source, children=children)
        if last - 2 >= first and tokens[last].sort == "name" and tokens[last - 1].text in (".", "?.", ":", "->", "::", "$"):
            inner = self._part(first, last - 2)
            return Part("member", span, source, tokens[last].text, tokens[last].span, (("object", inner),))
        if only.text == "(" and last > first + 1 and self._open(last) == first:
            return Part("other", span, source, children=(("value", self._part(first + 1, last - 1)),))
        return Part("other", span, source)

    def _split(self, first: int, last: int) -> int | None:
        """Return the operator that binds least in tokens first..last, the rightmost of its rank, or None."""
        if last - first > 200:
            return None
        depth = 0
        best: tuple[int, int] | None = None
        for position in range(first, last):
            text = self.tokens[position].text
            if text in OPENERS:
                depth += 1
            elif text in OPENERS.values():
                depth -= 1
            rank = RANKS.get(text)
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
            if text in OPENERS.values():
                depth += 1
            elif text in OPENERS:
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
                if start + 1 < position - 1 and tokens[start].sort == "name" and self._names_argument(start):
                    children.append((f"argument:{tokens[start].text}", self._part(start + 2, position - 1)))
                elif start <= position - 1:
                    children.append(("argument", self._part(start, position - 1)))
                start = position + 1
            elif text in OPENERS:
                depth += 1
            elif text in OPENERS.values():
                depth -= 1
        return Part("call", span, self._source(span), children=tuple(children))

    @cached_property
    def _all_calls(self) -> list[Part]:
        found: list[Part] = []
        for index, token in enumerate(self.tokens):
            if token.text != "(" or index == 0 or self.tokens[index - 1].sort != "name":
                continue
            first = self._first(index - 1)
            before = self.tokens[first - 1].text if first else ""
            if before in FUNCTION_WORDS or before == "new":
                continue
            found.append(self._call(first, index, self._close(index)))
        return found

    @cached_property
    def _all_functions(self) -> list[Function]:
        if self._grammar is not None:
            return [self._function(*shape) for shape in self._shaped()]
        found: list[Function] = []
        tokens = self.tokens
        for index, token in enumerate(tokens):
            name = opener = -1
            if token.text in FUNCTION_WORDS and index + 2 < len(tokens) and tokens[index + 1].sort == "name":
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
                tokens[opener].span.line,
                tokens[opener].span.end_column,
                tokens[opener].span.line,
                tokens[opener].span.end_column,
            )
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
                )
            )
        return found

    def _ends_open(self, body: int, end: int) -> bool:
        """Tell whether the last statement of a block in braces is a plain one or an `if` without `else`."""
        depth = 0
        start = body + 1
        for position in range(body + 1, end):
            text = self.tokens[position].text
            if text in OPENERS:
                depth += 1
            elif text in OPENERS.values():
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
        names = {(token.span.line, token.text): token.span for token in reversed(tokens) if token.sort == "name"}
        for function in self._all_functions:
            name = names.get((function.span.line, function.name), function.span.start)
            found.append(Definition(function.name, "function", name, "", statement=function.span))
            for param in function.params:
                found.append(Definition(param.name, "parameter", param.span, function.qualified))
        declared = {param.span for function in self._all_functions for param in function.params}
        together = self._set_together
        for index, token in enumerate(tokens):
            following = tokens[index + 1].text if index + 1 < len(tokens) else ""
            before = tokens[index - 1].text if index else ""
            if token.text == "class" and index + 1 < len(tokens) and tokens[index + 1].sort == "name":
                found.append(Definition(tokens[index + 1].text, "class", tokens[index + 1].span))
            if token.text in UNNAMED and following == "(":
                found += self._taken_by(index, declared)
            if token.sort != "name" or self._is_member(index):
                continue
            scope = self.scope_at(token.span.line) if following != "<<-" else ""
            if index in together:
                value, end = self._value(together[index])
                span = Span(token.span.line, token.span.column, end.end_line, end.end_column)
                found.append(Definition(token.text, "assigned", token.span, scope, value, statement=span))
            elif (following in ("=", ":=", "<-", "<<-") and before not in ("(", ",")) or (
                following in ("=", "<-") and before in _DECLARES
            ):
                sort = "assigned"
                value, end = self._value(index + 2)
                span = Span(token.span.line, token.span.column, end.end_line, end.end_column)
                found.append(Definition(token.text, sort, token.span, scope, value, statement=span))
            elif following in ("in", "∈") and before in ("(", "for", ",", "each") and self._grammar is not None:
                found.append(Definition(token.text, "loop", token.span, scope, self._value(index + 2)[0], statement=token.span))
            elif (
                self._grammar is not None
                and self._grammar.typed
                and following in (";", ",", "[", ")", ":")
                and token.span not in declared
                and index
                and (tokens[index - 1].sort in ("name", "keyword") or before in ("*", ">", "]", "&"))
                and before not in CONTROL
            ):
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
                joins = tokens[position].sort == "operator" and text not in OPENERS
                if text in (";", ",", ")", "}", "]") or (new_line and not joins):
                    break
            if text in OPENERS:
                depth += 1
            elif text in OPENERS.values():
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
        first, span = indices[0], self._part(indices[0], indices[-1]).span
        parts: list[Part] = [call for call in self._all_calls if call.span.line == line]
        for index in indices:
            if self.tokens[index].sort == "name" and not self._names_argument(index):
                start = self._first(index)
                parts.append(self._part(start, index))
                if index + 1 < len(self.tokens) and self.tokens[index + 1].text in ("[", *self._cells[:1]):
                    parts.append(self._part(start, self._close(index + 1)))
            elif self.tokens[index].sort in ("string", "number"):
                parts.append(self._part(index, index))
        if self._grammar is not None:
            parts += self._expression(indices)
        row = self._rows[line - 1]
        sort = statement_sort(self.tokens[first].text, self._word(first), bool(targets := self._set(indices)))
        return Statement(sort, span, tuple(parts), targets, row[: len(row) - len(row.lstrip())])

    def heads(self, line: int) -> list[Statement]:
        """Return the line's tokens as one statement."""
        found = self.statement(line)
        return [found] if found is not None else []

    def _expression(self, indices: list[int]) -> list[Part]:
        """Return what stands behind `return` or the equals sign of each piece of a line, or in its brackets, with its parts."""
        depth, start = 0, 0
        found: list[Part] = []
        for place, i in enumerate(indices):
            text = self.tokens[i].text
            depth += (text in OPENERS) - (text in OPENERS.values())
            if depth <= 0 and text in (";", ","):
                found += self._of_piece(indices[start:place])
                start = place + 1
        return found + self._of_piece(indices[start:])

    def _of_piece(self, indices: list[int]) -> list[Part]:
        if not indices:
            return []
        tokens = self.tokens
        depth = above = 0
        start = indices[0]
        for i in indices:
            if tokens[i].text in OPENERS:
                depth += 1
            elif tokens[i].text in OPENERS.values():
                depth -= 1
            elif depth == 0 and (tokens[i].text in ASSIGNS or self._word(i) in ("return", "if", "while", "elseif", "then")):
                start = i + 1
            elif self._word(i) == "in" and self._word(indices[0]) == "for":
                start, above = i + 1, depth  # R's stands in brackets
        end = indices[-1]
        while end > start and (tokens[end].text in ("{", ",") or (above and tokens[end].text == ")")):
            above -= tokens[end].text == ")"
            end -= 1
        found: list[Part] = []
        head = self._bracketed_head(indices)
        if head is not None and self._word(head[0] - 1) != "for" and 0 < head[1] - head[0] - 1 <= 120:
            # what a condition in brackets asks, whatever stands behind it
            found += self._part(head[0] + 1, head[1] - 1).walk()
            start = max(start, head[1] + 1)
        if start <= end and end - start <= 120:
            found += self._part(start, end).walk()
        return [part for part in found if part.sort in ("binary", "compare", "index", "call")]

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
        return list(self._all_definitions if name is None else self._definitions_of.get(name, ()))

    @cached_property
    def _definitions_of(self) -> dict[str, list[Definition]]:
        found: dict[str, list[Definition]] = {}
        for item in self._all_definitions:
            found.setdefault(item.name, []).append(item)
        return found

    def reaching(self, name: str, line: int) -> list[Definition]:
        """Return the definitions in the innermost scope that has one, nearest above first."""
        for wanted in self._scopes(line):
            own = [item for item in self.definitions(name) if item.scope == wanted]
            if own:
                before = [item for item in own if item.span.line <= line]
                return list(reversed(before)) + [item for item in own if item not in before]
        return []

    def _scopes(self, line: int) -> list[str]:
        """Return the functions around the line, innermost first, and the file itself."""
        found = self._scopes_of.get(line)
        if found is None:
            around = [
                function.qualified for function in self._all_functions if function.span.line <= line <= function.span.end_line
            ]
            found = self._scopes_of[line] = [*reversed(around), ""]
        return found

    @cached_property
    def _scopes_of(self) -> dict[int, list[str]]:
        return {}

    def scope_at(self, line: int) -> str:
        """Return the name of the innermost function around the line."""
        return self._scopes(line)[0]

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

    def guards(self, line: int) -> list[int]:
        """Tokens do not show what a condition rules."""
        return []

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

    def used_members(self) -> set[str]:
        """Return every name that is asked of an object, or by which an argument is named."""
        tokens = self.tokens
        return {
            token.text
            for index, token in enumerate(tokens[:-1])
            if token.sort == "name"
            and (
                self._is_member(index)
                or (self._names_argument(index) and token.text.isidentifier())
                or (index and tokens[index - 1].text == "{" and tokens[index + 1].text == "=")
            )
        }

    def bases(self, name: str) -> list[str] | None:
        """Tokens do not show bases."""
        return None

    def literal_keys(self) -> dict[str, list[Span]]:
        """Return text literals in square brackets, before a colon, or handed to a call that takes the names of members."""
        found: dict[str, list[Span]] = {}
        keyed = self._grammar.keyed if self._grammar is not None else frozenset()
        handed = {
            part.span: None
            for call in (self._all_calls if keyed else ())
            if call.called in keyed
            for _, part in call.arguments
            if part.sort == "text" and part.name.isidentifier()
        }
        for index, token in enumerate(self.tokens[:-1]):
            if token.sort == "string" and (
                self.tokens[index - 1].text == "[" or self.tokens[index + 1].text == ":" or token.span in handed
            ):
                found.setdefault(token.text.strip("\"'`"), []).append(token.span)
        return found
