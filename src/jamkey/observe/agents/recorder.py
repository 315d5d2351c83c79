"""Records how chosen names change while a program runs. Run by path in the user's interpreter, on request only.

Python 3.8 to 3.14, standard library only. From 3.12 on it uses the interpreter's monitoring interface and looks only
into functions that mention one of the names; below that, a trace function. Values are described as the agent does.
Each change is one JSON line: seconds, file, line, function, name, old, new.
"""

import collections
import json
import os
import runpy
import sys
import threading
import time

_NEVER = (type(sys), type(lambda: 0), type(len), type)
_PLAIN = (int, str, bool, type(None), complex)


class Recorder:
    """Watches the names of a specification: `names`, `files`, `functions` (none for all), `most`, `latest`, `out`."""

    def __init__(self, spec):
        self.names = [(name, name.split(".")) for name in spec["names"] if name != "*"]
        #: Whether all names of the chosen functions are watched.
        self.every = "*" in spec["names"]
        self.until = spec.get("until") or ""
        self.types = {}
        self.files = {os.path.realpath(file) for file in spec["files"]}
        self.functions = set(spec.get("functions") or ())
        self.most = int(spec.get("most", 2000))
        self.latest = spec.get("latest", True)
        self.out = spec["out"]
        agent = os.path.join(os.path.dirname(os.path.abspath(__file__)), "agent.py")
        self.describe = runpy.run_path(agent)["describe"]
        self.begin = time.perf_counter()
        #: frame id -> [line that runs, name -> (fingerprint, text)]
        self.frames = {}
        self.changes = collections.deque(maxlen=self.most)
        self.total = 0
        self.wanted = {}

    def concerns(self, code):
        """Tell whether a function is of the user's files and mentions one of the names."""
        known = self.wanted.get(code)
        if known is None:
            known = False
            if not code.co_filename.startswith("<") and os.path.realpath(code.co_filename) in self.files:
                mentioned = set(code.co_varnames) | set(code.co_names) | set(code.co_cellvars) | set(code.co_freevars)
                chosen = not self.functions or code.co_name in self.functions
                known = chosen and (self.every or any(path[0] in mentioned for _, path in self.names))
            self.wanted[code] = known
        return known

    def look(self, frame, line):
        """Compare the names with their last values; what changed, changed on the line that ran before `line`."""
        if self.total >= self.most and not self.latest:
            return
        key = id(frame)
        state = self.frames.get(key)
        if state is None:
            state = self.frames[key] = [frame.f_code.co_firstlineno, {}]
        before = state[1]
        space = frame.f_locals
        names = self.names
        if self.every:
            names = names + [(name, [name]) for name in space if not name.startswith("__") and type(space[name]) not in _NEVER]
        for name, path in names:
            found, value = _value(space, path)
            if not found:
                continue
            mark = _fingerprint(value)
            last = before.get(name)
            if last is None or last[0] != mark:
                text = self.describe(name, value)
                self.total += 1
                self.changes.append(
                    (
                        round(time.perf_counter() - self.begin, 6),
                        frame.f_code.co_filename,
                        state[0],
                        frame.f_code.co_name,
                        name,
                        last[1] if last else None,
                        text["text"],
                        text["type"],
                    )
                )
                before[name] = (mark, text["text"])
                if self.until and self.bad(name, value, space):
                    self.stop()
        state[0] = line

    def leave(self, frame, line):
        self.look(frame, line)
        self.frames.pop(id(frame), None)

    def bad(self, name, value, space):
        """Tell whether a value is what the run is to end at: nan, none, type (another one than before), or an expression."""
        if self.until == "nan":
            return type(value) is float and value != value
        if self.until == "none":
            return value is None
        if self.until == "type":
            first = self.types.setdefault(name, type(value))
            return first is not type(value)
        try:
            return bool(eval(self.until, {}, dict(space)))  # the user's own words, on the command line
        except Exception:
            return False

    def stop(self):
        """End the program here: what it printed is kept, what comes later does not matter."""
        self.save()
        for stream in (sys.stdout, sys.stderr):
            try:
                stream.flush()
            except Exception:
                pass
        os._exit(0)

    def save(self):
        """Write what was recorded."""
        with open(self.out, "w", encoding="ascii") as handle:
            for change in self.changes:
                handle.write(json.dumps(change) + "\n")
            handle.write(json.dumps({"total": self.total}) + "\n")


def _value(space, path):
    try:
        if path[0] not in space:
            return False, None
        value = space[path[0]]
        for part in path[1:]:
            inner = object.__getattribute__(value, "__dict__")
            if type(inner) is not dict or part not in inner:
                return False, None
            value = inner[part]
    except Exception:
        return False, None
    return True, value


def _fingerprint(value):
    kind = type(value)
    if kind in _PLAIN:
        return (kind, value) if kind is not str or len(value) < 1000 else (kind, id(value))
    if kind is float:
        return (kind, repr(value))
    if kind in (list, tuple, dict, set):
        return (id(value), len(value))
    return (kind, id(value))


def start(spec):
    """Begin to record; what was recorded is written when the interpreter ends."""
    recorder = Recorder(spec)
    import atexit

    atexit.register(recorder.save)
    if hasattr(sys, "monitoring"):
        _monitor(recorder)
    else:
        _trace(recorder)


def _trace(recorder):
    def inside(frame, event, argument):
        if event == "return":
            recorder.leave(frame, frame.f_lineno)
        else:
            recorder.look(frame, frame.f_lineno)
        return inside

    def entered(frame, event, argument):
        if event == "call" and recorder.concerns(frame.f_code):
            return inside
        return None

    sys.settrace(entered)
    threading.settrace(entered)


def _monitor(recorder):
    monitoring = sys.monitoring
    events = monitoring.events
    tool = next(number for number in (4, 3, 5, 0) if monitoring.get_tool(number) is None)
    monitoring.use_tool_id(tool, "values over time")

    def entered(code, offset):
        if recorder.concerns(code):
            monitoring.set_local_events(tool, code, events.LINE | events.PY_RETURN)
        return monitoring.DISABLE

    def line(code, number):
        recorder.look(sys._getframe(1), number)

    def left(code, offset, value):
        frame = sys._getframe(1)
        recorder.leave(frame, frame.f_lineno)

    def unwound(code, offset, error):
        if recorder.concerns(code):
            frame = sys._getframe(1)
            recorder.leave(frame, frame.f_lineno)

    monitoring.register_callback(tool, events.PY_START, entered)
    monitoring.register_callback(tool, events.LINE, line)
    monitoring.register_callback(tool, events.PY_RETURN, left)
    monitoring.register_callback(tool, events.PY_UNWIND, unwound)
    monitoring.set_events(tool, events.PY_START | events.PY_UNWIND)
