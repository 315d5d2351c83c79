"""A warm interpreter that runs a script many times, each time as a child of its own.

Run by path in the user's interpreter; for a program of another runtime in ours: then each child becomes its command.

    python forks.py FOLDER

FOLDER is ours. `setup.json` in it says what to run: {"script", "argv", "module", "command", "project", "path",
"load", "stdin", "fronts"}. The libraries in `load` are imported once; then every line that appears in `asked.jsonl`,
{"id", "files": {path: text}, "limit", "prepare"}, is one run: the files are put in place, a child runs the script, the
files are put back as they were, also those that the script has changed, and one line is added to `ran.jsonl`: {"id",
"status", "seconds", "stdout", "stderr", "limit"}. A file named `end` ends it. What cannot be put back ends it too, with
{"id": null, "why": ...}: then a new place is needed.

Where `prepare` is {"agent": path, ...}, the child loads that file first and calls its `prepare` with it;
what that returns is called with the error, where the script fails. A command gets the variables in its "env".

The fronts are tools found first on the path, which ask a helper that stays beside the trials, through pipes:
{"folder", "pipes", "helper"}. Where the helper has ended its pipes go, and the fronts call the tools themselves.

Python 3.8 to 3.14, standard library only.
"""

import importlib
import json
import os
import signal
import sys
import time

_MOST_KEPT = 64 * 1024 * 1024  # bytes of the project held in memory, to put it back
_MOST_PRINTED = 256 * 1024
_POLL = 0.002
_ANEW = 75  # exit status of a helper that is to be started again
_IDLE = 60.0


class Project:
    """The folder as it was, and how to make it so again."""

    def __init__(self, folder):
        self.folder = folder
        self.before = {}
        self.folders = set()
        self.texts = {}
        size = 0
        for path, state in self._walk():
            self.before[path] = state
            if size + state[0] <= _MOST_KEPT:
                try:
                    with open(path, "rb") as file:
                        self.texts[path] = file.read()
                    size += state[0]
                except OSError:
                    pass

    def _walk(self):
        found = []
        stack = [self.folder]
        while stack:
            here = stack.pop()
            try:
                entries = list(os.scandir(here))
            except OSError:
                continue
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    if entry.name not in (".git", "__pycache__", ".venv", "venv", "node_modules"):
                        stack.append(entry.path)
                elif entry.is_file(follow_symlinks=False):
                    state = entry.stat(follow_symlinks=False)
                    found.append((entry.path, (state.st_size, state.st_mtime_ns)))
        return found

    def put(self, files):
        for path, text in files.items():
            with open(path, "wb") as file:
                file.write(text.encode("latin-1"))

    def restore(self):
        """Put every file back; return why not, or an empty text."""
        there = dict(self._walk())
        for path in there:
            if path not in self.before:
                os.unlink(path)
        for path, state in self.before.items():
            if there.get(path) == state:
                continue
            if path not in self.texts:
                return "a large file was changed"
            with open(path, "wb") as file:
                file.write(self.texts[path])
            now = os.stat(path)
            self.before[path] = (now.st_size, now.st_mtime_ns)
        return ""


def _status(code):
    if code is None:
        return 0
    if isinstance(code, int):
        return code & 0xFF
    sys.stderr.write(str(code) + "\n")
    return 1


def _run(setup, failed=None):
    """Run the script in this process, as `python script` does; return the exit status.

    `failed` is called with the error, where there is one and it ends the script.
    """
    import types

    main = types.ModuleType("__main__")
    sys.modules["__main__"] = main
    sys.argv = list(setup["argv"])
    status = 0
    try:
        if setup["module"]:
            import runpy

            runpy.run_module(setup["module"], run_name="__main__", alter_sys=True)
        else:
            script = setup["script"]
            with open(script, "rb") as file:
                source = file.read()
            main.__dict__.update(__file__=script, __builtins__=__builtins__, __cached__=None, __spec__=None)
            exec(compile(source, script, "exec", dont_inherit=True), main.__dict__)
    except SystemExit as ended:
        status = _status(ended.code)
    except BaseException as error:
        status = 1
        traceback = error.__traceback__
        while traceback is not None and traceback.tb_frame.f_code.co_filename == __file__:
            traceback = traceback.tb_next
        if isinstance(error, KeyboardInterrupt):
            status = 130
        if failed is not None:
            failed(error)
        sys.excepthook(type(error), error.with_traceback(traceback), traceback)
    try:
        import threading

        threading._shutdown()
        import atexit

        atexit._run_exitfuncs()
        sys.stdout.flush()
        sys.stderr.flush()
    except BaseException:
        status = status or 120
    return status


def _prepare(wanted):
    import importlib.util

    spec = importlib.util.spec_from_file_location("_prepared", wanted["agent"])
    agent = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(agent)
    return agent.prepare(wanted)


def _child(setup, out, err, prepare):
    os.setsid()
    for handle, path, flags in (
        (0, setup["stdin"], os.O_RDONLY),
        (1, out, os.O_WRONLY | os.O_CREAT | os.O_TRUNC),
        (2, err, os.O_WRONLY | os.O_CREAT | os.O_TRUNC),
    ):
        opened = os.open(path, flags, 0o600)
        os.dup2(opened, handle)
        os.close(opened)
    if setup["command"]:
        os.environ.update((prepare or {}).get("env", {}))
        os.execv(setup["command"], setup["argv"])
    encoding = sys.stdout.encoding
    sys.stdin = open(0, encoding=encoding, closefd=False)
    sys.stdout = open(1, "w", encoding=encoding, closefd=False)
    sys.stderr = open(2, "w", encoding=encoding, errors="backslashreplace", closefd=False, buffering=1)
    sys.__stdin__, sys.__stdout__, sys.__stderr__ = sys.stdin, sys.stdout, sys.stderr
    import random

    random.seed()
    failed = _prepare(prepare) if prepare else None
    os._exit(_run(setup, failed) & 0xFF)


