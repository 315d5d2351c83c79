"""Stands before a compiler: `built.py OUT GDB "FLAGS" COMPILER [WORDS]`.

The compiler builds with our flags besides the user's. A program that comes out of it is put aside, and what is called by
its name runs it under the debugger (`debugged.py`).
"""

from __future__ import annotations

import itertools
import os
import shlex
import stat
import subprocess
import sys

#: Words with which nothing is linked.
NOT_LINKED = {"-c", "-S", "-E", "-M", "-MM", "-fsyntax-only", "-shared", "--version", "-v", "-dumpversion", "-dumpmachine"}


def main(words: list[str]) -> int:
    """Compile; return the compiler's status."""
    out, gdb, flags, *command = words
    status = subprocess.call([*command, *shlex.split(flags)])
    if status or not gdb or NOT_LINKED.intersection(command) or any(word.startswith("-print") for word in command):
        return status
    made = next((after for word, after in itertools.pairwise(command) if word == "-o"), "a.out")
    made = next((word[2:] for word in command if word.startswith("-o") and len(word) > 2), made)
    wrap(made, out, gdb)
    return 0


def wrap(program: str, out: str, gdb: str) -> None:
    """Put a program aside, and what runs it under the debugger in its place."""
    try:
        with open(program, "rb") as handle:
            if handle.read(4) != b"\x7fELF":
                return
        aside = f"{program}.built"
        os.replace(program, aside)
        agent = os.path.join(os.path.dirname(os.path.abspath(__file__)), "debugged.py")
        words = [sys.executable, "-I", agent, out, gdb, os.path.abspath(aside)]
        with open(program, "w", encoding="utf-8") as handle:
            handle.write(f'#!/bin/sh\nexec {" ".join(shlex.quote(word) for word in words)} "$@"\n')
        os.chmod(program, os.stat(program).st_mode | stat.S_IXUSR | stat.S_IXGRP | stat.S_IXOTH)
    except OSError:
        return


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
