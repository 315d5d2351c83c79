"""The command's start: `jamkey run` goes the short way, everything else through the command tree."""

from __future__ import annotations

import sys


def main() -> None:
    """Run the command line."""
    _own_libraries_first()
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


def _own_libraries_first() -> None:
    """Look for modules in the user's folders last: a json.py or click.py there is the program's, not ours.

    `python -m` puts the working folder first on the path, PYTHONPATH its folders; both stay, behind everything installed.
    """
    import os

    own = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
    theirs = {entry for entry in os.environ.get("PYTHONPATH", "").split(os.pathsep) if entry} | {""}
    try:  # noqa: SIM105 - contextlib would double what a healthy run imports
        theirs.add(os.getcwd())
    except OSError:  # it has been deleted
        pass
    last = [entry for entry in sys.path if entry in theirs and os.path.realpath(entry or ".") != os.path.realpath(own)]
    sys.path[:] = [entry for entry in sys.path if entry not in last] + last


if __name__ == "__main__":
    main()
