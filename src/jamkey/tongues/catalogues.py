"""Where a runtime's catalogues lie on this machine."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from pathlib import Path

from jamkey.languages.traits import traits_of
from jamkey.tongues.mo import pairs

#: Runtime -> names of its catalogues, as patterns of file names.
_NAMES = {"r": ("R.mo", "R-*.mo", "*.mo"), "c": ("gcc*.mo", "cpplib*.mo", "ld.mo", "bfd.mo", "opcodes.mo")}
#: What a program's own errors name the system's by.
_SYSTEM = "libc.mo"
_SHARED = ("/usr/share/locale", "/usr/local/share/locale", "/opt/homebrew/share/locale", "/usr/share/locale-langpack")
_R_HOMES = (
    "/usr/lib/R",
    "/usr/lib64/R",
    "/usr/local/lib/R",
    "/opt/R/current/lib/R",
    "/Library/Frameworks/R.framework/Resources",
)


def folders(runtime: str) -> list[Path]:
    """Return the folders that hold a folder for each language."""
    found: list[Path] = []
    if traits_of(runtime).own_catalogues:
        homes = [os.environ.get("R_HOME", ""), *_R_HOMES]
        if (program := shutil.which("Rscript")) is not None:
            homes.append(str(Path(program).resolve().parent.parent))
        windows = Path(os.environ.get("PROGRAMFILES", "/none")) / "R"
        homes += map(str, sorted(windows.glob("R-*"), reverse=True)) if windows.is_dir() else ()
        for home in dict.fromkeys(filter(None, homes)):
            library = Path(home, "library")
            found += [library / "translations", *sorted(library.glob("*/po"))]
    else:
        program = shutil.which("gcc")
        found += map(Path, _SHARED)
        if program is not None:
            found.append(Path(program).resolve().parent.parent / "share" / "locale")
    return [folder for folder in dict.fromkeys(found) if folder.is_dir()]


def languages(runtime: str) -> list[str]:
    """Return the languages that there are catalogues in."""
    names = {
        place.name
        for folder in folders(runtime)
        for place in folder.iterdir()
        if any((place / "LC_MESSAGES").glob(_NAMES[runtime][0]))
    }
    return sorted(names)


def found(runtime: str, language: str) -> Iterator[tuple[str, str]]:
    """Yield (original, translation) of all catalogues of a language."""
    seen: set[Path] = set()
    for folder in folders(runtime):
        place = folder / language / "LC_MESSAGES"
        for pattern in _NAMES[runtime]:
            for file in sorted(place.glob(pattern)):
                if file.resolve() not in seen:
                    seen.add(file.resolve())
                    yield from pairs(file)
    for shared in _SHARED:
        yield from pairs(Path(shared, language, "LC_MESSAGES", _SYSTEM))
