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


if __name__ == "__main__":
    main()
