"""The command's start: `jamkey run` goes the short way, everything else through the command tree."""

from __future__ import annotations

import sys


def main() -> None:
    """Run the command line."""
    if len(sys.argv) > 2 and sys.argv[1] == "run":
        from jamkey.doors.quick import start

        start(sys.argv[2:])
    from jamkey.doors.main import cli

    cli(prog_name="jamkey")


def _without_working_folder() -> None:
    """Take the working folder off the path that `python -m` puts it on: a json.py there is the user's, not ours."""
    import os

    here = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
    if sys.path and os.path.abspath(sys.path[0] or ".") == os.getcwd() != here:
        del sys.path[0]


if __name__ == "__main__":
    _without_working_folder()
    main()
