"""The short way for `jamkey run`: the child starts before anything heavy is imported.

Handles the calls it is sure about; any other (an unknown option, --help) falls through to the command tree,
which knows the same options and says what is wrong.
"""

from __future__ import annotations

import _thread
import gc
import os
import sys

from jamkey.doors.run_call import Call, parse

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from jamkey.observe import launch
    from jamkey.observe.target import Target
    from jamkey.settings import Settings

#: As the shelf of views has them; that one would have to be imported. A test keeps the two alike.
ENDINGS = (".json", ".html", ".md", ".sarif", ".jsonl", ".txt")


#: Seconds that what is being loaded is waited for.
_PATIENCE = 60.0


def start(words: list[str]) -> None:
    """Run the call and leave the process as the program ended; return only when the command tree must take over."""
    call = parse(words)
    if call is None:
        return
    # a short-lived process that ends by itself: collecting garbage would only slow its imports down
    gc.disable()
    # while another thread loads, this one is to wait for nothing that it does: not five milliseconds after every call
    sys.setswitchinterval(0.0002)
    from jamkey.errors import JamkeyError

    try:
        run(call)
    except JamkeyError as error:
        sys.stderr.write(f"jamkey: {error}\n")
        sys.stderr.flush()
        os._exit(error.exit_code)


def run(call: Call) -> None:
    """Start the program, wait for it, show the reading if it jammed, end as it ended."""
    from jamkey.errors import CannotLaunch, UsageError
    from jamkey.observe import launch
    from jamkey.observe.target import command_target, module_target, script_target

    python, limit, commands = call.python, 0.0, None
    if _has_settings():
        settings = _settings()
        python, limit, commands = python or settings.python, settings.limit, settings.commands
    if call.limit:
        from jamkey.settings import duration

        limit = duration(call.limit)
    for path in call.save:
        if not path.endswith(ENDINGS):
            raise UsageError(f"--save {path}: the ending chooses the form: {', '.join(ENDINGS)}")
    if call.command is not None:
        target = command_target(call.command)
    elif call.module is not None:
        target = module_target(call.module, call.args, python=python)
    else:
        target = script_target(call.script or "", call.args, python=python, commands=commands)
    if call.doubts or call.sure:
        from jamkey.doors.show_run import with_doubts

        launch.leave(with_doubts(call, target, limit))
    if call.stay:
        from jamkey.doors.look import stay

        launch.leave(stay(call, target, limit))
    _loading.acquire()
    try:
        ended = launch.run(
            target.argv,
            executable=target.executable,
            limit=limit,
            trace=call.keep_trace,
            runtime=target.runtime,
            again=call.again,
            meanwhile=_load_ahead,
        )
    except OSError as error:
        raise CannotLaunch(f"{target.executable} cannot be started: {error.strerror}") from None
    status = ended.status if not ended.hit_limit else 124
    failed = ended.status != 0 or (target.is_python and os.path.exists(ended.wire)) or target.is_debugged
    if not failed and not any(words in ended.stderr for words in launch.SWALLOWED):
        launch.forget_wire(ended.wire)
        _quietly(lambda: _note_success(target, call))
        launch.leave(status)
    _loading.acquire(True, _PATIENCE)
    _quietly(lambda: _after(call, target, ended))
    launch.forget_wire(ended.wire)
    launch.leave(status)


def _after(call: Call, target: Target, ended: launch.Ended) -> None:
    from jamkey.doors.show_run import after_run

    after_run(call, target, ended)


def _quietly(work: Callable[[], None]) -> None:
    """Do our own part: whatever keeps it from being done is one line, and the program's status stays."""
    try:
        work()
    except BaseException as error:
        words = str(error) or type(error).__name__
        try:
            os.write(2, f"jamkey: {words.splitlines()[0]}\n".encode("utf-8", "replace"))
        except OSError:
            return


def _settings() -> Settings:
    """Return the project's settings; odd ones are told, and the program runs without them."""
    from pathlib import Path

    from jamkey.errors import JamkeyError
    from jamkey.settings import Settings, load

    try:
        return load(Path.cwd())
    except JamkeyError as error:
        sys.stderr.write(f"jamkey: {error}\n")
        return Settings()


def _note_success(target: Target, call: Call) -> None:
    """Tell the journal, where an earlier failure of this very call is open; else two look-ups are all it costs."""
    from jamkey.folders import state_folder, target_mark

    if call.no_keep or not os.path.isdir(os.path.join(state_folder(), "open")):
        return
    try:
        is_open = os.path.exists(target_mark(os.getcwd(), target.words))
    except OSError:  # the program has removed its own working folder
        return
    if is_open:
        from jamkey.runs.journaled import ended_well

        ended_well(target)


def _has_settings() -> bool:
    """Look for a settings file at or above the working folder; cheap, as most projects have none."""
    try:
        folder = os.getcwd()
    except OSError:  # it has been deleted
        return False
    while True:
        if os.path.exists(os.path.join(folder, "jamkey.toml")):
            return True
        try:
            with open(os.path.join(folder, "pyproject.toml"), "rb") as handle:
                if b"tool.jamkey" in handle.read():
                    return True
        except OSError:
            pass
        parent = os.path.dirname(folder)
        if parent == folder:
            return False
        folder = parent


#: Held until the second thread has loaded: the main one must not load the same things beside it.
_loading = _thread.allocate_lock()


def _load_ahead() -> None:
    """While the program runs, load what a failure will need; a healthy end does not wait for it."""
    try:
        import jamkey.doors.show_run
        import jamkey.languages.python
        import jamkey.readers.python

        jamkey.doors.show_run.warm()
        import jellyfish  # noqa: F401 - what a wrong name is held against the others with
    except BaseException:
        return
    finally:
        _loading.release()
