"""What a linker misses: which source of the project defines it, or which library, and where the build names what is linked."""

from __future__ import annotations

import functools
import mmap
import os
import re
import shutil
import subprocess
from pathlib import Path, PurePath
from typing import NamedTuple

from jamkey.follow.named_lines import plain_name
from jamkey.follow.scene import Scene
from jamkey.languages.base import Code, Function
from jamkey.text import line_at

#: Files that say how a program is put together.
_BUILDS = re.compile(r"(?:GNUm|M|m)akefile|.*\.mk|CMakeLists\.txt|.*\.sh")
_COMPILES = re.compile(r"\$[({]?(?:CC|CXX|LD)\b|\b(?:gcc|g\+\+|cc|c\+\+|clang(?:\+\+)?)\b|\badd_executable\s*\(")
_LIBRARIES = re.compile(r"\s*(?:LDLIBS|LIBS|LOADLIBES)\s*[:+?]?=")
_TARGET = re.compile(r"\badd_executable\s*\(\s*(\S+)")
_KNOWN = re.compile(r"\s*lib([\w+-]+)\.so\S* \(.*\) => (/\S+)")
#: Libraries that are asked first, files that are asked at most, and seconds for each.
_FIRST, _MOST, _LIMIT = ("m", "pthread", "dl", "rt", "ncurses", "z"), 150, 5.0


class Missing(NamedTuple):
    """A name that is used, and where it is."""

    name: str
    #: The source of the project that defines it; empty where none does.
    source: str
    #: The library that does, such as `m`; empty where none is known.
    library: str
    #: The file and line that say what is linked, and changes of that file: (line, column, new text). None where none does.
    build: tuple[str, int] | None
    changes: tuple[tuple[int, int, str], ...]


def missing(scene: Scene, symbol: str) -> Missing:
    """Return where a name is defined that the linker has not found.

    Args:
        scene: the jam with its sources.
        symbol: as the linker tells it, such as `pow` or `Hive::weigh(int)`.
    """
    name = plain_name(symbol)
    used = scene.frame.file if scene.frame is not None else ""
    source = next(
        (
            file
            for file, code in scene.project_codes()
            if file != used and any(function.body_line and not _is_own(code, function) for function in code.functions(name))
        ),
        "",
    )
    library = "" if source or not re.fullmatch(r"\w+", symbol) else library_of(name)
    build, changes = _built(scene, used, source, library)
    return Missing(name, source, library, build, changes)


def _is_own(code: Code, function: Function) -> bool:
    """Tell a function that only its own file can call."""
    return re.match(r"\s*(?:inline\s+)?static\b", line_at(code.text, function.span.line)) is not None


def _built(
    scene: Scene, used: str, source: str, library: str
) -> tuple[tuple[str, int] | None, tuple[tuple[int, int, str], ...]]:
    if not source and not library:
        return None, ()
    stem = PurePath(used).stem
    for file in scene.sources.files():
        if _BUILDS.fullmatch(PurePath(file).name) is None:
            continue
        rows = (scene.sources.text(file) or "").split("\n")
        lines = [number for number, row in enumerate(rows, 1) if _COMPILES.search(row)]
        if library:
            kept = next((number for number, row in enumerate(rows, 1) if _LIBRARIES.match(row)), 0)
            line = kept or (lines[-1] if lines else 0)
            if line:
                return (file, line), (_with_library(rows[line - 1], line, library),)
            continue
        folder = os.path.dirname(file)
        wanted = os.path.relpath(source, folder or ".").replace(os.sep, "/")
        named = re.compile(rf"(?<![\w./-])(?:[\w.-]+/)*{re.escape(stem)}(\.(?:o|c|cc|cpp|cxx))\b(?!\s*:)")
        changes = [
            (number, found.end() + 1, " " + (str(PurePath(wanted).with_suffix(".o")) if found[1] == ".o" else wanted))
            for number, row in enumerate(rows, 1)
            for found in named.finditer(row)
            if "-c " not in row and wanted not in row
        ]
        if changes:
            best = next((number for number, _, _ in changes if number in lines), changes[0][0])
            return (file, best), tuple(changes)
    return None, ()


def _with_library(row: str, line: int, library: str) -> tuple[int, int, str]:
    target = _TARGET.search(row)
    if target is not None:
        return line, len(row) + 1, f"\ntarget_link_libraries({target[1].rstrip(')')} {library})"
    column = len(row.rstrip()) + 1
    return line, column, f" -l{library}"


@functools.cache
def library_of(name: str) -> str:
    """Return the library of this system that gives a name, as `-l` takes it; empty where none is found."""
    nm, ldconfig = shutil.which("nm"), shutil.which("ldconfig") or shutil.which("ldconfig", path="/sbin:/usr/sbin")
    if nm is None or ldconfig is None:
        return ""
    try:
        listed = subprocess.run([ldconfig, "-p"], capture_output=True, text=True, timeout=_LIMIT, check=False).stdout
    except (OSError, subprocess.SubprocessError):
        return ""
    known: dict[str, str] = {}
    for row in listed.split("\n"):
        found = _KNOWN.match(row)
        if found is not None and _can_be_linked(found[1], found[2]):
            known.setdefault(found[1], found[2])
    for short in sorted(known, key=lambda short: (short not in _FIRST, short))[:_MOST]:
        if not _names(known[short], name):
            continue
        try:
            told = subprocess.run(
                [nm, "-D", "--defined-only", known[short]], capture_output=True, text=True, timeout=_LIMIT, check=False
            )
        except (OSError, subprocess.SubprocessError):
            return ""
        if re.search(rf"^\w+ [TWiBD] {re.escape(name)}(?:@|$)", told.stdout, re.MULTILINE):
            return short
    return ""


def _names(path: str, name: str) -> bool:
    """Tell whether a library speaks of a name at all: much faster than to ask what it gives."""
    try:
        with open(path, "rb") as handle, mmap.mmap(handle.fileno(), 0, access=mmap.ACCESS_READ) as held:
            return held.find(b"\0" + name.encode() + b"\0") >= 0
    except (OSError, ValueError):
        return False


def _can_be_linked(short: str, path: str) -> bool:
    """Tell a library that is here for linking too, and not only for running; every program has the C library."""
    folder = Path(path).parent
    return short != "c" and any(
        (place / f"lib{short}.so").exists() for place in (folder, Path("/usr") / folder.relative_to("/"))
    )
