"""Where the user's state lies: backups of fixes, the journal.

On the path of a healthy `jamkey run`, so nothing is imported there.
"""

from __future__ import annotations

import os
import sys


def state_folder() -> str:
    """Return the folder of the user's state; JAMKEY_STATE overrides it. Nothing is created."""
    chosen = os.environ.get("JAMKEY_STATE")
    if chosen:
        return chosen
    if sys.platform.startswith("linux"):
        # what platformdirs would say, without the time it takes to load
        base = os.environ.get("XDG_STATE_HOME", "")
        return os.path.join(base if os.path.isabs(base) else os.path.expanduser("~/.local/state"), "jamkey")
    import platformdirs

    return platformdirs.user_state_dir("jamkey")


def target_mark(folder: str, words: list[str]) -> str:
    """Return the path whose existence says that a failure of this very call is still open.

    Args:
        folder: the working folder.
        words: what was run, with its arguments.
    """
    import zlib

    number = zlib.crc32("\0".join([folder, *words]).encode("utf-8", "surrogateescape"))
    return os.path.join(state_folder(), "open", f"{number:08x}")
