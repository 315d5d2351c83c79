"""Run by path in the user's interpreter after its program has failed: answers questions about the frames until it is let go.

Python 3.8 to 3.14, standard library only, imports nothing of Jam Key. Questions and answers are JSON, one a line, over a
socket of the parent's. Only expressions are evaluated; what they print is sent back and not mixed into the program's output.
"""

import builtins
import io
import json
import socket
import sys

LONGEST = 4000  # characters of a shown value
MOST_NAMES = 400


def serve(address, exception, agent):
    """Answer until the parent says to leave, or is gone."""
    port, colon, word = address.rpartition(":")
    if colon and port.isdigit():
        channel = socket.create_connection(("127.0.0.1", int(port)))
        channel.sendall(word.encode("ascii") + b"\n")
    else:
        channel = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        channel.connect(address)
    stream = channel.makefile("rwb")
    frames = _frames(exception)
    while True:
        try:
            line = stream.readline()
        except KeyboardInterrupt:
            continue  # nothing was asked: there is nothing to stop
        if not line:
            return
        number = 0
        try:
            question = json.loads(line.decode("utf-8"))
            if question["ask"] == "leave":
                return
            number = question["number"]
            answer = _answer(question, frames, agent)
        except KeyboardInterrupt:
            answer = {"error": "stopped"}
        except Exception as error:
            answer = {"error": "%s: %s" % (type(error).__name__, _safe(error))}
        _send(stream, dict(answer, number=number))


def _send(stream, answer):
    """Write an answer whole, whatever key is pressed meanwhile; the number tells which question it is for."""
    data = json.dumps(answer).encode("utf-8") + b"\n"
    while True:
        try:
            stream.write(data)
            data = b""
            stream.flush()
            return
        except KeyboardInterrupt:
            continue


def _frames(exception):
    found, traceback = [], exception.__traceback__
    while traceback is not None:
        found.append((traceback.tb_frame, traceback.tb_lineno))
        traceback = traceback.tb_next
    return found


def _answer(question, frames, agent):
    if question["ask"] == "frames":
        return {"frames": [[frame.f_code.co_filename, line, frame.f_code.co_name] for frame, line in frames]}
    frame = frames[question["frame"]][0]
    if question["ask"] == "values":
        local = frame.f_locals
        names = [name for name in list(local) if isinstance(name, str) and not name.startswith((".", "__"))]
        plain = [name for name in names if not agent["_is_plumbing"](local[name])]
        return {"values": [agent["describe"](name, local[name]) for name in plain[:MOST_NAMES]]}
    if question["ask"] == "names":
        return {"names": _names(frame, question["text"])}
    if question["ask"] == "value":
        return _value(frame, question["text"], agent)
    return {"error": "not a question"}


def _names(frame, text):
    """Return what could follow: names of the frame, or, behind a dot, what the object has; no user code runs."""
    owner, dot, _ = text.rpartition(".")
    if not dot:
        return sorted({*frame.f_locals, *frame.f_globals, *vars(builtins)})[:4000]
    value = {**frame.f_globals, **frame.f_locals}.get(owner.split(".")[0])
    for name in owner.split(".")[1:]:
        value = getattr(value, "__dict__", {}).get(name)
    names = set(getattr(value, "__dict__", {}))
    for base in type(value).__mro__:
        names.update(base.__dict__)
    return [owner + "." + name for name in sorted(names) if not name.startswith("__")][:MOST_NAMES]


def _value(frame, text, agent):
    """Evaluate an expression in the frame; assignments inside it reach a copy of the names only."""
    try:
        code = compile(text.strip(), "<asked>", "eval")
    except SyntaxError as error:
        return {"error": "only an expression can be asked: %s" % error.msg}
    names = {**frame.f_globals, **frame.f_locals}
    printed = io.StringIO()
    before = sys.stdout, sys.stderr, sys.stdin
    sys.stdout, sys.stderr, sys.stdin = printed, printed, io.StringIO()
    try:
        value = eval(code, names)
        described = agent["describe"](text.strip(), value)
        masked = described["text"] == agent["_MASK"]
        shown = described["text"] if masked else _shown(value)
        if " object at 0x" in shown:
            shown = described["text"]  # an address says nothing; the agent names what the object holds
    finally:
        sys.stdout, sys.stderr, sys.stdin = before
    return {"value": described, "shown": shown, "printed": printed.getvalue()[:LONGEST]}


def _shown(value):
    try:
        text = repr(value)
    except Exception as error:
        return "its __repr__ raises %s" % type(error).__name__
    return text if len(text) <= LONGEST else text[:LONGEST] + "..."


def _safe(error):
    try:
        return str(error)[:LONGEST]
    except Exception:
        return ""
