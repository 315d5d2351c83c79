"""A second run that records how chosen names change: starts the recorder, reads what it wrote."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec

from jamkey.model import Change
from jamkey.observe.capture import Captured


def record(
    run: Callable[[dict[str, str]], Captured],
    names: Sequence[str],
    files: Sequence[Path],
    out: Path,
    *,
    functions: Sequence[str] = (),
    most: int = 2000,
    latest: bool = True,
    until: str = "",
) -> tuple[Captured, list[Change], int]:
    """Run a Python target once more and return how it ended, changes in order, and how many there were.

    Args:
        run: runs it with variables added to its environment.
        names: plain names or dotted ones such as `self.kilos`.
        files: whose functions are watched.
        out: a file of ours that the run may write to.
        functions: only these; none for all.
        most: changes kept.
        latest: keep the latest ones; else the first, and look no more when there are so many.
        until: end the program when a name turns `nan`, `none`, another `type`, or makes an expression true.

    Raises:
        OSError: the program cannot be started.
    """
    specification = {
        "names": list(names),
        "files": [str(file) for file in files],
        "functions": list(functions),
        "most": most,
        "latest": latest,
        "out": str(out),
        "until": until,
    }
    ended = run({"JAMKEY_RECORD": msgspec.json.encode(specification).decode()})
    return (ended, *_read(out))


def _read(path: Path) -> tuple[list[Change], int]:
    changes: list[Change] = []
    total = 0
    try:
        lines = path.read_bytes().splitlines()
    except OSError:
        lines = []
    for line in lines:
        try:
            found = msgspec.json.decode(line)
            if isinstance(found, dict):
                total = int(found["total"])
            else:
                changes.append(msgspec.convert(dict(zip(Change.__struct_fields__, found, strict=True)), Change))
        except (msgspec.MsgspecError, ValueError, KeyError, TypeError):
            continue  # a line cut off by a kill
    return changes, total
