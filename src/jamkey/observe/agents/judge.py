"""Says of many edits at once what they would do: in the very frame that failed, and where other values are made.

Loaded by path in a child of `forks.py`, before the program runs. `asked` are statements with other forms of each:

    {"file", "first", "last", "text", "forms"}   run in the frame that failed in these lines: which get past it? (`failure`:
                                                 the type of what failed, where a block is left as it passes)
    {"site", "text", "forms"}                    expressions; what do they give where NAME(site, value) stands around one?

The frame's names are copied, when it has failed or each time that the expression has been reached. A child of its own takes
some forms at a time, so that what they change is gone; where the text as it is does not do again what it did, what that
child said is forgotten. One JSON file is written, a list for each asked, a word for each form (null: not known):

    passes  same (fails as before)  other (fails otherwise)  long (not done in time)
    [fails or same or other, type of the value, how many of the told words are in it]

Python 3.8 to 3.14, standard library only.
"""

import ast
import atexit
import builtins
import importlib.util
import io
import json
import os
import signal
import sys
import textwrap
import time
import warnings

_TOGETHER = {"statement": 64, "expression": 256}  # forms that one child runs
_COPIED = 5000  # items of what is copied with the names, as the program may change it
_EACH = 0.25  # seconds for a form
_SHARE = 3  # times its share of the time that is left, for all forms of one text
_OFTEN = 50  # times that the names at a place are copied, later ever more rarely
_WATCHED = 0.5  # seconds that calls are watched, beside half of the time that the program takes
_PIECES = 400  # of a value, in which told words are looked for
_FIRST = 2000  # characters of a file


class _Long(BaseException):
    pass


def prepare(wanted):
    """Make ready; return what is called when the program has failed."""
    judge = Judge(wanted)
    setattr(builtins, wanted["name"], judge.seen)
    judge.watch()
    atexit.register(judge.answer)
    return judge.failed


