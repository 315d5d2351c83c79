"""How functions, blocks and loops show in a language's tokens, by the few things its grammar has to tell."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from functools import cached_property

import msgspec

from jamkey.languages.base import Definition, Function, Loop, Param, Part, Span

#: Tokens between brackets that hold names which are set or taken together.
_NEAR = 150
#: What a function begins with that has no name.
UNNAMED = {"function", "\\", "@"}
FUNCTION_WORDS = {"function", "def", "func", "fn"}
#: Words that look like a typed function's head and are none.
CONTROL = {"if", "for", "while", "switch", "catch", "return", "else", "new", "throw", "synchronized", "sizeof", "do", "case"}


class Token(msgspec.Struct, frozen=True):
    """One token: `sort` is name, keyword, number, string, comment, operator or other."""

    sort: str
    text: str
    span: Span


COMPARES = {"<", "<=", ">", ">=", "==", "!=", "~=", "===", "!=="}
#: Signs of several characters.
SIGNS = set(
    """
    -> <- << <<- >> <= >= == != ~= :: && || ++ -- += -= *= /= := .. ... => === !== |> ?. ?? .+ .- .* ./ %% %/ %/% %* %*%
    %in% // **
""".split()
)
#: How tightly operators bind, loosest first.
RANKS = {
    **dict.fromkeys(("||", "|", "or", "Or"), -1),
    **dict.fromkeys(("&&", "&", "and", "And"), 0),
    **dict.fromkeys(COMPARES, 1),
    "..": 2,
    "++": 2,
    ":": 2,
    "+": 3,
    "-": 3,
    ".+": 3,
    ".-": 3,
    "*": 4,
    "/": 4,
    "%": 4,
    "./": 4,
    ".*": 4,
    "%%": 4,
    "%/%": 4,
    "//": 4,
    "\\": 4,
    "Mod": 4,
    "%*%": 4,
    "%in%": 4,
    "÷": 4,
    "^": 5,
    ".^": 5,
    "**": 5,
}


OPENERS = {"(": ")", "[": "]", "{": "}"}
#: Signs that give what stands before them a value.
ASSIGNS = ("=", "<-", "+=", "-=", "<<-")


def is_open(text: str) -> bool:
    """Tell a text literal whose closing quote has not come yet."""
    bare = text.lstrip("rRbBfFuULxX@$")
    return bare[:1] in "\"'`" and (len(bare) < 2 or not bare.endswith(bare[0]) or (bare.endswith("\\" + bare[0])))


class Grammar(msgspec.Struct, frozen=True):
    """What tokens alone do not tell about a language: how functions and blocks are written."""

    #: Whether functions are written `type name(...) {`.
    typed: bool = False
    #: Whether functions are written `{ |a, b| ... }`, named by `name = {` or `name {`.
    barred: bool = False
    function_words: frozenset[str] = frozenset(FUNCTION_WORDS)
    #: Words that open a block which `ends` close; none where blocks are in braces.
    blocks: frozenset[str] = frozenset()
    ends: frozenset[str] = frozenset({"end"})
    #: Whether a function gives back its last expression, or what its output name holds.
    last_value: bool = False
    output_name: bool = False
    #: Calls that are handed the names of members as texts.
    keyed: frozenset[str] = frozenset()
    #: Whether curly brackets behind a name take a value out of it.
    cells: bool = False
    #: Whether words are told apart by capitals.
    exact_case: bool = True


class Shapes(ABC):
    """The part of a token source that knows functions and loops; the source itself gives tokens, brackets and parts."""

    _grammar: Grammar | None

    def is_field(self, item: Definition) -> bool:
        """Tell what stands in a class: tokens do not know."""
        return False

    @property
    @abstractmethod
    def tokens(self) -> list[Token]:
        """Return the tokens in order."""

    @abstractmethod
    def _close(self, index: int) -> int: ...

    @abstractmethod
    def scope_at(self, line: int) -> str:
        """Return the name of the innermost function around the line."""

    @abstractmethod
    def _is_member(self, index: int) -> bool: ...

    @abstractmethod
    def _part(self, first: int, last: int) -> Part: ...

    @abstractmethod
    def _value(self, first: int) -> tuple[Part | None, Span]: ...

    @cached_property
    def _set_together(self) -> dict[int, int]:
        """Each name of `[a, b] = both ()` -> where what they are set to begins."""
        found: dict[int, int] = {}
        tokens = self.tokens
        for index, token in enumerate(tokens):
            if token.text != "[" or (
                index and tokens[index - 1].span.end_line == token.span.line and tokens[index - 1].text != ";"
            ):
                continue
            close = self._near_close(index)
            if close is not None and close + 2 < len(tokens) and tokens[close + 1].text == "=":
                own = [place for place in range(index + 1, close) if tokens[place].sort == "name"]
                found |= {
                    place: close + 2
                    for place in own
                    if not self._is_member(place) and tokens[place + 1].text not in (".", "(", "{")
                }
        return found

    def _near_close(self, index: int) -> int | None:
        """Return the index of what closes the bracket at `index`; None where that is far, or not there."""
        depth = 0
        for position in range(index, min(index + _NEAR, len(self.tokens))):
            text = self.tokens[position].text
            if depth and text == "[" == self.tokens[index].text:
                return None  # names that are set hold none
            depth += (text in OPENERS) - (text in OPENERS.values())
            if depth == 0:
                return position
        return None

    def _taken_by(self, index: int, declared: set[Span]) -> Iterator[Definition]:
        """Yield what a function without a name takes, whose word stands at `index`."""
        for place in range(index + 2, self._near_close(index + 1) or index):
            token = self.tokens[place]
            if token.sort == "name" and self.tokens[place - 1].text in ("(", ",") and token.span not in declared:
                yield Definition(token.text, "loop", token.span, self.scope_at(token.span.line), statement=token.span)

    def _names_argument(self, index: int) -> bool:
        """Tell a word that names an argument: `sep` of `paste(a, sep = "")`."""
        tokens = self.tokens
        named = 0 < index < len(tokens) - 1 and tokens[index + 1].text == "=" and tokens[index - 1].text in ("(", ",")
        return named and tokens[index].span.end_line == tokens[index + 1].span.line

    def _set(self, indices: list[int]) -> tuple[Part, ...]:
        """Return what a line gives a value to: what stands before its first sign of assignment outside of brackets."""
        depth = 0
        head = self._bracketed_head(indices)
        first = head[1] + 1 if head is not None else indices[0]
        for i in indices:
            text = self.tokens[i].text
            depth += (text in OPENERS) - (text in OPENERS.values())
            if depth == 0 and text in ASSIGNS and i > first:
                together = [place for place in range(first, i) if place in self._set_together]
                return tuple(self._part(place, place) for place in together) or (self._part(first, i - 1),)
        return ()

    def _bracketed_head(self, indices: list[int]) -> tuple[int, int] | None:
        """Return the brackets of a line that begins `if (`, `} else if (`, `while (` or `for (` and goes on behind them."""
        for i in indices[:4]:
            if self._word(i) in ("if", "while", "for") and i < indices[-1] and self.tokens[i + 1].text == "(":
                close = self._close(i + 1)
                return (i + 1, close) if self.tokens[close].text == ")" and close < indices[-1] else None
        return None

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
            ended = bool(index) and not grammar.exact_case and self._word(index - 1) in ("end", "exit", "declare")
            if word in grammar.function_words and not ended:
                line = token.span.line
                here = [i for i in range(index + 1, min(index + 40, len(tokens))) if tokens[i].span.line == line]
                bracket = next((i for i in here if tokens[i].text == "("), -1)
                before = tokens[index - 1].text if index else ""
                equals = next((i for i in here if tokens[i].text == "=" and (bracket < 0 or i < bracket)), -1)
                if (
                    bracket == index + 1
                    and before in ("=", "<-", "<<-", ":")
                    and index >= 2
                    and tokens[index - 2].sort == "name"
                ):
                    name = index - 2  # name <- function(
                elif bracket > index + 1 and tokens[bracket - 1].sort == "name":
                    name = bracket - 1
                elif bracket < 0 and (after := [i for i in here if tokens[i].sort == "name" and i > equals]):
                    name = after[-1] if equals >= 0 else after[0]
                else:
                    continue
                body = self._close(bracket) + 1 if bracket >= 0 else name + 1
                # where blocks end with a word, braces hold data
                brace = (
                    None
                    if grammar.blocks
                    else next((i for i in range(body, min(body + 4, len(tokens))) if tokens[i].text == "{"), None)
                )
                if brace is not None:
                    end = self._close(brace)
                elif grammar.blocks:
                    end = self._block_end(index)
                else:
                    end = body
                found.append((index, name, bracket, min(end, len(tokens) - 1)))
            elif grammar.typed and token.text == "(" and index >= 2 and tokens[index - 1].sort == "name":
                kind = tokens[index - 2]
                if (
                    kind.text in CONTROL
                    or tokens[index - 1].text in CONTROL
                    or not (kind.sort in ("name", "keyword") or kind.text in ("*", "&", ">", "]", "::", "}", ";", "{"))
                ):
                    continue
                closer = self._close(index)
                brace = next(
                    (
                        i
                        for i in range(closer + 1, min(closer + 12, len(tokens)))
                        if tokens[i].text in ("{", ";", "(", "=", ")")
                    ),
                    None,
                )
                if (
                    brace is not None
                    and tokens[brace].text == "{"
                    and all(
                        tokens[i].sort in ("name", "keyword") or tokens[i].text in (",", ".", "::", ":")
                        for i in range(closer + 1, brace)
                    )
                ):
                    found.append((index - 2, index - 1, index, self._close(brace)))
            elif grammar.barred and token.text == "{" and index >= 1:
                named = (
                    index - 1
                    if tokens[index - 1].sort == "name"
                    else index - 2
                    if index >= 2 and tokens[index - 1].text == "="
                    else -1
                )
                if named >= 0 and tokens[named].sort == "name":
                    found.append((named, named, index, self._close(index)))
        return found

    def _function(self, first: int, name: int, opener: int, end: int) -> Function:
        tokens = self.tokens
        params: tuple[Param, ...] = ()
        inside = None
        if opener >= 0 and tokens[opener].text == "(":
            closer = self._close(opener)
            chosen = [
                i
                for i in range(opener + 1, closer)
                if tokens[i].sort == "name"
                and i + 1 < len(tokens)
                and (
                    tokens[i + 1].text in (",", ")", "=", "[", ":")
                    if self._grammar and self._grammar.typed
                    else tokens[i - 1].text in ("(", ",")
                )
            ]
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
        return Function(
            title,
            title,
            Span(start.line, start.column, last.end_line, last.end_column),
            params,
            params_span=inside,
            returns=returns,
            falls_off=falls_off,
            last_line=last.end_line,
            body_line=tokens[name].span.line + 1,
        )

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
            if (
                following.text in (";", "}")
                or (following.span.line > line and grammar is not None and not grammar.typed)
                or i + 1 >= end
            ):
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

    def _head_end(self, index: int) -> int:
        """Return the token that ends the head of a loop without brackets: a word, a comma, the line's end."""
        depth, line, goes_over = 0, self.tokens[index].span.line, self._word(index) == "while"
        for i in range(index + 1, len(self.tokens)):
            text = self.tokens[i].text
            if text in ("do", "{", "loop") or self.tokens[i].span.line > line:
                return i
            depth += (text in OPENERS) - (text in OPENERS.values())
            goes_over = goes_over or text in ("in", "=", "∈", ":")
            if not depth and goes_over and text in (",", ";"):
                return i
        return len(self.tokens) - 1

    @cached_property
    def _all_loops(self) -> list[Loop]:
        found: list[Loop] = []
        tokens = self.tokens
        for index, token in enumerate(tokens[:-2]):
            word = self._word(index)
            if word not in ("for", "while", "foreach"):
                continue
            bracket = index + 1 if tokens[index + 1].text == "(" else -1
            closer = self._close(bracket) if bracket > 0 else self._head_end(index)
            brace = (
                closer
                if tokens[closer].text == "{"
                else closer + 1
                if closer + 1 < len(tokens) and tokens[closer + 1].text == "{"
                else -1
            )
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


#: First word of a line -> what the statement is called in a tree.
_SORTS = {
    **dict.fromkeys(("if", "elseif", "elsif", "elif", "else", "switch", "case"), "if"),
    **dict.fromkeys(("for", "foreach", "forvalues", "parfor"), "for"),
    **dict.fromkeys(("while", "until", "repeat", "do"), "while"),
    **dict.fromkeys(("function", "sub", "def"), "functiondef"),
    **dict.fromkeys(("end", "endif", "endfor", "endwhile", "endfunction", "next", "loop"), "tokens"),
    "return": "return",
    "break": "break",
}


def statement_sort(text: str, word: str, stores: bool) -> str:
    """Return what the tokens of a line do, called as in a tree; `tokens` where only brackets or words close.

    Args:
        text: of the line's first token.
        word: the same where it is a word, in small letters; else empty.
        stores: whether the line gives a name a value.
    """
    if text in (*OPENERS, *OPENERS.values(), ";", ",") and not (stores and text == "["):
        return "tokens"
    return _SORTS.get(word) or ("assign" if stores else "expr")
