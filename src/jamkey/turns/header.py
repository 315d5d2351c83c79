"""What several files include: read once, declared for all and defined in one of them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import PurePath

from jamkey.languages.base import Span, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.imports import head_of

_ENDINGS = (".h", ".hh", ".hpp", ".hxx", ".inc")
_GUARDED = re.compile(r"\s*(?:#\s*pragma\s+once|#\s*ifndef|#\s*if\b)")
#: A variable that is defined at the margin: what declares it, and the value it begins with.
_VARIABLE = re.compile(
    r"(?P<declared>(?!(?:extern|static|typedef|using|const|constexpr|inline|return|struct\s+\w+\s*;))"
    r"[A-Za-z_][\w:<>, \t]*[ \t*&]+\w+(?:\[[^\]\n]*\])*)[ \t]*(?:=[ \t]*(?P<value>[^;\n]+))?;"
)
_INCLUDED = re.compile(r"^[ \t]*#[ \t]*include\b.*$", re.MULTILINE)
#: Files that may define what a header declares.
_MOST = 4


class Header(Plain):
    """A header gets its guard; `int visitors = 0;` in it becomes `extern int visitors;`, defined in one file."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose what lets a header be included more than once."""
        path = PurePath(ground.place.file)
        once: list[str] = ground.words.get("once", [])
        if not once or path.suffix.lower() not in _ENDINGS:
            return
        text, line = ground.code.text, ground.place.line
        if _GUARDED.match(text) is None:
            name = re.sub(r"\W", "_", path.name).upper()
            rows = text.split("\n")
            ends = "" if text.endswith("\n") else "\n"
            end = Span(len(rows), len(rows[-1]) + 1, len(rows), len(rows[-1]) + 1)
            more = ((ground.place.file, end, ends + once[1].format(name)),)
            yield Made("header:once", before_line(head_of(ground)), once[0].format(name), more=more)
        row = ground.row(line)
        found = _VARIABLE.match(row) if statement.span.line == line else None
        if found is not None:
            place = Span(line, 1, line, found.end() + 1)
            declared = re.sub(r"\[[^\]]*\](?=[^\[]*$)", "[]", found["declared"]) if found["value"] else found["declared"]
            defined = found["declared"] + (f" = {found['value'].strip()}" if found["value"] else "")
            for file, at in _includers(path, ground):
                yield Made(
                    "header:shared",
                    place,
                    ground.words["shared"].format(declared),
                    more=((file, before_line(at), f"\n{defined};\n"),),
                )
        if any(function.span.line == line and function.body_line for function in ground.code.functions()):
            for word in ground.words.get("inlined", ()):
                yield Made(f"header:{word.strip()}", before_line(line), word)


def _includers(path: PurePath, ground: Ground) -> list[tuple[str, int]]:
    """Return the files that include a header and are none, that of its own name first, with the line behind their includes."""
    found: list[tuple[str, int]] = []
    for file, code in ground.scene.project_codes():
        if PurePath(file).suffix.lower() in _ENDINGS:
            continue
        rows = list(_INCLUDED.finditer(code.text))
        if any(path.name in match[0] for match in rows):
            found.append((file, code.text.count("\n", 0, rows[-1].end()) + 2))
    return sorted(found, key=lambda item: PurePath(item[0]).stem != path.stem)[:_MOST]


TURN = Header()
