"""Which module is meant by a name that none bears: one of the project's files, one that comes with the language, a library."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterator
from typing import NamedTuple

from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.languages.base import Span
from jamkey.languages.members import own_names

#: Files that another one names to be read with it.
_HEADERS = (".h", ".hh", ".hpp", ".hxx")


class Meant(NamedTuple):
    """A module that may be meant."""

    #: Where the name that none bears stands, and the one that may be meant.
    span: Span
    name: str
    #: 0 to 1: how alike they are.
    score: float
    #: In words.
    what: str


def modules_meant(scene: Scene, file: str, line: int, module: str, *, most: int = 3, least: float) -> list[Meant]:
    """Return the modules that are like one that there is not, where its name stands on a line, likeliest first.

    Args:
        scene: the failure.
        file: that asks for the module.
        line: of it, 1-based.
        module: its name as it is asked for.
        most: so many.
        least: how alike they must be, 0 to 1.
    """
    row = scene.row(file, line)
    for asked in dict.fromkeys([module, module.split(".")[0] if scene.traits.modules_within else module]):
        written = re.search(rf"(?<![\w.]){re.escape(asked)}(?!\w)", row) if asked else None
        known = _known(scene, file, holds=written is not None and row[written.end() : written.end() + 1] == ".")
        if written is None or asked in known:
            continue
        span = Span(line, written.start() + 1, line, written.end() + 1)
        depth = None if scene.traits.modules_by_file else asked.count(".")
        level = [
            name
            for name in known
            if (depth is None or name.count(".") == depth) and name.startswith("_") == asked.startswith("_")
        ]
        found = [Meant(span, name, score, known[name]) for name, score in nearest(asked, level, most=most, least=least)]
        if found:
            return found
    return []


def is_there(module: str, known: frozenset[str]) -> bool:
    """Tell a module that there is, or one within it, where nothing more is known of what lies there."""
    head = module.partition(".")[0]
    return module in known or (head in known and not any(name.startswith(f"{head}.") for name in known))


def _known(scene: Scene, file: str, *, holds: bool) -> dict[str, str]:
    """Return the modules that can be asked for in a file, with what each is; names too, of what holds what is asked for."""
    language = scene.sources.language(file, scene.jam.runtime)
    traits = scene.traits
    found = dict.fromkeys(traits.libraries, "a library")
    comes = "a header that comes with the compiler" if traits.modules_by_file else "a module that comes with the language"
    found |= dict.fromkeys(language.known_modules(file) if language is not None else (), comes)
    if holds and language is not None:
        found |= dict.fromkeys(language.builtins | own_names(language.name), "a name that the language has")
    return found | dict.fromkeys(_own(scene, file), "a file of yours")


def _own(scene: Scene, file: str) -> Iterator[str]:
    """Yield the project's files as a file asks for them."""
    folder, ending = posixpath.dirname(file), posixpath.splitext(file)[1]
    for name in scene.sources.files():
        stem, own = posixpath.splitext(name)
        if scene.traits.modules_by_file:
            if own in _HEADERS and name != file:
                yield posixpath.relpath(name, folder or ".")
        elif own == ending and not scene.traits.relative_modules and name != file:
            yield from dict.fromkeys((posixpath.basename(stem), stem.replace("/", ".")))
