"""What a language offers: its code as plain parts and definitions, the same shape for all of them.

`Code` answers questions about one source text. Everything behind it (following, kinds, keys) speaks of
`Part`, `Definition`, `Function` and never of a syntax tree, so that it is written once for all languages.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

import msgspec

from jamkey.languages.scan import Style


class Span(msgspec.Struct, frozen=True):
    """A half-open stretch of source: lines and columns 1-based, columns in characters."""

    line: int
    column: int
    end_line: int
    end_column: int

    def holds(self, other: Span) -> bool:
        """Tell whether `other` lies within."""
        return (self.line, self.column) <= (other.line, other.column) and (other.end_line, other.end_column) <= (
            self.end_line,
            self.end_column,
        )

    @property
    def start(self) -> Span:
        """The empty span at the beginning."""
        return Span(self.line, self.column, self.line, self.column)

    @property
    def end(self) -> Span:
        """The empty span at the end."""
        return Span(self.end_line, self.end_column, self.end_line, self.end_column)


class Part(msgspec.Struct, frozen=True):
    """An expression and what it is made of.

    `sort` is one of: name, member, index, call, binary, compare, unary, choice, literal, text, list, tuple,
    dict, set, comprehension, function, slice, star, other.
    """

    sort: str
    span: Span
    #: As written.
    source: str
    #: The identifier, member, operator or keyword argument's name; a literal's value as written.
    name: str = ""
    #: Where `name` stands, when it can be replaced by itself.
    name_span: Span | None = None
    #: (role, part): object, key, callee, argument, left, right, item, value, element, iterable, target ...
    children: tuple[tuple[str, Part], ...] = ()

    def child(self, role: str) -> Part | None:
        """Return the first child in that role."""
        return next((part for own, part in self.children if own == role), None)

    def in_role(self, role: str) -> list[Part]:
        """Return all children in that role."""
        return [part for own, part in self.children if own == role]

    def walk(self) -> Iterator[Part]:
        """Yield this part and all below it, outermost first."""
        yield self
        for _, part in self.children:
            yield from part.walk()

    @property
    def arguments(self) -> list[tuple[str, Part]]:
        """A call's arguments as (keyword or empty, part), in order."""
        found: list[tuple[str, Part]] = []
        for role, part in self.children:
            if role == "argument":
                found.append(("", part))
            elif role.startswith("argument:"):
                found.append((role.partition(":")[2], part))
        return found

    @property
    def called(self) -> str:
        """For a call: the last name of what is called, such as `sort` in `rows.sort()`."""
        callee = self.child("callee")
        return callee.name if callee is not None and callee.sort in ("name", "member") else ""


class Definition(msgspec.Struct, frozen=True):
    """A place that gives a name its value.

    `sort` is one of: assigned, changed, parameter, function, class, import, loop, opened, caught, member, outer.
    """

    name: str
    sort: str
    span: Span
    #: Qualified name of the function it stands in; empty at module level.
    scope: str = ""
    #: What it is set from.
    value: Part | None = None
    #: For imports: the module, and the name in it ("" for the module itself).
    module: str = ""
    imported: str = ""
    #: The whole statement.
    statement: Span | None = None


class Param(msgspec.Struct, frozen=True):
    """One parameter of a function."""

    name: str
    span: Span
    default: Part | None = None
    #: "" plain, "*" gathers the rest, "**" gathers keywords, "k" keyword only.
    star: str = ""
    #: Whether setting it sets what the caller handed over.
    is_reference: bool = False


class Function(msgspec.Struct, frozen=True):
    """A function of the source."""

    name: str
    qualified: str
    span: Span
    params: tuple[Param, ...]
    #: Class it is a method of; empty otherwise.
    owner: str = ""
    #: Where its parameter list can take another entry: just inside the opening bracket.
    params_span: Span | None = None
    #: (line, returned part or None for a bare return); of a generator what it yields.
    returns: tuple[tuple[int, Part | None], ...] = ()
    #: Whether control can reach the end without a return.
    falls_off: bool = False
    #: Last line of the body.
    last_line: int = 0
    body_line: int = 0
    #: Names of the decorators, outermost first.
    decorators: tuple[str, ...] = ()
    is_static: bool = False
    is_generator: bool = False


