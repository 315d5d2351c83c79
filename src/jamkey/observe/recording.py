"""A second run that records how chosen names change: starts the recorder, reads what it wrote."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from pathlib import Path

import msgspec

from jamkey.model import Change
from jamkey.observe.capture import Captured, capture
from jamkey.observe.target import Target


def record(
    target: Target,
    cwd: Path,
    names: Sequence[str],
    files: Sequence[Path],
    *,
    functions: Sequence[str] = (),
    stdin: bytes = b"",
    limit: float = 0.0,
    most: int = 2000,
    until: str = "",
) -> tuple[Captured, list[Change], int]:
    """Run a Python target once more and return how it ended, the last changes in order, and how many there were.

    Args:
        target: what to run.
        cwd: the working folder.
        names: plain names or dotted ones such as `self.kilos`.
        files: whose functions are watched.
        functions: only these; none for all.
        stdin: what the program may read.
        limit: seconds, 0 for none.
        most: changes kept; the latest ones.
        until: end the program when a name turns `nan`, `none`, another `type`, or makes an expression true.

    Raises:
        OSError: the program cannot be started.
    """
    handle, out = tempfile.mkstemp(prefix="jamkey-changes-")
    os.close(handle)
    specification = {
        "names": list(names),
        "files": [str(file) for file in files],
        "functions": list(functions),
        "most": most,
        "out": out,
        "until": until,
    }
    try:
        ended = capture(
            target.argv,
            executable=target.executable,
            cwd=cwd,
            stdin=stdin,
            limit=limit,
            env={"JAMKEY_RECORD": msgspec.json.encode(specification).decode()},
        )
        return (ended, *_read(Path(out)))
    finally:
        Path(out).unlink(missing_ok=True)


def _read(path: Path) -> tuple[list[Change], int]:
    changes: list[Change] = []
    total = 0
    for line in path.read_bytes().splitlines():
        try:
            found = msgspec.json.decode(line)
            if isinstance(found, dict):
                total = int(found["total"])
            else:
                changes.append(msgspec.convert(dict(zip(Change.__struct_fields__, found, strict=True)), Change))
        except (msgspec.MsgspecError, ValueError, KeyError, TypeError):
            continue  # a line cut off by a kill
    return changes, total
