"""Versions of the packages whose frames lie on a path of calls, as their installation says."""

from __future__ import annotations

import os

from jamkey.model import Jam

_PLACES = ("/site-packages/", "/dist-packages/")
_MOST = 6


def versions_of(jam: Jam) -> tuple[str, ...]:
    """Return `name version` of each installed Python package on the path, innermost first; only those that are here."""
    found: dict[str, str] = {}
    for frame in reversed(jam.frames):
        path = frame.file.replace("\\", "/")
        place = next((part for part in _PLACES if part in path), None)
        if place is None or len(found) >= _MOST:
            continue
        folder, _, inside = path.partition(place)
        name = inside.split("/")[0].removesuffix(".py")
        if name not in found:
            version = _version(folder + place.rstrip("/"), name)
            if version:
                found[name] = version
    return tuple(f"{name} {version}" for name, version in found.items())


def _version(folder: str, name: str) -> str:
    try:
        entries = os.listdir(folder)
    except (OSError, ValueError):  # also a path with a NUL
        return ""
    for entry in entries:
        # name-1.2.3.dist-info, by the packaging standard; names are compared as it says
        if entry.endswith(".dist-info"):
            own, _, version = entry.removesuffix(".dist-info").partition("-")
            if own.lower().replace("-", "_") == name.lower() or _provides(os.path.join(folder, entry), name):
                return version
    return ""


def _provides(info: str, name: str) -> bool:
    """Tell whether a distribution of another name holds the package, by its own list of top-level names."""
    try:
        with open(os.path.join(info, "top_level.txt"), encoding="utf-8") as handle:
            return name in handle.read(2000).split()
    except (OSError, ValueError):  # also a path with a NUL
        return False
