"""A script run once more, held in a place of its own, while names are watched."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec

from jamkey.follow.sources import Sources
from jamkey.model import Change
from jamkey.observe.capture import Captured
from jamkey.observe.recording import record
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.trials.scratch import scratch


def watched_run(
    target: Target,
    root: Path,
    names: Sequence[str],
    *,
    functions: Sequence[str] = (),
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    until: str = "",
    unguarded: bool = False,
) -> tuple[Captured, list[Change], int]:
    """Return how a run ended, the last changes in order with files as the project has them, and how many there were.

    Args:
        target: a Python script.
        root: the project folder.
        names: plain names, dotted ones such as `self.kilos`, or `*` for all names of the functions.
        functions: only inside these; none for all.
        stdin: what the program may read.
        limit: seconds, 0 for none.
        until: end the program when a name turns `nan`, `none`, another `type`, or makes an expression true.
        unguarded: run it also where nothing holds it in its folders.

    Raises:
        OSError: the program cannot be started.
        NoSandbox: nothing can hold it here, and `unguarded` is not said.
    """
    sources = Sources(root)
    with scratch(root, unguarded=unguarded) as place:
        files = [place.project / name for name in sources.files() if name.endswith((".py", ".pyw"))]
        ended, changes, total = record(
            lambda env: place.run(target, stdin=stdin, limit=limit, env=env),
            list(dict.fromkeys(names)),
            files,
            place.folder / "changes",
            functions=functions,
            until=until,
        )
        there = place.sources()
        found = [msgspec.structs.replace(change, file=there.resolve(change.file) or change.file) for change in changes]
    return ended, found, total
