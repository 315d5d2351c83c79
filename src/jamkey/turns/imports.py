"""Import what a name needs: its module, the name from a module of one's own, another way to import."""

from __future__ import annotations

import re
from collections.abc import Iterator

import msgspec

from jamkey.languages.base import Definition, Part, Span, Statement
from jamkey.languages.installed import members_of
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.names import near

#: A line that writes the type of a name, a parameter or what is given back.
#: A name of which something is asked, that is no member itself, and characters of an edit that are looked at.
_ASKED = re.compile(r"(?<![\w.\"'])([A-Za-z_]\w*)(?=\s*[(.<])")
_LONGEST = 200
_ANNOTATED = re.compile(r"\s*(?:async\s+def|def)\b.*(?:->|\w\s*:\s*[\w\"'])|\s*[\w.]+\s*:\s*[\w\"']|\s*\w+\s*:\s*\w[^=]*,\s*$")


class Imports(Plain):
    """`import csv` at the head; `from tides import height`; `datetime.datetime`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose where an unknown name comes from."""
        if part.sort != "name" or not ground.words.get("imports") or part.name in ground.builtins:
            return
        if ground.code.reaching(part.name, ground.place.line):
            definitions = [d for d in ground.code.reaching(part.name, ground.place.line) if d.sort == "import"]
            if definitions and not definitions[0].imported:
                yield Made("import:inner", part.span, f"{part.name}.{part.name}")
            return
        language = ground.scene.sources.language(ground.place.file, ground.scene.jam.runtime)
        head = before_line(head_of(ground))
        for line in language.homes(part.name, ground.place.file) if language is not None else ():
            if line not in ground.code.text:
                yield Made("import:usual", head, line + "\n")
        for file, code in ground.scene.project_codes():
            if file == ground.place.file or not file.endswith(".py"):
                continue
            module = file.removesuffix(".py").replace("/", ".")
            if any(not d.scope and d.name == part.name for d in code.definitions()):
                yield Made("import:own", head, f"from {module} import {part.name}\n")
                bound = [d for d in ground.code.definitions() if d.sort == "import" and d.module == module and not d.imported]
                for definition in bound[:1]:
                    yield Made("import:through", part.span, f"{definition.name}.{part.name}")
                    if definition.statement is not None:
                        yield Made("import:from", definition.statement, f"from {module} import {part.name}")

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose the other way to import what is imported here."""
        if not ground.words.get("imports"):
            return
        unread = ground.words.get("unread", "")
        row = ground.row(ground.place.line)
        if unread and unread not in ground.code.text and ground.place.distance == 0 and _ANNOTATED.match(row):
            yield Made("import:unread", before_line(head_of(ground)), unread + "\n")
        for definition in ground.code.definitions():
            if definition.sort != "import" or definition.span.line != ground.place.line or definition.statement is None:
                continue
            if definition.imported and definition.imported != "*":
                yield from _respelt(definition, ground)
                yield Made("import:module", definition.statement, f"import {definition.module}")
                yield Made(
                    "import:inside",
                    definition.statement,
                    f"from {definition.module}.{definition.imported} import {definition.imported}",
                )
            else:
                yield Made("import:itself", definition.statement, f"from {definition.module} import {definition.name}")
                yield Made("import:all", definition.statement, f"from {definition.module} import *")
            if ground.indent(ground.place.line):
                text = ground.row(ground.place.line).strip() + "\n"
                yield Made("import:to the head", before_line(head_of(ground)), text)


def _respelt(definition: Definition, ground: Ground) -> Iterator[Made]:
    """Propose names that the module really has, here and wherever the name is used."""
    own = ground.scene.sources.module_file(definition.module, ground.place.file)
    there = ground.scene.sources.code(own, ground.scene.jam.runtime) if own else None
    known = (
        [item.name for item in there.definitions() if not item.scope] if there is not None else members_of(definition.module)
    )
    places = sorted(ground.code.uses(definition.name), key=lambda span: (span.line, span.column))
    if not places or definition.name != definition.imported or len(places) > 40:
        return
    for name in dict.fromkeys([*ground.told, *known]):
        if name.isidentifier() and name != definition.name and near(name, definition.name) > 0.5:
            more = tuple((ground.place.file, span, name) for span in places[1:])
            yield Made("import:respelt", places[0], name, more=more)


class Imported:
    """Gives edits of one place the imports that what they put in needs.

    Args:
        ground: the place.
    """

    def __init__(self, ground: Ground) -> None:
        self._ground = ground
        self._known: dict[str, tuple[tuple[str, Span, str], ...]] = {}

    def with_imports(self, made: Made) -> Made:
        """Return an edit with the imports of the first name in it that the file does not have yet."""
        for match in _ASKED.finditer(made.text[:_LONGEST]):
            name = match[1]
            if name not in self._known:
                known = name in self._ground.builtins or name in self._ground.visible
                self._known[name] = () if known else needed(name, self._ground)
            if more := self._known[name]:
                return msgspec.structs.replace(made, more=more)
        return made


def needed(name: str, ground: Ground) -> tuple[tuple[str, Span, str], ...]:
    """Return the import that a name needs in the file of a place, as a further edit; none where it is there already."""
    language = ground.scene.sources.language(ground.place.file, ground.scene.jam.runtime)
    if language is None or re.search(rf"\b{re.escape(name)}\b", ground.code.text):
        return ()
    lines = language.homes(name, ground.place.file)[:1]
    wide = [line for line in lines if f"{line.rpartition('.')[0]}.*" in ground.code.text]
    return () if wide else tuple((ground.place.file, before_line(head_of(ground)), line + "\n") for line in lines)


def head_of(ground: Ground) -> int:
    """Return the line before which an import may stand."""
    lines = [
        d.span.line for d in ground.code.definitions() if d.sort == "import" and not d.scope and not ground.indent(d.span.line)
    ]
    if lines:
        return min(lines)
    line = 1
    while ground.row(line).startswith(("#", "//", "package ")):
        line += 1
    if ground.row(line).startswith(('"""', "'''")):
        quote = ground.row(line)[:3]
        if ground.row(line).count(quote) < 2:
            line += 1
            while quote not in ground.row(line) and line < ground.code.text.count("\n"):
                line += 1
        line += 1
    return line


TURN = Imports()
