"""What the language's own compiler warns of in the program that failed: it compiled, and was wrong all the same."""

from __future__ import annotations

import functools
import os
import warnings
from collections.abc import Iterator
from typing import NamedTuple

from jamkey import system
from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.late import pattern
from jamkey.text import shorten

#: Files compiled, seconds for each, and warnings kept.
_FILES, _SECONDS, _MOST = 6, 1.5, 12
_C = (".c",)
_CPP = (".cpp", ".cc", ".cxx", ".C")
#: `main.c:5:9: warning: suggest parentheses around ... [-Wparentheses]`.
_GCC = pattern(r"([^:\n]{1,400}):(\d{1,7}):(?:(\d{1,6}):)? warning: ([^\n]{1,400}?)(?: \[-W[^\]\n]{0,60}\])?\n")
#: What says nothing of the run: a name that is not used, a comparison of signs.
_SILENT = ("-Wno-unused", "-Wno-sign-compare", "-Wno-missing-field-initializers")


class Warned(NamedTuple):
    """One warning: where, and in the compiler's own words."""

    file: str
    line: int
    column: int
    words: str


def warned(sources: Sources, runtime: str, names: list[str]) -> list[Warned]:
    """Return what the compiler of a program warns of; nothing where it has none, or none is installed.

    Args:
        sources: the project.
        runtime: that failed.
        names: of the program's files, in its language.
    """
    found: list[Warned] = []
    for name in names[:_FILES]:
        if len(found) >= _MOST or sources.out_of_time():
            break
        asked = _ASKED.get(traits_of(runtime).warned_by)
        found += [item for item in asked(sources, name) if item not in found] if asked is not None else []
    return found[:_MOST]


def _of_python(sources: Sources, name: str) -> Iterator[Warned]:
    text = sources.text(name)
    if text is None or not name.endswith(".py"):
        return
    with warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        try:
            compile(text, name, "exec", dont_inherit=True)
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            return
    for item in caught:
        if issubclass(item.category, SyntaxWarning):
            yield Warned(name, item.lineno, 1, shorten(str(item.message), 160))


def _of_gcc(sources: Sources, name: str) -> Iterator[Warned]:
    path = sources.path(name)
    if path is None or path.suffix not in (*_C, *_CPP):
        return
    for file, line, column, words in _asked(str(path), os.stat(path).st_mtime_ns):
        yield Warned(sources.relative(file), line, column, shorten(words, 160))


@functools.lru_cache(maxsize=32)
def _asked(path: str, changed: int) -> tuple[tuple[str, int, int, str], ...]:
    """Return the warnings of one file as (file, line, column, words).

    Args:
        path: of the file.
        changed: when, in nanoseconds: a file that was changed is asked again.
    """
    # only a failure of a language that is compiled by it needs them
    import shutil
    import subprocess

    folder = os.path.dirname(path)
    plus = path.endswith(_CPP)
    compiler = shutil.which("g++" if plus else "gcc")
    if compiler is None:
        return ()
    # what gcc knows of values it finds out while it optimises; the headers of C++ would make that slow
    how = ["-fsyntax-only"] if plus else ["-S", "-O2", "-o", os.devnull]
    argv = [compiler, *how, "-Wall", "-Wextra", *_SILENT, "-fno-diagnostics-show-caret", os.path.basename(path)]
    env = {**os.environ, "LC_ALL": "C.UTF-8", "LANGUAGE": "en"}
    try:
        asked = subprocess.Popen(
            argv,
            cwd=folder,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
            errors="replace",
            env=env,
            **system.apart(),
        )
    except OSError:
        return ()
    try:
        _, told = asked.communicate(timeout=_SECONDS)
    except subprocess.TimeoutExpired:
        system.kill_group(asked.pid, hard=True)  # the compiler proper is a child of what was started
        asked.communicate()
        return ()
    return tuple(
        (os.path.join(folder, file), int(line), int(column or 1), words)
        for file, line, column, words in _GCC.findall(told)
        if not os.path.isabs(file)
    )


#: Who warns -> how it is asked.
_ASKED = {"python": _of_python, "gcc": _of_gcc}