def _waited(child, limit, fronts):
    """Wait for the child; return its status and whether it had to be stopped: at the limit, or as nobody answers it."""
    until = time.monotonic() + limit
    pause = 0.0005
    while True:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            break
        lost = fronts.lost()
        if lost or time.monotonic() > until:
            try:
                os.killpg(child, signal.SIGKILL)
            except OSError:
                os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
            return -9, not lost
        time.sleep(pause)
        pause = min(pause * 1.3, 0.01)
    try:
        os.killpg(child, signal.SIGKILL)  # what it has started ends with it
    except OSError:
        pass
    return (-os.WTERMSIG(status) if os.WIFSIGNALED(status) else os.WEXITSTATUS(status)), False


class Fronts:
    """The helper behind the tools that a command finds first; without its pipes these leave the work to the tools."""

    def __init__(self, wanted, project):
        self.wanted = wanted
        self.project = project
        self.helper = None
        if wanted["folder"]:
            os.environ["PATH"] = wanted["folder"] + os.pathsep + os.environ.get("PATH", os.defpath)
            self.start()

    def start(self):
        import subprocess

        for pipe in self.wanted["pipes"]:
            os.mkfifo(pipe)
        with open(os.devnull, "r+b") as nothing:
            self.helper = subprocess.Popen(
                self.wanted["helper"], cwd=self.project, stdin=nothing, stdout=nothing, stderr=nothing, start_new_session=True
            )

    def lost(self):
        """Tell whether the helper has ended without an answer; then its pipes go. It begins anew where it asks for that."""
        if self.helper is None or self.helper.poll() is None:
            return False
        anew = self.helper.returncode == _ANEW
        self.end()
        if anew:
            self.start()  # it has answered: who asked may still be reading that
        return not anew

    def end(self):
        if self.helper is None:
            return
        try:
            os.killpg(self.helper.pid, signal.SIGKILL)  # a script that it runs ends with it
        except OSError:
            self.helper.kill()
        self.helper.wait()
        self.helper = None
        for path in [*self.wanted["pipes"], self._leaving()]:
            if os.path.exists(path):
                os.unlink(path)

    def settle(self):
        """Wait for a helper that has said that it begins anew: what it is asked meanwhile nobody would answer."""
        if self.helper is not None and os.path.exists(self._leaving()):
            self.helper.wait()
            self.lost()

    def _leaving(self):
        return os.path.join(os.path.dirname(self.wanted["pipes"][0]), "leaving")

    def again(self):
        """Begin anew: a call was broken off, and its answer is nobody's."""
        if self.helper is not None:
            self.end()
            self.start()


def _one(setup, fronts, out, err, ours, wanted):
    """Run a child to its end; return its status and whether the limit ended it."""
    fronts.settle()
    child = os.fork()
    if child == 0:
        try:
            for file in ours:
                file.close()
            _child(setup, out, err, wanted["prepare"])
        finally:
            os._exit(121)
    return _waited(child, wanted["limit"], fronts)


def _read(path):
    with open(path, "rb") as file:
        data = file.read(_MOST_PRINTED)
    return data.decode("latin-1")


def _load(names):
    """Import the libraries; what they print or raise is nobody's business."""
    out, err = sys.stdout, sys.stderr
    with open(os.devnull, "w") as nothing:
        sys.stdout = sys.stderr = nothing
        for name in names:
            try:
                importlib.import_module(name)
            except BaseException:
                pass
        sys.stdout, sys.stderr = out, err


def main():
    folder = sys.argv[1]
    with open(os.path.join(folder, "setup.json"), encoding="utf-8") as file:
        setup = json.load(file)
    here = os.path.dirname(os.path.abspath(__file__))
    sys.path[:] = [entry for entry in sys.path if os.path.abspath(entry or ".") not in (here, setup["project"])]
    if not setup["command"]:
        _load(setup["load"])
        sys.path.insert(0, setup["path"])
    project = Project(setup["project"])
    fronts = Fronts(setup["fronts"], setup["project"])
    try:
        _serve(folder, setup, project, fronts)
    finally:
        fronts.end()


def _serve(folder, setup, project, fronts):
    asked = open(os.path.join(folder, "asked.jsonl"), encoding="utf-8")
    ran = open(os.path.join(folder, "ran.jsonl"), "a", encoding="utf-8")
    out, err = os.path.join(folder, "out"), os.path.join(folder, "err")
    ran.write(json.dumps({"id": -1}) + "\n")
    ran.flush()
    rest = ""
    last = time.monotonic()
    while True:
        line = asked.readline()
        rest += line
        if not rest.endswith("\n"):
            if os.path.exists(os.path.join(folder, "end")) or time.monotonic() - last > _IDLE:
                return
            time.sleep(_POLL)
            continue
        wanted, rest = json.loads(rest), ""
        start = last = time.monotonic()
        project.put(wanted["files"])
        helped = fronts.helper
        status, limit = _one(setup, fronts, out, err, (asked, ran), wanted)
        if fronts.helper is not helped:
            status, limit = _one(setup, fronts, out, err, (asked, ran), wanted)
        if limit:
            fronts.again()
        answer = {"id": wanted["id"], "status": status, "limit": limit, "seconds": time.monotonic() - start}
        answer.update(stdout=_read(out), stderr=_read(err))
        ran.write(json.dumps(answer) + "\n")
        why = project.restore()
        if why:
            ran.write(json.dumps({"id": None, "why": why}) + "\n")
        ran.flush()
        if why:
            return


if __name__ == "__main__":
    main()
