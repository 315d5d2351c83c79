"""Start of the agent inside the user's interpreter.

Found through a PYTHONPATH entry that exists for this one process: the interpreter imports it before the
script, it takes itself out of the environment and the path again, lets a sitecustomize of the user's own
run, and then waits. Nothing is traced and nothing more is imported until the program has failed.

Python 3.8 to 3.14; standard library only.
"""

import os
import sys


def _settle():
    """Put back the environment and the path as the user had them; return what the parent asked for."""
    here = os.path.dirname(os.path.abspath(__file__))
    environ = os.environ
    wire = environ.pop("JAMKEY_WIRE", None)
    asked = environ.pop("JAMKEY_ASKED", "")
    record = environ.pop("JAMKEY_RECORD", "")
    guarded = environ.get("JAMKEY_GUARD", "")
    stay = environ.pop("JAMKEY_STAY", "")
    before = environ.pop("JAMKEY_PYTHONPATH", None)
    if before is not None:
        environ["PYTHONPATH"] = before
    else:
        environ.pop("PYTHONPATH", None)
    sys.path[:] = [entry for entry in sys.path if os.path.abspath(entry or ".") != here or not entry]
    sys.path_importer_cache.pop(here, None)
    return here, wire, asked, record, guarded, stay


def _own_sitecustomize():
    """Import the sitecustomize that this one stands in front of; tell whether there is one."""
    this = sys.modules.pop("sitecustomize", None)
    try:
        import sitecustomize  # noqa: F401

        return True
    except ImportError as error:
        if error.name != "sitecustomize":
            raise
        return False
    finally:
        # the import under way expects to find a module of this name when it ends
        if this is not None:
            sys.modules.setdefault("sitecustomize", this)


def _report(here, wire, exception, thread, stay=""):
    """Load the agent by path, under a name of its own, and let it describe the exception.

    While it works only the standard library is on the path, and modules of the user's that bear one of its
    names are out of the way: a json.py beside the script must not be imported here.
    """
    from importlib.machinery import SourceFileLoader

    standard = os.path.dirname(os.__file__)
    before = sys.path[:]
    hidden = {}
    for name, module in list(sys.modules.items()):
        file = getattr(module, "__file__", None)
        if not isinstance(file, str) or os.path.abspath(file).startswith(standard):
            continue
        head = name.split(".")[0]
        if os.path.exists(os.path.join(standard, head + ".py")) or os.path.exists(os.path.join(standard, head, "__init__.py")):
            hidden[name] = sys.modules.pop(name)
    sys.path[:] = [
        entry
        for entry in before
        if entry
        and os.path.abspath(entry).startswith(standard)
        and "site-packages" not in entry
        and "dist-packages" not in entry
    ]
    try:
        path = os.path.join(os.path.dirname(here), "agent.py")
        module = type(sys)("_jamkey_agent")
        module.__file__ = path
        exec(SourceFileLoader("_jamkey_agent", path).get_code("_jamkey_agent"), module.__dict__)
        module.report(wire, exception, thread)
        if stay:
            import runpy

            serve = runpy.run_path(os.path.join(os.path.dirname(here), "answers.py"))["serve"]
    finally:
        sys.path[:] = before
        sys.modules.update(hidden)
    if stay:
        # with the user's own path and modules, as an expression may need them
        serve(stay, exception, module.__dict__)


def _watch(here, wire, asked, stay):
    def failed(exception, thread=None, stay=""):
        try:
            _report(here, wire, exception, thread, stay)
        except BaseException:  # whatever happens here must not reach the user's program
            pass

    def at_end():
        # the interpreter keeps an uncaught exception here, after it has printed it
        exception = getattr(sys, "last_exc", None) or getattr(sys, "last_value", None)
        if isinstance(exception, BaseException):
            failed(exception, stay=stay)

    import atexit
    import faulthandler

    atexit.register(at_end)
    if not faulthandler.is_enabled():
        # a crash of the interpreter itself leaves no exception behind: its frames are then all there is
        try:
            faulthandler.enable(2)
        except Exception:
            pass

    import _thread

    printed = getattr(_thread, "_excepthook", None)
    if printed is not None:

        def in_thread(args):
            printed(args)
            if args.exc_type is not SystemExit and args.exc_value is not None:
                failed(args.exc_value, getattr(args.thread, "name", None))

        _thread._excepthook = in_thread
        threading = sys.modules.get("threading")
        if threading is not None and threading.excepthook is printed:
            threading.excepthook = in_thread

    if "typed" in asked.split(","):
        # standard input is a terminal: what input() returned is kept, so that a trial can replay it
        def typed(event, args):
            if event == "builtins.input/result":
                with open(wire + ".typed", "a", encoding="utf-8", errors="surrogateescape") as handle:
                    handle.write(args[0] + "\n")

        sys.addaudithook(typed)


def _guard(folder):
    """In a trial: the user's own folder is not written to, though a program may know its full path."""
    writing = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
    inside = os.path.realpath(folder) + os.sep

    def watched(event, args):
        if event == "open":
            path, _, flags = args
            if not isinstance(path, (str, bytes)) or not (isinstance(flags, int) and flags & writing):
                return
        elif event == "os.truncate":
            path = args[0]
        else:
            return
        name = os.fsdecode(path) if isinstance(path, (str, bytes)) else ""
        if name and os.path.realpath(name).startswith(inside):
            raise PermissionError(13, "a trial on a copy may not write to the original", name)

    sys.addaudithook(watched)


def _record(here, specification):
    """On request only: load the recorder by path, and let it watch the names that were asked for."""
    import json
    import runpy

    recorder = runpy.run_path(os.path.join(os.path.dirname(here), "recorder.py"))
    recorder["start"](json.loads(specification))


_here, _wire, _asked, _record_what, _guarded, _stay = _settle()
_found = _own_sitecustomize()
if _wire:
    _watch(_here, _wire, _asked, _stay)
if _guarded:
    _guard(_guarded)
if _record_what:
    _record(_here, _record_what)
if not _found:
    # as if there had been none: the interpreter takes this for "not found" and forgets the module
    raise ImportError("no sitecustomize", name="sitecustomize")
