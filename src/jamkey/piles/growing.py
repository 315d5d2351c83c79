"""Logs as they grow: what came since, family by family."""

from __future__ import annotations

import itertools
import os
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from jamkey.errors import UnreadableInput, UsageError
from jamkey.model import Kin, Pile
from jamkey.piles.files import TYPED, Piece, found, is_stream, length_of, pieces
from jamkey.piles.fold import Name, Part
from jamkey.piles.gathered import told
from jamkey.piles.shapes import Looker

#: Milliseconds without a change after which what ends a log is taken for whole.
_QUIET = 1500


def lengths(paths: Sequence[str]) -> dict[str, int]:
    """Return log -> bytes on the disk, to be noted before the logs are gathered: what comes after is what `grown` shows."""
    return {file: length_of(file)[0] for file in found(paths) if file != TYPED and "://" not in file}


def grown(
    paths: Sequence[str], root: Path, seen: Pile, sizes: Mapping[str, int] | None = None
) -> Iterator[tuple[Pile, list[Kin]]]:
    """Yield (all so far, the families met for the first time) whenever the logs have grown by a failure.

    Args:
        paths: as they were given; logs that come later belong to them.
        root: the project folder.
        seen: the pile as it is.
        sizes: log -> bytes it had when it was gathered, as `lengths` gives them; what it has now when left out.

    Raises:
        UsageError: watchfiles is not installed.
    """
    try:
        from watchfiles import watch
    except ImportError:
        raise UsageError("--follow needs a package more: python -m pip install 'jamkey[pile]'") from None
    looker = Looker(root)
    shown = {_named(kin) for kin in seen.families}
    begun = dict(sizes) if sizes is not None else lengths([job.file for job in seen.jobs])
    folders = sorted(
        {os.path.dirname(os.path.abspath(file)) or "." for file in begun} | {path for path in paths if os.path.isdir(path)}
    )
    whole = Part()
    for file, size in begun.items():
        for piece in pieces([file]):
            if piece.start < size:
                whole.add(looker.look(piece._replace(stop=min(piece.stop, size))))
    known = set(whole.families)
    changes = watch(
        *folders, recursive=True, raise_interrupt=True, step=200, debounce=400, rust_timeout=_QUIET, yield_on_timeout=True
    )
    # what was written since they were gathered is there already, and nothing tells of it
    for changed in itertools.chain([{"since"}], changes):
        part, fresh = _what_came(paths, begun, looker, whole, known, quiet=not changed)
        if part:
            now = told(whole, root)
            names = {_named(kin) for kin in told(fresh, root).families} - shown
            yield now, [kin for kin in now.families if _named(kin) in names]


def _named(kin: Kin) -> tuple[str | None, int | None, str | None, str | None]:
    return kin.file, kin.line, kin.exception_type, kin.message


def _what_came(
    paths: Sequence[str], sizes: dict[str, int], looker: Looker, whole: Part, known: set[Name], *, quiet: bool
) -> tuple[int, Part]:
    """Take in what the logs have more; return how many failures came, and the families not known before.

    A failure that a log ends with, and half a line, are left for the next look while the log is being written.
    """
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
            came_in = pieces([file], begun={file: begun})
            if not quiet and not is_stream(file):
                size, came_in = _settled(came_in, looker)
            for piece in came_in:
                part = looker.look(piece)
                came += part.failures
                fresh.families |= {name: family for name, family in part.families.items() if name not in known}
                known |= part.families.keys()
                whole.add(part)
            sizes[file] = size
        except UnreadableInput:
            continue
    return came, fresh


def _settled(came: list[Piece], looker: Looker) -> tuple[int, list[Piece]]:
    """Return up to where what came is whole, and the pieces up to there."""
    seen = looker.look(came[-1]).files[came[-1].file]
    end = seen.size - len(seen.tail) + seen.tail.rfind(b"\n") + 1
    if seen.last is not None and seen.last[1] >= end:
        end = seen.last[0]
    end = max(end, came[-1].start)
    return end, [*came[:-1], came[-1]._replace(stop=end)]
