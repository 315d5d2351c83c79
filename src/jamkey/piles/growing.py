"""Logs as they grow: what came since, family by family."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from pathlib import Path

from jamkey.errors import UnreadableInput, UsageError
from jamkey.model import Kin, Pile
from jamkey.piles.files import TYPED, found, is_stream, length_of, pieces
from jamkey.piles.fold import Name, Part
from jamkey.piles.gathered import told
from jamkey.piles.shapes import Looker

#: Bytes before the end of what was looked at that are looked at again: a failure may have been half written.
_AGAIN = 4096


def grown(paths: Sequence[str], root: Path, seen: Pile) -> Iterator[tuple[Pile, list[Kin]]]:
    """Yield (all so far, the families met for the first time) whenever the logs have grown by a failure.

    Args:
        paths: as they were given; logs that come later belong to them.
        root: the project folder.
        seen: the pile as it is.

    Raises:
        UsageError: watchfiles is not installed.
    """
    try:
        from watchfiles import watch
    except ImportError:
        raise UsageError("--follow needs a package more: python -m pip install 'jamkey[pile]'") from None
    looker = Looker(root)
    sizes = {job.file: length_of(job.file)[0] for job in seen.jobs if job.file != TYPED and "://" not in job.file}
    folders = sorted(
        {os.path.dirname(os.path.abspath(file)) or "." for file in sizes} | {path for path in paths if os.path.isdir(path)}
    )
    whole = Part()
    for file in sizes:
        for piece in pieces([file]):
            whole.add(looker.look(piece))
    known = set(whole.families)
    for _ in watch(*folders, recursive=True, raise_interrupt=True, step=200, debounce=400):
        part, fresh = _what_came(paths, sizes, looker, whole, known)
        if part:
            now = told(whole, root)
            names = {(kin.file, kin.line, kin.exception_type, kin.message) for kin in told(fresh, root).families}
            yield now, [kin for kin in now.families if (kin.file, kin.line, kin.exception_type, kin.message) in names]


def _what_came(paths: Sequence[str], sizes: dict[str, int], looker: Looker, whole: Part, known: set[Name]) -> tuple[int, Part]:
    """Take in what the logs have more; return how many failures came, and the families not known before."""
    came, fresh = 0, Part()
    try:
        files = found(paths)
    except UnreadableInput:
        return 0, fresh
    for file in files:
        try:
            size = length_of(file)[0]
            before = sizes.get(file, 0)
            if size == before or (file in sizes and is_stream(file)):
                continue
            begun = 0 if size < before else before  # a log that was begun anew
            for piece in pieces([file], begun={file: begun}):
                part = looker.look(piece)
                came += part.failures
                fresh.families |= {name: family for name, family in part.families.items() if name not in known}
                known |= part.families.keys()
                whole.add(part)
            sizes[file] = size
        except UnreadableInput:
            continue
    return came, fresh
