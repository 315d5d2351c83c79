"""Runs other forms of a statement in the very frame that failed: which of them get past the failure there.

Loaded by path in a child of `forks.py`, before the program runs. When it fails, the frames that stand in the asked
statements are looked for, and each form is run in a copy of the frame's names. A child of its own takes some of them at
a time, so that what they change is gone; where the statement as it is no longer fails as it did, what that child said
is forgotten. One JSON file is written: for each asked statement a list, one word for each form:

    passes  same (fails as before)  other (fails otherwise)  long (not done in time)  null (not known)

Python 3.8 to 3.14, standard library only.
"""

import ast
import json
import os
import signal
import sys
import textwrap
import time

_TOGETHER = 48  # forms that one child runs
_EACH = 0.25  # seconds for a form


class _Long(BaseException):
    pass


def prepare(wanted):
    """Return what is called when the program has failed."""
    return lambda error: _answer(wanted, error)


def _answer(wanted, error):
    until = time.monotonic() + wanted["seconds"]
    frames = []
    traceback = error.__traceback__
    while traceback is not None:
        frames.append((traceback.tb_frame, traceback.tb_lineno))
        traceback = traceback.tb_next
    found = []
    for asked in wanted["asked"]:
        frame = _frame_of(asked, frames, wanted["project"])
        found.append(_judged(frame, asked, until) if frame is not None else [None] * len(asked["forms"]))
    with open(wanted["out"], "w", encoding="ascii") as handle:
        json.dump(found, handle)


def _frame_of(asked, frames, project):
    path = os.path.realpath(os.path.join(project, asked["file"]))
    for frame, line in reversed(frames):
        if asked["first"] <= line <= asked["last"]:
            name = frame.f_code.co_filename
            if os.path.realpath(name if os.path.isabs(name) else os.path.join(project, name)) == path:
                return frame
    return None


def _judged(frame, asked, until):
    """Run the forms of one statement, some of them in each child."""
    before = _code_of(asked["text"])
    codes = [_code_of(form) for form in asked["forms"]]
    found = [None] * len(codes)
    if before is None:
        return found
    for start in range(0, len(codes), _TOGETHER):
        if time.monotonic() > until:
            break
        some = codes[start : start + _TOGETHER]
        found[start : start + len(some)] = _in_child(frame, before, some, until)
    return found


def _in_child(frame, before, codes, until):
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
            said = _run_all(frame, before, codes, until)
            os.write(writing, json.dumps(said).encode("ascii"))
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
    return said if len(said) == len(codes) else [None] * len(codes)


def _run_all(frame, before, codes, until):
    signal.signal(signal.SIGALRM, _ring)
    failure = _run(frame, before)
    if failure is None or failure == "long":
        return [None] * len(codes)  # it went on here: what is seen says nothing
    said = []
    for code in codes:
        if code is None or time.monotonic() > until:
            said.append(None)
            continue
        ended = _run(frame, code)
        said.append("passes" if ended is None else "long" if ended == "long" else "same" if ended == failure else "other")
    return said if _run(frame, before) == failure else [None] * len(codes)


def _ring(number, frame):
    raise _Long


def _run(frame, code):
    """Run a form with the frame's names; return how it fails, None where it does not."""
    names = dict(frame.f_globals)
    names.update(frame.f_locals)
    signal.setitimer(signal.ITIMER_REAL, _EACH)
    try:
        exec(code, names)
    except _Long:
        return "long"
    except BaseException as error:
        signal.setitimer(signal.ITIMER_REAL, 0)
        try:
            return [type(error).__name__, str(error)[:2000]]
        except Exception:
            return [type(error).__name__, ""]
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
    return None


def _code_of(text):
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
    if len(tree.body) != 1:
        return None
    statement = _part_of(tree.body[0])
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
    elif isinstance(
        statement, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.With, ast.Try, ast.AsyncFor, ast.AsyncWith)
    ):
        return None
    for node in ast.walk(statement):
        if isinstance(node, (ast.Yield, ast.YieldFrom, ast.Await)):
            return None
    return statement
