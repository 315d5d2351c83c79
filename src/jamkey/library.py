"""The calls of the library that need a run or a live exception."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from jamkey.follow.sources import Sources
from jamkey.live.target import script_target
from jamkey.live.wire import read_live
from jamkey.model import Jam, Key
from jamkey.pipeline import diagnose, named
from jamkey.session import Outcome, run_captured, tried
from jamkey.settings import load


def run(path: str | os.PathLike[str], args: Sequence[str] = (), *, cwd: str | os.PathLike[str] | None = None,
        stdin: bytes = b"", limit: float = 0.0, python: str = "") -> Outcome:  # fmt: skip
    """Run a script to its end and diagnose its failures.

    Args:
        path: the script.
        args: its arguments.
        cwd: working folder; the current one by default. The script's path is relative to the current one all the same.
        stdin: what it may read.
        limit: seconds, 0 for none.
        python: interpreter for Python scripts.

    Raises:
        UnreadableInput: the script cannot be read.
        CannotLaunch: its runtime is not there.
    """
    folder = Path(cwd) if cwd is not None else Path.cwd()
    settings = load(folder)
    script = os.path.abspath(path) if cwd is not None else str(path)
    target = script_target(script, list(args), python=python or settings.python, commands=settings.commands)
    return run_captured(target, folder, stdin=stdin, limit=limit or settings.limit, settings=settings)


def read_exception(exception: BaseException, *, root: str | os.PathLike[str] | None = None) -> Jam:
    """Return the jam of an exception of this process, with the values of its frames, diagnosed.

    Args:
        exception: one that was raised and caught.
        root: the project folder; the current one by default.
    """
    folder = Path(root) if root is not None else Path.cwd()
    return diagnose(named(read_live(exception)), Sources(folder), load(folder))


def keys(jam: Jam, *, outcome: Outcome | None = None, path: str | os.PathLike[str] | None = None,
         args: Sequence[str] = (), python: str = "") -> tuple[Key, ...]:  # fmt: skip
    """Return the jam's keys; with the outcome and script of the run it came from, tried on copies and ranked."""
    if outcome is None or path is None:
        return jam.keys
    target = script_target(os.path.abspath(path), list(args), python=python)
    return tried(outcome, target, jam).keys
