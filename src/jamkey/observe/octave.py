"""The values in an Octave function when it failed.

When an error ends a script, Octave keeps where, not the workspaces of the functions. So the script is run once more, on
a copy, with Octave's own debugger stopping at the error, and each frame is asked for its names.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

import msgspec

from jamkey.model import Frame
from jamkey.observe.capture import Captured
from jamkey.observe.target import Target
from jamkey.observe.wire import described


def stopped_frames(target: Target, run: Callable[[Target, bytes], Captured], frames: int, message: str) -> list[Frame]:
    """Return the innermost frames with their values, innermost first; empty when the second run did not stop likewise.

    Args:
        target: the script, moved to where it is run.
        run: runs a target there with an input.
        frames: how many frames to ask.
        message: of the first run's error.
    """
    if target.script is None or len(target.argv) > 2:
        return []
    asked = "__jamkey_where__ ();\n" + "".join("__jamkey_look__ ();\ndbup\n" for _ in range(frames)) + "exit\n"
    script = target.script.replace("'", "''")
    command = [
        target.executable,
        "--interactive",
        "--no-history",
        "--quiet",
        "--eval",
        f"debug_on_error (true); source ('{script}')",
    ]
    ended = run(Target(command, target.executable, target.script, target.runtime), asked.encode())
    path = Path(ended.wire)
    try:
        where, *rows = path.read_text("utf-8", "replace").splitlines()
        path.unlink()
        found = msgspec.json.decode(where.encode(), type=list[Frame])[:frames]
    except (OSError, ValueError, msgspec.MsgspecError):
        return []
    if message.split("\n")[0] not in ended.stderr.decode("utf-8", "replace"):
        return []  # it went another way
    for index, row in enumerate(rows[: len(found)]):
        with contextlib.suppress(msgspec.MsgspecError):
            found[index] = msgspec.structs.replace(found[index], values=described(row.encode()))
    return found
