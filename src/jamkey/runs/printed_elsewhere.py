"""A program that failed, or that a debugger ran, and said nothing on standard error that could be read.

What it printed to standard output went straight through and was not kept. So it is run once more, on a copy, and all that it
prints is read.
"""

from __future__ import annotations

import contextlib
from pathlib import Path

from jamkey.errors import NoSandbox
from jamkey.model import Jam
from jamkey.observe.target import Target
from jamkey.runs.read_run import diagnose_run
from jamkey.settings import Settings
from jamkey.trials.scratch import scratch

#: Seconds of the first run after which a second one would keep its user waiting.
_LONGEST = 10.0


def printed_elsewhere(
    target: Target, root: Path, *, status: int, stderr: bytes, stdin: bytes, seconds: float, settings: Settings
) -> list[Jam]:
    """Return the failures that the program printed to standard output; none where its second run went another way.

    Args:
        target: what was run.
        root: the project folder.
        status: how it ended.
        stderr: what it printed there.
        stdin: what is known of what it read.
        seconds: how long it ran.
        settings: the project's.
    """
    if seconds > _LONGEST or status < 0:
        return []
    with contextlib.suppress(NoSandbox, OSError), scratch(root, unguarded=settings.unguarded) as place:
        again = place.run(target, stdin=stdin, limit=2 * seconds + 1)
        same = again.status == status and (target.is_debugged or again.stderr == stderr)
        if same and again.stdout and not again.refused:
            return diagnose_run(
                stderr, again.wire, root, target=target, status=status, stdout=again.stdout, settings=settings, stdin=stdin
            )
    return []
