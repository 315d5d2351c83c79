"""The values in an Octave function when it failed.

When an error ends a script, Octave keeps where, not the workspaces of the functions. So the script is run once more, on
a copy, with Octave's own debugger stopping at the error, and each frame is asked for its names.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from jamkey.model import Value
from jamkey.observe.capture import Captured
from jamkey.observe.target import Target
from jamkey.observe.wire import described


def values_of_frames(target: Target, run: Callable[[Target, bytes], Captured], frames: int) -> list[tuple[Value, ...]]:
    """Return the values of the innermost frames, innermost first; empty when the second run did not stop likewise.

    Args:
        target: the script, moved to where it is run.
        run: runs a target there with an input.
        frames: how many frames to ask.
    """
    if target.script is None or len(target.argv) > 2:
        return []
    asked = "".join("__jamkey_look__ ();\ndbup\n" for _ in range(frames)) + "exit\n"
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
        rows = path.read_text("utf-8", "replace").splitlines()
        path.unlink()
    except OSError:
        return []
    found: list[tuple[Value, ...]] = []
    for row in rows[:frames]:
        try:
            found.append(described(row.encode()))
        except msgspec.MsgspecError:
            break
    return found
