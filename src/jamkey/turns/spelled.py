"""Spell as it is called what is asked for by a name that is no expression: an argument, a module, a file of one's own."""

from __future__ import annotations

import os
import posixpath
import re
from collections.abc import Iterator

from jamkey.follow.similar import nearest
from jamkey.languages.base import Definition, Part, Span, Statement
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
        known = set(language.known_modules()) if language is not None else set()
        if not known or not ground.words.get("imports"):
            return
        ending = posixpath.splitext(ground.place.file)[1]
        known |= {os.path.splitext(name)[0].replace("/", ".") for name in ground.scene.sources.files() if name.endswith(ending)}
        for definition in ground.code.definitions():
            if definition.sort == "import" and definition.span.line == ground.place.line:
                yield from _module(definition, known, ground)


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


def _module(definition: Definition, known: set[str], ground: Ground) -> Iterator[Made]:
    module = definition.module
    line = definition.span.line
    written = re.search(rf"(?<![\w.]){re.escape(module)}(?![\w.])", ground.row(line)) if module else None
    if written is None or module in known or module.partition(".")[0] in known:
        return
    place = Span(line, written.start() + 1, line, written.end() + 1)
    uses: list[Span] = []
    if not definition.imported and definition.name == module:
        uses = [span for span in ground.code.uses(module) if span.line != line]
    for name in _like(module, known) if len(uses) <= _USES else ():
        yield Made(f"name:{how_alike(name, module)}", place, name, more=tuple((ground.place.file, span, name) for span in uses))


def _like(name: str, known: set[str]) -> list[str]:
    return [other for other, _ in nearest(name, known - {name}, most=_MOST, least=_LEAST)]


TURN = Spelled()
