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
    guarded = environ.pop("JAMKEY_GUARD", "")
    stay = environ.pop("JAMKEY_STAY", "")
    before = environ.pop("JAMKEY_PYTHONPATH", None)
    if before is not None:
        environ["PYTHONPATH"] = before
    else:
        environ.pop("PYTHONPATH", None)
    sys.path[:] = [entry for entry in sys.path if entry != here]
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


def _report(here, wire, exception, thread, printed):
    """Load the agent by path, under a name of its own, and let it describe the exception; return the agent.

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
        module.report(wire, exception, thread, printed)
    finally:
        sys.path[:] = before
        sys.modules.update(hidden)
    return module


def _serve(here, stay, exception, agent):
    """Let the parent ask about the frames, with the user's own path and modules, as an expression may need them."""
    import runpy

    serve = runpy.run_path(os.path.join(os.path.dirname(here), "answers.py"))["serve"]
    serve(stay, exception, agent.__dict__)


def _watch(here, wire, asked, stay):
    told = []

    words = asked.split(",")

    def failed(exception, thread=None):
        try:
            told.append((exception, _report(here, wire, exception, thread, "worded" in words)))
            return True
        except BaseException:  # whatever happens here must not reach the user's program
            return False

    def at_end():
        # the interpreter keeps an uncaught exception here, after it has printed it
        exception = getattr(sys, "last_exc", None) or getattr(sys, "last_value", None)
        if not isinstance(exception, BaseException):
            return
        known = [agent for other, agent in told if other is exception]
        if (known or failed(exception)) and stay:
            try:
                _serve(here, stay, exception, (known or [told[-1][1]])[0])
            except BaseException:
                pass
        if isinstance(exception, KeyboardInterrupt):
            # the interpreter ends by the signal, so that a shell's loop stops too; evaluating text made it forget
            try:
                exec("raise KeyboardInterrupt")
            except KeyboardInterrupt:
                pass

    import atexit
    import faulthandler

    atexit.register(at_end)
    if not faulthandler.is_enabled():
        # a crash of the interpreter itself leaves no exception behind: its frames are then all there is
        try:
            faulthandler.enable(os.open(wire + ".fault", os.O_WRONLY | os.O_CREAT | os.O_CLOEXEC, 0o600))
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

    if "stoppable" in words:
        # Ctrl-C is ignored here, as in a background job: at the limit another signal asks where the program is
        import _signal

        try:
            _signal.signal(_signal.SIGXCPU, _signal.default_int_handler)
        except (AttributeError, OSError, ValueError):
            pass
    if "unprinted" in words or "typed" in words:
        _listen(wire, words, failed)


def _listen(wire, words, failed):
    """On a terminal: what input() returned is kept for a second run; the last trace is left to the reading that replaces it."""
    typing, leaving = "typed" in words, "unprinted" in words

    def heard(event, args):
        if typing and event == "builtins.input/result":
            handle = os.open(wire + ".typed", os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
            try:
                os.write(handle, args[0].encode("utf-8", "surrogateescape") + b"\n")
            finally:
                os.close(handle)
        elif leaving and event == "sys.excepthook":
            hook, _, exception, _ = args
            own = hook is sys.__excepthook__ and sys.stderr is sys.__stderr__ and not hasattr(sys, "ps1")
            threading = sys.modules.get("threading")
            alone = threading is None or all(t.daemon or t is threading.main_thread() for t in threading.enumerate())
            if own and alone and not sys.flags.interactive and isinstance(exception, BaseException):
                if failed(exception):
                    # the interpreter takes this for "do not call the hook"
                    raise RuntimeError("a reading of it follows")

    sys.addaudithook(heard)


def _guard(wire, folders):
    """In a trial: nothing is changed outside of its folders. The system holds it where it can; here it is put in words."""
    inside = [os.path.realpath(folder) + os.sep for folder in folders.split(os.pathsep) if folder]
    writing = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
    words = {
        "os.remove": "delete",
        "os.rmdir": "delete",
        "shutil.rmtree": "delete",
        "os.rename": "rename",
        "os.mkdir": "make the folder",
        "os.truncate": "cut",
        "os.chmod": "change",
        "os.chown": "change",
        "os.utime": "change",
        "os.link": "make a link",
        "os.symlink": "make a link",
    }

    local = ("127.", "localhost", "::1", "0.0.0.0")

    def refused(text, error, name):
        handle = os.open(wire + ".refused", os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
        try:
            os.write(handle, text.encode("utf-8", "replace") + b"\n")
        finally:
            os.close(handle)
        raise error(13, "a trial on a copy may not do that", name)

    def outside(path):
        if not isinstance(path, (str, bytes)):
            return ""
        name = os.path.realpath(os.fsdecode(path))
        if name.startswith(("/dev/", "/proc/", "\\\\.\\", wire)) or name == os.devnull:
            return ""
        within = (name + os.sep).startswith(tuple(inside))
        return "" if within else name

    def watched(event, args):
        if event == "open":
            path, _, flags = args
            name = outside(path) if isinstance(flags, int) and flags & writing else ""
            if name and not (flags & os.O_RDWR and not flags & (os.O_TRUNC | os.O_APPEND) and os.path.exists(name)):
                if not any(part in name for part in ("/.cache/", "/.config/", "/__pycache__/")):
                    refused("write " + name, PermissionError, name)
        elif event in words:
            # of two paths the second is where something is made
            for path in args[1:2] if event in ("os.link", "os.symlink") else args[:2] if event == "os.rename" else args[:1]:
                name = outside(path)
                if name:
                    refused(words[event] + " " + name, PermissionError, name)
        elif event in ("socket.connect", "socket.sendto"):
            address = args[1]
            if isinstance(address, tuple) and len(address) >= 2 and not str(address[0]).startswith(local):
                refused("connect to %s, port %s" % (address[0], address[1]), ConnectionRefusedError, None)

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
if _guarded and _wire:
    _guard(_wire, _guarded)
if _record_what:
    _record(_here, _record_what)
if not _found:
    # as if there had been none: the interpreter takes this for "not found" and forgets the module
    raise ImportError("no sitecustomize", name="sitecustomize")
