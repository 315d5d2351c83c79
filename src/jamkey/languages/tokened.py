"""What the languages that are known by their tokens have in common; each has a file of its own with its facts."""

from __future__ import annotations

import os
from typing import ClassVar

from jamkey.languages.base import Code, Idioms
from jamkey.languages.homes import homes
from jamkey.languages.modules import modules_of
from jamkey.languages.scan import Style, scan
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokens import TokenCode


class Tokened:
    """A language whose source is cut by a pygments lexer."""

    name: ClassVar[str]
    #: The lexer's name.
    lexer: ClassVar[str]
    idioms: ClassVar[Idioms]
    style: ClassVar[Style]
    grammar: ClassVar[Grammar]
    #: The tree grammar's name where it is another than the language's.
    tree: ClassVar[str] = ""
    keywords: ClassVar[frozenset[str]]
    builtins: ClassVar[frozenset[str]]
    #: Modules that come with the runtime, where no line of the table of homes names them.
    modules: ClassVar[frozenset[str]] = frozenset()
    #: Name -> the line that usually provides it, of what cannot be asked.
    imports: ClassVar[dict[str, str]] = {}

    def code(self, text: str) -> Code:
        """Return the source by its tree where there is a grammar of the language, else by its tokens."""
        from jamkey.languages.tree_code import tree_code

        return tree_code(text, self.tree or self.name, self.lexer, self.grammar) or TokenCode(text, self.lexer, self.grammar)

    def first_error(self, text: str) -> int | None:
        """Tell only whether brackets and quotes pair up: there is no parser of the language here."""
        found = scan(text, self.style)
        if found.unclosed or found.mismatched or found.open_quotes:
            return (found.open_quotes or found.unclosed or (found.mismatched[0][1],))[0].line
        return 0

    def homes(self, name: str, file: str = "") -> tuple[str, ...]:
        """Return the lines that give a name, the most usual first."""
        return (self.imports[name],) if name in self.imports else homes(self.name, name, file)

    def known_modules(self, file: str = "") -> frozenset[str]:
        """Return what comes with the runtime, as far as it is told apart."""
        return modules_of(self.name, os.path.splitext(file)[1]) | self.modules