class Loop(msgspec.Struct, frozen=True):
    """A loop around a line."""

    sort: str
    span: Span
    target: Part | None = None
    over: Part | None = None
    condition: Part | None = None


class Statement(msgspec.Struct, frozen=True):
    """A statement with the expressions in it."""

    sort: str
    span: Span
    parts: tuple[Part, ...] = ()
    targets: tuple[Part, ...] = ()
    indent: str = ""


class Code(Protocol):
    """One source text, asked questions. Whatever it cannot tell it answers with nothing."""

    text: str
    #: Whether the text was understood as a whole; else only tokens are known.
    whole: bool

    def statement(self, line: int) -> Statement | None:
        """Return the innermost statement that covers the line."""
        ...

    def heads(self, line: int) -> list[Statement]:
        """Return the statements whose heads cover the line, outermost first: `if` and what it does may share one."""
        ...

    def part_at(self, span: Span) -> Part | None:
        """Return the part with exactly that span, else the smallest that holds it."""
        ...

    def definitions(self, name: str | None = None) -> list[Definition]:
        """Return the places that define the name (all names when None), in order."""
        ...

    def reaching(self, name: str, line: int) -> list[Definition]:
        """Return the definitions that can give the name its value at the line, likeliest first."""
        ...

    def scope_at(self, line: int) -> str:
        """Return the qualified name of the function around the line, empty at module level."""
        ...

    def visible(self, line: int) -> set[str]:
        """Return the names of the program's own that can be used at the line."""
        ...

    def uses(self, name: str) -> list[Span]:
        """Return every place where the name stands as an identifier."""
        ...

    def functions(self, name: str | None = None) -> list[Function]:
        """Return the functions with that last or qualified name, all when None."""
        ...

    def calls(self, name: str) -> list[Part]:
        """Return the calls of a function of that last name."""
        ...

    def loops(self, line: int) -> list[Loop]:
        """Return the loops around the line, innermost first."""
        ...

    def guards(self, line: int) -> list[int]:
        """Return the lines of the conditions that let the line run, nearest first: around it, or above it with an early end."""
        ...

    def members(self, name: str) -> list[Definition]:
        """Return where a member of that name is set on an object, such as `self.name = ...`."""
        ...

    def is_field(self, item: Definition) -> bool:
        """Tell what stands in a class and in none of its functions: each of its objects has one."""
        ...

    def all_members(self) -> set[str]:
        """Return every member name that the source itself gives to its objects."""
        ...

    def used_members(self) -> set[str]:
        """Return every member name that the source asks of an object."""
        ...

    def bases(self, name: str) -> list[str] | None:
        """Return the names of a class's bases; None when the class is not here."""
        ...

    def literal_keys(self) -> dict[str, list[Span]]:
        """Return the keys written as text literals in this source, with their places."""
        ...


class Idioms(msgspec.Struct, frozen=True):
    """How the language writes the usual small things; `{0}` ... are filled by the caller."""

    missing: str
    true: str
    false: str
    to_text: str
    to_whole: str
    to_number: str
    is_missing: str
    choice: str
    length: str
    whole_division: str
    import_module: str
    from_module: str
    #: In small letters, in capitals, with capitals at the start of words, without space around; empty where there is none.
    lowered: str = ""
    raised: str = ""
    titled: str = ""
    stripped: str = ""
    #: A number as a condition: that it is not zero.
    not_zero: str = "{0}"
    constant_word: str = ""
    variable_word: str = ""
    #: Words behind a `#` at the beginning of a line.
    directives: tuple[str, ...] = ()
    #: Words meant as constants of the language in another one, or in another case.
    look_alikes: dict[str, str] = {}


class Language(Protocol):
    """One language's facts."""

    name: str
    idioms: Idioms
    keywords: frozenset[str]
    #: Names that exist without being defined.
    builtins: frozenset[str]
    #: How its comments and texts are written.
    style: Style

    def code(self, text: str) -> Code:
        """Return the source, ready to be asked."""
        ...

    def first_error(self, text: str) -> int | None:
        """Return the 1-based line of the first grammar error, None for none, 0 where it cannot be told."""
        ...

    def homes(self, name: str, file: str = "") -> tuple[str, ...]:
        """Return the import lines that give a name in a file, the most usual first."""
        ...

    def known_modules(self, file: str = "") -> frozenset[str]:
        """Return the names of modules that come with the runtime, as a file would ask for them."""
        ...