class Judge:
    """Keeps the names at each site, and answers when the program has ended."""

    def __init__(self, wanted):
        self.wanted = wanted
        self.pid = os.getpid()
        self.until = time.monotonic() + wanted["run"]
        self.counts = {}
        self.names = {}
        self.kept = {}
        self.frames = []
        self.early = []  # what was asked inside a block that is left as the failure passes: (asked, frame, line, answers)
        self.done = False
        self.told = frozenset(wanted["told"])
        spec = importlib.util.spec_from_file_location("_judge_words", wanted["words"])
        words = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(words)
        self.is_used_up, self.label_of = words.is_used_up, words.label_of
        self.label = words.label

    def seen(self, site, value):
        """Keep the names as they are after an expression, and give its value back."""
        count = self.counts[site] = self.counts.get(site, 0) + 1
        if (count < 16 or count % 256 == 0) and time.monotonic() > self.until and os.getpid() == self.pid:
            self.answer()
            os._exit(0)  # nothing more is wanted of this run
        if count <= _OFTEN or not count & (count - 1):
            frame = sys._getframe(1)
            local = {name: self._copied(own) for name, own in frame.f_locals.items() if self._keeps(own)}
            self.names[site] = (frame.f_globals, local)
        return value

    def _copied(self, value):
        """Return a value as it is now: lists, dictionaries, arrays and tables are copied, what is in them is not."""
        kind = type(value)
        if kind not in (list, dict, set) and not self.label(kind).startswith(("numpy.nd", "pandas.")):
            return value
        try:
            size = len(value) if kind in (list, dict, set) else value.size
            return value.copy() if size <= _COPIED else value
        except Exception:
            return value

    def _keeps(self, value):
        kind = type(value)
        keep = self.kept.get(kind)
        if keep is None:
            keep = self.kept[kind] = not self.is_used_up(kind)
        return keep

    def watch(self):
        """Ask what stands in a `with` or a `try` with `finally` as it fails: once the block is left, its files are closed."""
        inside = [asked for asked in self.wanted["asked"] if "first" in asked and _is_inside(asked, self.wanted["project"])]
        if not inside or not self.wanted["failure"]:
            return
        known = {}
        until = time.monotonic() + self.wanted["run"] / 2 + _WATCHED
        calls = [0]

        def called(frame, event, arg):
            calls[0] += 1
            if calls[0] % 1024 == 0 and time.monotonic() > until:
                sys.settrace(None)  # the run is to end in its time
            code = frame.f_code
            if code not in known:
                known[code] = [asked for asked in inside if _is_of(asked, code.co_filename, self.wanted["project"])]
            return failing if known[code] else None

        def failing(frame, event, arg):
            if event == "exception" and arg[0].__name__ == self.wanted["failure"] and os.getpid() == self.pid:
                line = frame.f_lineno
                for asked in known[frame.f_code]:
                    fits = asked["first"] <= line <= asked["last"]
                    if fits and not any(one is asked and where is frame for one, where, _, _ in self.early[-4:]):
                        spent = len(self.early) + 1
                        until = time.monotonic() + self.wanted["seconds"] / (2 * len(inside) * spent * spent)
                        self.early.append((asked, frame, line, self._judged(asked, until, [(frame, line)])))
            return failing

        sys.settrace(called)

    def failed(self, error):
        """Note the frames of the failure, and answer."""
        traceback = error.__traceback__
        while traceback is not None:
            self.frames.append((traceback.tb_frame, traceback.tb_lineno))
            traceback = traceback.tb_next
        self.answer()

    def answer(self):
        """Run all forms and write what they did, once."""
        if self.done or os.getpid() != self.pid:
            return
        self.done = True
        sys.settrace(None)
        warnings.simplefilter("ignore")  # of forms: the program's own were printed
        until = time.monotonic() + self.wanted["seconds"]
        found = []
        for asked in self.wanted["asked"]:
            early = [said for one, frame, line, said in self.early if one is asked and (frame, line) in self.frames]
            if early:
                found.append(early[-1])
                continue
            now = time.monotonic()
            share = _SHARE * (until - now) / (len(self.wanted["asked"]) - len(found))
            found.append(self._judged(asked, min(until, now + share), self.frames))
        with open(self.wanted["out"], "w", encoding="ascii") as handle:
            json.dump(found, handle)

    def _judged(self, asked, until, frames):
        forms = asked["forms"]
        if "site" in asked:
            if asked["site"] not in self.names:
                return [None] * len(forms)
            spaces, code_of, run_all = self.names[asked["site"]], _expression, self._values
            together = _TOGETHER["expression"]
        else:
            frame = _frame_of(asked, frames, self.wanted["project"])
            if frame is None:
                return [None] * len(forms)
            spaces, code_of, run_all = (frame.f_globals, frame.f_locals), _statement, self._endings
            together = _TOGETHER["statement"]
        before = code_of(asked["text"])
        found = [None] * len(forms)
        start, last = 0, len(forms) if before is not None else 0
        while start < last and time.monotonic() <= until:
            some = [code_of(form) for form in forms[start : start + together]]
            said = _in_child(run_all, spaces, before, some, until)
            found[start : start + len(said)] = said
            start += len(said)
        return found

    def _endings(self, spaces, before, codes, until):
        """Return how statements end in the frame that failed, beside how the one ends that stands there.

        One that closes a file is the last: what comes behind it finds none that is open.
        """
        failure, reached = _run(spaces, before)
        if failure is None or failure[0] == "long":
            return [None] * len(codes)  # it went on here: what is seen says nothing
        said = []
        is_open = _open_files(spaces[1])
        for code in codes:
            if code is None or time.monotonic() > until:
                said.append(None)
                continue
            if is_open and _open_files(spaces[1]) != is_open:
                return said
            ended, came_to = _run(spaces, code)
            word = "passes" if ended is None else "long" if ended[0] == "long" else "same" if ended == failure else "other"
            said.append(None if word == "other" and self._is_beyond(came_to, reached) else word)
        return said if _run(spaces, before)[0] == failure else [None] * len(said)

    def _is_beyond(self, came_to, reached):
        """Tell a failure in a function of the project that is not come to as the text is: it may be a mistake of its own."""
        project = os.path.join(os.path.realpath(self.wanted["project"]), "")
        for code in reversed(came_to):
            if not code.co_filename.startswith("<") and os.path.realpath(code.co_filename).startswith(project):
                return code not in reached
        return False

    def _values(self, spaces, before, codes, until):
        """Return what expressions give, beside what the one gives that stands there."""
        failure, value = _run(spaces, before)
        if failure is not None:
            return [None] * len(codes)
        said = []
        for code in codes:
            if code is None or time.monotonic() > until:
                said.append(None)
                continue
            failure, given = _run(spaces, code)
            if failure is not None:
                said.append(["fails", failure[0], 0])
                continue
            same = _is_same(given, value)
            said.append(["same" if same else "other", self.label_of(given), len(self.told & _pieces(given))])
        return said


def _frame_of(asked, frames, project):
    for frame, line in reversed(frames):
        if asked["first"] <= line <= asked["last"] and _is_of(asked, frame.f_code.co_filename, project):
            return frame
    return None


def _is_of(asked, name, project):
    """Tell whether a file is the one in which something is asked."""
    path = os.path.realpath(os.path.join(project, asked["file"]))
    return os.path.realpath(name if os.path.isabs(name) else os.path.join(project, name)) == path


def _is_inside(asked, project):
    """Tell whether lines lie in the body of a block that ends by closing something."""
    try:
        with open(os.path.join(project, asked["file"]), encoding="utf-8") as handle:
            tree = ast.parse(handle.read())
    except (OSError, ValueError, SyntaxError, RecursionError):
        return False
    return any(
        isinstance(node, (ast.With, ast.AsyncWith)) or (isinstance(node, ast.Try) and node.finalbody)
        for node in ast.walk(tree)
        if hasattr(node, "body") and isinstance(node.body, list) and node.body
        if node.body[0].lineno <= asked["first"] <= node.body[-1].end_lineno
    )


