"""The command's start: `jamkey run` goes the short way, everything else through the command tree."""

from __future__ import annotations

import sys


def main() -> None:
    """Run the command line."""
    if len(sys.argv) > 2 and sys.argv[1] == "run":
        from jamkey.doors.quick import start

        start(sys.argv[2:])
    if len(sys.argv) > 1 and _is_script(sys.argv[1]):
        # `python -m jamkey hives.py` is the short form of `run hives.py`
        from jamkey.doors.quick import start

        start(sys.argv[1:])
    from jamkey.doors.main import cli

    cli(prog_name="jamkey")


def _is_script(word: str) -> bool:
    """Tell a script from a command: it has an ending, and it is there."""
    import os

    return "." in word and not word.startswith("-") and os.path.isfile(word)


def _without_working_folder() -> None:
    """Take the working folder off the path that `python -m` puts it on: a json.py there is the user's, not ours."""
    import os

    here = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
    if sys.path and os.path.abspath(sys.path[0] or ".") == os.getcwd() != here:
        del sys.path[0]


if __name__ == "__main__":
    _without_working_folder()
    main()
