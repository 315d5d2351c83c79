"""macOS: a profile of its own sandbox (sandbox-exec(1))."""

from __future__ import annotations

import os
from collections.abc import Sequence

_PROGRAM = "/usr/bin/sandbox-exec"


class Profile:
    """Holds a program by a profile: reading is free, writing only below the folders, no network but the machine itself."""

    @staticmethod
    def is_there() -> bool:
        """Tell whether the system offers it."""
        return os.access(_PROGRAM, os.X_OK)

    def command(self, argv: Sequence[str], executable: str, writable: Sequence[str]) -> tuple[list[str], str]:
        """Return (command, file to start) that runs the program held."""
        return [_PROGRAM, "-p", profile(writable), executable, *argv[1:]], _PROGRAM


def profile(writable: Sequence[str]) -> str:
    """Return the profile's text."""
    folders = " ".join(f'(subpath "{_quoted(os.path.realpath(folder))}")' for folder in writable)
    return (
        "(version 1)\n(allow default)\n(deny file-write*)\n"
        f'(allow file-write* {folders} (literal "/dev/null") (literal "/dev/zero") (literal "/dev/tty"))\n'
        '(deny network*)\n(allow network* (local ip "localhost:*") (remote ip "localhost:*"))\n'
        "(deny signal)\n(allow signal (target same-sandbox))\n"
    )


def _quoted(path: str) -> str:
    return path.replace("\\", "\\\\").replace('"', '\\"')