def _in_child(run_all, spaces, before, codes, until):
    """Run some forms in a child of their own, which prints nothing."""
    reading, writing = os.pipe()
    sys.stdout.flush()
    sys.stderr.flush()
    child = os.fork()
    if child == 0:
        try:
            os.close(reading)
            nothing = os.open(os.devnull, os.O_RDWR)
            for number in (0, 1, 2):
                os.dup2(nothing, number)
            signal.signal(signal.SIGALRM, _ring)
            said = json.dumps(run_all(spaces, before, codes, until)).encode("ascii")
            while said:
                said = said[os.write(writing, said) :]
        finally:
            os._exit(0)
    os.close(writing)
    data = b""
    while True:
        more = os.read(reading, 65536)
        if not more:
            break
        data += more
    os.close(reading)
    os.waitpid(child, 0)
    try:
        said = json.loads(data.decode("ascii"))
    except ValueError:
        said = []
    return said if 0 < len(said) <= len(codes) else [None] * len(codes)


def _open_files(names):
    return [name for name, value in names.items() if isinstance(value, io.IOBase) and not value.closed]


def _ring(number, frame):
    raise _Long


def _run(spaces, code):
    """Run a form with the names; return (how it fails or None, its value or the code that it had come to)."""
    names = dict(spaces[0])
    names.update(spaces[1])
    signal.setitimer(signal.ITIMER_REAL, _EACH)
    try:
        return None, eval(code, names)
    except _Long:
        return ["long", ""], None
    except BaseException as error:
        signal.setitimer(signal.ITIMER_REAL, 0)
        try:
            return [type(error).__name__, str(error)[:2000]], _codes(error)
        except Exception:
            return [type(error).__name__, ""], _codes(error)
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)


def _codes(error):
    found = []
    traceback = error.__traceback__
    while traceback is not None:
        found.append(traceback.tb_frame.f_code)
        traceback = traceback.tb_next
    return found


def _is_same(given, value):
    """Tell whether two values are alike: the same type, and the same content."""
    if type(given) is not type(value):
        return False
    try:
        if hasattr(type(value), "equals"):
            return bool(value.equals(given)) and repr(getattr(value, "dtypes", "")) == repr(getattr(given, "dtypes", ""))
        if hasattr(type(value), "tobytes"):
            return value.shape == given.shape and value.dtype == given.dtype and value.tobytes() == given.tobytes()
        if hasattr(type(value), "read"):
            return value.read(_FIRST) == given.read(_FIRST)
        return bool(value == given)
    except Exception:
        return False


def _pieces(value):
    """Return the texts that a value holds: itself, its items, its keys, the names of its columns and rows."""
    found = set()
    levels = [value]
    if (type(value).__module__ or "").startswith("pandas."):
        levels += [getattr(value, "columns", ()), getattr(value, "index", ())]
    for level in levels:
        if isinstance(level, str):
            found.add(level)
        elif isinstance(level, (list, tuple, set, frozenset, dict)) or hasattr(type(level), "tolist"):
            try:
                items = level[:_PIECES].tolist() if hasattr(type(level), "tolist") else level
                for _, item in zip(range(_PIECES), items):
                    if isinstance(item, str):
                        found.add(item)
                    elif isinstance(item, (tuple, dict)):
                        found.update(piece for piece in list(item)[:20] if isinstance(piece, str))
            except Exception:
                pass
    return found


def _expression(text):
    """Return an expression as code; None where it is none."""
    try:
        return compile("(%s\n)" % text, "<form>", "eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError, TypeError):
        return None


def _statement(text):
    """Return what of a statement is run where it failed, as code; None where that cannot be told."""
    text = textwrap.dedent(text)
    if text.startswith("elif"):
        text = text[2:]
    for tail in ("", " pass", "\n    pass"):
        try:
            tree = ast.parse(text + tail)
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            continue
        break
    else:
        return None
    statement = _part_of(tree.body[0]) if len(tree.body) == 1 else None
    if statement is None:
        return None
    tree.body = [ast.copy_location(statement, tree.body[0])]
    try:
        return compile(ast.fix_missing_locations(tree), "<form>", "exec")
    except (SyntaxError, ValueError, RecursionError, TypeError):
        return None


def _part_of(statement):
    """Return the statement without its block, and without what only a function may do."""
    if isinstance(statement, (ast.If, ast.While)):
        statement = ast.Expr(value=ast.Call(func=ast.Name(id="bool", ctx=ast.Load()), args=[statement.test], keywords=[]))
    elif isinstance(statement, ast.For):
        statement = ast.For(target=statement.target, iter=statement.iter, body=[ast.Break()], orelse=[], type_comment=None)
    elif isinstance(statement, ast.Return):
        statement = ast.Expr(value=statement.value) if statement.value is not None else ast.Pass()
    elif isinstance(statement, ast.Expr) and isinstance(statement.value, (ast.Yield, ast.YieldFrom)):
        statement = ast.Expr(value=statement.value.value) if statement.value.value is not None else ast.Pass()
    elif hasattr(statement, "body"):
        return None
    for node in ast.walk(statement):
        if isinstance(node, (ast.Yield, ast.YieldFrom, ast.Await)):
            return None
    return statement
