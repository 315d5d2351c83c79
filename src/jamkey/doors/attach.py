"""`jamkey.attach()`: the reading of whatever this very process does not catch."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any

from jamkey.errors import JamkeyError


def attach(*, keep_trace: bool = False, keep: bool = True) -> Callable[[], None]:
    """Show a reading on standard error for each exception that this process does not catch, in threads too.

    In a notebook or an interactive shell this loads the extension, as `%load_ext jamkey` does.

    Args:
        keep_trace: show the interpreter's own trace as well.
        keep: keep the readings in the journal.

    Returns:
        A function that puts everything back.
    """
    shell = _shell()
    if shell is not None:
        from jamkey.doors.extension import load_ipython_extension, unload_ipython_extension

        load_ipython_extension(shell)
        return lambda: unload_ipython_extension(shell)
    before, before_threads = sys.excepthook, threading.excepthook

    def failed(kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
        if error is None or issubclass(kind, (KeyboardInterrupt, SystemExit)) or not _told(error, keep=keep):
            before(kind, error, trace)  # type: ignore[arg-type]
        elif keep_trace:
            before(kind, error, trace)

    def failed_thread(args: Any) -> None:
        if (
            args.exc_value is None
            or issubclass(args.exc_type, SystemExit)
            or not _told(args.exc_value, keep=keep)
            or keep_trace
        ):
            before_threads(args)

    sys.excepthook, threading.excepthook = failed, failed_thread

    def detach() -> None:
        if sys.excepthook is failed:
            sys.excepthook = before
        if threading.excepthook is failed_thread:
            threading.excepthook = before_threads

    return detach


def _shell() -> Any:
    """Return the interactive shell of IPython that this runs in, or None."""
    module = sys.modules.get("IPython")
    return module.get_ipython() if module is not None else None


def _project() -> Path:
    """Return the working folder, or the script's own where that lies elsewhere."""
    script = getattr(sys.modules.get("__main__"), "__file__", None)
    cwd = Path.cwd()
    if isinstance(script, str) and not Path(script).resolve().is_relative_to(cwd):
        return Path(script).resolve().parent
    return cwd


def _told(error: BaseException, *, keep: bool) -> bool:
    """Show the reading; tell whether that worked, else the interpreter's own trace must do."""
    try:
        from jamkey.api import read_exception
        from jamkey.follow.sources import Sources
        from jamkey.runs.journaled import keep as keep_reading
        from jamkey.settings import load
        from jamkey.views.terminal import console, show

        folder = _project()
        jam = read_exception(error, root=folder)
        sources = Sources(folder)
        show([jam], sources, console(stderr=True))
    except Exception:
        return False
    if keep:
        try:
            keep_reading([jam], sources, load(Path.cwd()), door="attach", command=sys.argv[0] if sys.argv else "", soon=True)
        except JamkeyError as problem:
            sys.stderr.write(f"jamkey: this reading is not kept: {problem}\n")
    return True
