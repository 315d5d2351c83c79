"""What a project says about itself: `[tool.jamkey]` in pyproject.toml, or a jamkey.toml of its own."""

from __future__ import annotations

import math
import os
from pathlib import Path
from typing import Any

from jamkey import system
from jamkey.errors import UsageError
from jamkey.model import Struct


class Settings(Struct, frozen=True, kw_only=True):
    """A project's settings; every field has a default."""

    #: Folders or files (relative to the settings file) whose frames count as yours.
    own: tuple[str, ...] = ()
    #: Folders or files whose frames count as a library's.
    library: tuple[str, ...] = ()
    #: Interpreter for Python scripts; empty means the active one.
    python: str = ""
    #: Seconds a run may take; 0 means no limit.
    limit: float = 0.0
    #: File ending -> command, such as {".js": "node"}.
    commands: dict[str, str] = {}
    #: Rules of `check` that the project means as it writes.
    meant: tuple[str, ...] = ()
    #: Whether readings are kept in the journal.
    keep: bool = True
    #: Whether programs may be run twice also where the system offers nothing that keeps a second run in its folders.
    unguarded: bool = False
    #: Seconds that the search for keys may take, or eight runs of the program, whichever is more; 0 for no search.
    patience: float = 10.0
    #: Numbers of an output that differ by no more than this from the expected ones agree.
    near: float = 0.0
    #: Days that they are kept.
    keep_days: float = 365.0
    #: Command that opens an editor at a place, such as "code --goto {file}:{line}"; empty takes VISUAL or EDITOR.
    editor: str = ""
    #: What a place in the terminal links to, such as "vscode://file{path}:{line}"; empty links to the file, "none" not at all.
    link: str = ""
    #: Folder the settings were read from; empty for the defaults.
    folder: str = ""


def duration(text: str) -> float:
    """Return seconds from `10`, `10s`, `1.5m` or `500ms`.

    Raises:
        UsageError: not a duration.
    """
    cleaned = text.strip().lower()
    units = {"ms": 0.001, "s": 1.0, "m": 60.0, "h": 3600.0}
    unit = next((unit for unit in units if cleaned.endswith(unit)), "")
    try:
        seconds = float(cleaned.removesuffix(unit)) * units.get(unit, 1.0)
    except ValueError:
        seconds = -1.0
    if not 0 < seconds < 10_000_000:
        raise UsageError(f"'{text}' is not a duration: write for example 10s, 500ms or 2m")
    return seconds


def load(folder: Path) -> Settings:
    """Return the settings of the nearest project folder at or above `folder`; the environment speaks before them.

    Raises:
        UsageError: the file is not TOML, a field has the wrong type, or the environment names no number of seconds.
    """
    found = _nearest(folder)
    asked = os.environ.get("JAMKEY_PATIENCE", "")
    if not asked:
        return found
    import msgspec

    try:
        seconds = float(asked)
    except ValueError:
        seconds = -1.0
    if not 0 <= seconds < math.inf:
        raise UsageError(f"JAMKEY_PATIENCE is '{asked}': give it seconds, such as 5, or unset it")
    return msgspec.structs.replace(found, patience=seconds)


def _nearest(folder: Path) -> Settings:
    for place in (folder, *folder.parents):
        for name in ("jamkey.toml", "pyproject.toml"):
            path = place / name
            if path.is_file() and _is_trusted(path):
                table = _table(path, nested=name == "pyproject.toml")
                if table is not None:
                    return _settings(table, path)
    return Settings()


def _is_trusted(path: Path) -> bool:
    """Settings name programs that are run: only a file of this user's or of the system's is taken."""
    return system.is_trusted_owner(path.stat().st_uid)


def _table(path: Path, *, nested: bool) -> dict[str, Any] | None:
    import tomllib

    try:
        data = tomllib.loads(path.read_text(encoding="utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        if nested:  # a broken pyproject.toml is not ours to complain about
            return None
        raise UsageError(f"{path} is not valid TOML: {error}") from None
    except OSError:
        return None
    if not nested:
        return data
    table = data.get("tool", {}).get("jamkey")
    return table if isinstance(table, dict) else None


def _settings(table: dict[str, Any], path: Path) -> Settings:
    import msgspec

    values = dict(table)
    for name in ("limit", "patience"):
        if isinstance(values.get(name), str):
            values[name] = duration(values[name])
    for name in ("limit", "patience", "keep_days", "near"):
        if isinstance(values.get(name), (int, float)) and not values[name] >= 0:
            raise UsageError(f"{path}: {name} = {values[name]} is less than nothing")
    unknown = sorted(set(values) - set(Settings.__struct_fields__) | ({"folder"} & set(values)))
    if unknown:
        known = ", ".join(name for name in Settings.__struct_fields__ if name != "folder")
        raise UsageError(f"{path}: unknown setting '{unknown[0]}': the settings are {known}")
    try:
        return msgspec.convert({**values, "folder": str(path.parent)}, Settings, strict=False)
    except msgspec.ValidationError as error:
        raise UsageError(f"{path}: {error}") from None
