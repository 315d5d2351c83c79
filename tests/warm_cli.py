"""The command line behind a fork: a process that has loaded it once makes a child for each call.

    python warm_cli.py

Reads a JSON line a call from standard input, {"args", "cwd", "env", "files": [in, out, err]}, and answers with two lines on standard
output: the child's number when it has begun, its status when it has ended. A call here costs a tenth of a start, and is the
same program otherwise; what depends on how the interpreter starts is tested in processes of its own.
"""

from __future__ import annotations

import importlib
import json
import os
import sys
from typing import Any

#: Loaded before the first call.
_LOADED = (
    "call cells check demo editor fix kinds look main page pile quick read run run_call show_run speak tally trail undo".split()
)


def _child(call: dict[str, Any], ours: list[int]) -> None:
    """Become the command line with these words, folder, environment and files."""
    os.setsid()
    for handle in ours:
        os.close(handle)
    for number, path in enumerate(call["files"]):
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC if number else os.O_RDONLY, 0o600)
        os.dup2(handle, number)
        os.close(handle)
    os.chdir(call["cwd"])
    os.environ.clear()
    os.environ.update(call["env"])
    sys.argv[:] = ["jamkey", *call["args"]]
    from jamkey.__main__ import main

    status = 0
    try:
        main()
    except SystemExit as ended:
        status = ended.code if isinstance(ended.code, int) else int(ended.code is not None)
        if isinstance(ended.code, str):
            sys.stderr.write(ended.code + "\n")
    import atexit
    import threading

    threading._shutdown()  # type: ignore[attr-defined]
    atexit._run_exitfuncs()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(status & 0xFF)


def main() -> None:
    for name in _LOADED:
        importlib.import_module(f"jamkey.doors.{name}")
    calls, answers = os.fdopen(os.dup(0)), os.fdopen(os.dup(1), "w")
    for line in calls:
        call = json.loads(line)
        number = os.fork()
        if number == 0:
            try:
                _child(call, [calls.fileno(), answers.fileno()])
            except BaseException:
                import traceback

                traceback.print_exc()
            finally:
                os._exit(1)
        answers.write(f"{number}\n")
        answers.flush()
        _, status = os.waitpid(number, 0)
        answers.write(f"{os.waitstatus_to_exitcode(status)}\n")
        answers.flush()


if __name__ == "__main__":
    main()
