"""Spell as it is called what is asked for by a name that is no expression: an argument, a module, a file of one's own."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterator

from jamkey.follow.modules import is_there, modules_meant
from jamkey.follow.similar import nearest
from jamkey.languages.base import Part, Span, Statement
from jamkey.turns.base import Ground, Made, Plain
from jamkey.turns.names import how_alike

#: How alike two names are, at least, of which one may be meant by the other, and how many are proposed.
_LEAST, _MOST = 0.6, 3
#: Uses of a module that are spelled with it.
_USES = 40


class Spelled(Plain):
    """`chart(widht=4)` becomes `chart(width=4)`, `import maths` becomes `import math`, `./gague` becomes `./gauge`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose other names of arguments, and files that are there."""
        if part.sort == "call" and part.called:
            yield from _arguments(part, ground)
        elif part.sort == "text" and part.name.startswith(("./", "../")) and ground.scene.traits.relative_modules:
            folder = posixpath.dirname(ground.place.file)
            ending = posixpath.splitext(part.name)[1]
            paths = [posixpath.relpath(name, folder or ".") for name in ground.scene.sources.files()]
            known = [path if ending else posixpath.splitext(path)[0] for path in paths]
            quote = part.source[:1]
            for name in _like(part.name, {name if name.startswith(".") else f"./{name}" for name in known}):
                yield Made(f"text:file {how_alike(name, part.name)}", part.span, f"{quote}{name}{quote}")

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose modules that there are for one that there is not."""
        language = ground.scene.sources.language(ground.place.file, ground.scene.jam.runtime)
        known = language.known_modules(ground.place.file) if language is not None else frozenset()
        line = ground.place.line
        brought = [item for item in ground.code.definitions() if item.sort == "import" and item.span.line == line]
        asked = [item.module for item in brought if item.module and not is_there(item.module, known)]
        told = ground.scene.facts.get("module", "").strip("'")
        for module in dict.fromkeys([*asked, *([told] if told in ground.row(line) else [])]):
            whole = any(item.name == module and not item.imported for item in brought)
            uses = [span for span in ground.code.uses(module) if span.line != line] if whole else []
            meant = modules_meant(ground.scene, ground.place.file, line, module, most=_MOST, least=_LEAST)
            for item in meant if module and len(uses) <= _USES else ():
                more = tuple((ground.place.file, span, item.name) for span in uses)
                yield Made(f"name:{how_alike(item.name, module)}", item.span, item.name, more=more)


def _arguments(call: Part, ground: Ground) -> Iterator[Made]:
    """Yield the names by which what is called takes its arguments, or is handed them elsewhere, for one like them."""
    given = [word for word, _ in call.arguments if word]
    if not given:
        return
    functions = [function for _, function in ground.scene.functions_named(call.called)]
    functions += [
        function
        for _, code in ground.scene.own_codes()
        for function in code.functions("__init__")
        if function.owner == call.called
    ]
    known = {param.name for function in functions for param in function.params if not param.star}
    for _, code in ground.scene.own_codes():
        known |= {word for other in code.calls(call.called) for word, _ in other.arguments if word}
    known |= {name for name in ground.told if name.isidentifier()}
    for word, value in call.arguments:
        row = ground.row(value.span.line)[: value.span.column - 1]
        written = re.search(rf"(?<![\w.]){re.escape(word)}\s*[=:]\s*$", row) if word else None
        if written is not None:
            line, column = value.span.line, written.start() + 1
            for name in _like(word, known - set(given)):
                yield Made(f"name:{how_alike(name, word)}", Span(line, column, line, column + len(word)), name)


def _like(name: str, known: set[str]) -> list[str]:
    return [other for other, _ in nearest(name, known - {name}, most=_MOST, least=_LEAST)]


TURN = Spelled()
