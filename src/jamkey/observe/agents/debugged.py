"""Runs a compiled program under a debugger's machine interface: `debugged.py OUT GDB PROGRAM [ARGS]`.

Where a signal stops the program, or it ends itself with a status that is not 0, the frames of its own code are written to
OUT as one line of JSON, with what their names held. After the seconds that JAMKEY_HANG names it is interrupted: then the frame
that it was in is there too, whosever it is, and how busy it was. What the program prints passes through. Only the standard
library is used, and nothing of the program is evaluated but names that stand in it.
"""

from __future__ import annotations

import json
import os
import platform
import re
import shlex
import subprocess
import sys
import threading
from typing import Any

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
from lived import busy  # type: ignore[import-not-found]

del sys.path[0]

#: Frames of the stack, own ones among them, names in one, characters of a value.
FRAMES, OWN, NAMES, TEXT = 200, 12, 40, 200
#: Where the first argument of a call is found when it begins, for the status that `exit` is given.
FIRST = {"x86_64": "$rdi", "AMD64": "$rdi", "aarch64": "$x0", "arm64": "$x0"}
SIGNALS = ("SIGSEGV", "SIGABRT", "SIGFPE", "SIGBUS", "SIGILL")
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r"}


def result(line: str) -> dict[str, Any]:
    """Return what one record of the machine interface says: `^done,name="text",list=[...],tuple={...}`."""
    values, _ = _pairs(line, line.find(",") + 1 or len(line), "")
    return values


def _pairs(line: str, at: int, end: str) -> tuple[dict[str, Any], int]:
    found: dict[str, Any] = {}
    while at < len(line) and line[at] != end:
        equals = line.find("=", at)
        if equals < 0:
            return found, len(line)
        name = line[at:equals]
        found[name], at = _value(line, equals + 1)
        if at < len(line) and line[at] == ",":
            at += 1
    return found, at + 1


def _value(line: str, at: int) -> tuple[Any, int]:
    first = line[at] if at < len(line) else ""
    if first == '"':
        return _text(line, at + 1)
    if first == "{":
        return _pairs(line, at + 1, "}")
    if first != "[":
        return "", len(line)
    found: list[Any] = []
    at += 1
    while at < len(line) and line[at] != "]":
        name = re.compile(r"[\w-]+=").match(line, at)
        value, at = _value(line, name.end() if name else at)
        found.append(value)
        if at < len(line) and line[at] == ",":
            at += 1
    return found, at + 1


def _text(line: str, at: int) -> tuple[str, int]:
    found = bytearray()
    while at < len(line) and line[at] != '"':
        if line[at] == "\\" and at + 1 < len(line):
            octal = re.compile(r"[0-7]{3}").match(line, at + 1)
            if octal:
                found.append(int(octal[0], 8) & 255)
                at += 4
                continue
            at += 1
            found += _ESCAPES.get(line[at], line[at]).encode("utf-8")
        else:
            found += line[at].encode("utf-8", "surrogateescape")
        at += 1
    return found.decode("utf-8", "replace"), at + 1


class Debugger:
    """One session: commands in, records out."""

    def __init__(self, words: list[str]) -> None:
        self.process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, encoding="utf-8", errors="replace"
        )
        #: Of the program.
        self.pid = 0

    def ask(self, command: str) -> dict[str, Any]:
        """Return the result of a command, empty when it was refused."""
        self.tell(command)
        for line in self.lines():
            if line.startswith("^"):
                return result(line) if line.startswith(("^done", "^running")) else {}
        return {}

    def tell(self, command: str) -> None:
        """Write a command."""
        assert self.process.stdin is not None
        try:
            self.process.stdin.write(command + "\n")
            self.process.stdin.flush()
        except OSError:
            pass

    def lines(self) -> Any:
        """Return the records to come."""
        assert self.process.stdout is not None
        return iter(self.process.stdout.readline, "")

    def stopped(self) -> dict[str, Any]:
        """Wait until the program stops, and return why."""
        for line in self.lines():
            if line.startswith("=thread-group-started"):
                self.pid = int(result(line).get("pid", 0))
            if line.startswith("*stopped"):
                return result(line)
            if line.startswith("^error"):
                return {}
        return {}


def main(words: list[str]) -> int:
    """Run the program; return the status it gave, or 1 where a signal ended it."""
    out, gdb, program, args = words[0], words[1], words[2], words[3:]
    given = b"" if sys.stdin is None or sys.stdin.isatty() else sys.stdin.buffer.read()
    with open(out + ".in", "wb") as kept:
        kept.write(given)
    session = Debugger([gdb, "-q", "-nx", "--interpreter=mi2", program])
    printed, said = out + ".out", out + ".err"
    streams = f"< {shlex.quote(out + '.in')} > {shlex.quote(printed)} 2> {shlex.quote(said)}"
    for setting in ("print elements 64", "print repeats 12", "print max-depth 4", "debuginfod enabled off", "width 0"):
        session.ask(f"-gdb-set {setting}")
    session.ask('-interpreter-exec console "handle all nostop noprint pass"')
    for name in SIGNALS:
        session.ask(f'-interpreter-exec console "handle {name} stop print"')
    if platform.machine() in FIRST:
        session.ask(f'-break-insert -f -c "(int){FIRST[platform.machine()]} != 0" exit')
    session.ask(f"-exec-arguments {' '.join(shlex.quote(word) for word in args)} {streams}")
    hang = float(os.environ.get("JAMKEY_HANG") or 0)
    if hang:
        session.ask("-gdb-set mi-async on")
        session.ask('-interpreter-exec console "handle SIGINT stop print nopass"')
    session.tell("-exec-run")
    if hang:
        timer = threading.Timer(hang, session.tell, ["-exec-interrupt --all"])
        timer.daemon = True
        timer.start()
    stop = session.stopped()
    status = _status(stop)
    if stop.get("reason") in ("signal-received", "breakpoint-hit"):
        hung = stop.get("signal-name") == "SIGINT"
        if hung:
            session.ask("-thread-select 1")
        found = {"signal": stop.get("signal-name", ""), "frames": frames(session, wherever=hung)}
        if hung:
            found["busy"] = busy(session.pid)
        with open(out, "a", encoding="utf-8") as handle:
            handle.write(json.dumps(found) + "\n")
    session.tell("-gdb-exit")
    try:
        session.process.wait(5)
    except subprocess.TimeoutExpired:
        session.process.kill()
    for path, stream in ((printed, sys.stdout), (said, sys.stderr)):
        if os.path.exists(path):
            with open(path, "rb") as kept:
                stream.buffer.write(kept.read())
            stream.flush()
    return status


def _status(stop: dict[str, Any]) -> int:
    if stop.get("reason") == "exited-normally":
        return 0
    code = stop.get("exit-code", "")
    return int(code, 8) if re.match(r"[0-7]+$", code) else 1


def frames(session: Debugger, *, wherever: bool) -> list[dict[str, Any]]:
    """Return the own frames, outermost first; with the one that it is in, where that is asked and it is another's."""
    stack = session.ask(f"-stack-list-frames 0 {FRAMES}").get("stack", [])
    found: list[dict[str, Any]] = []
    for frame in stack:
        file = own(frame)
        if file:
            row = {"file": file, "line": int(frame["line"]), "function": frame.get("func", ""), "values": []}
            if len(found) < OWN:
                row["values"] = values(session, frame["level"])
            found.append(row)
    if wherever and stack and not own(stack[0]):
        there = stack[0].get("fullname") or stack[0].get("from", "?")
        found.insert(0, {"file": there, "line": 0, "function": stack[0].get("func", ""), "values": []})
    return found[::-1]


def own(frame: dict[str, Any]) -> str:
    """Return the file of a frame, empty where it is none below this folder."""
    file = os.path.realpath(frame["fullname"]) if frame.get("fullname") else ""
    return file if file.startswith(os.path.realpath(os.getcwd()) + os.sep) and os.path.isfile(file) else ""


def values(session: Debugger, level: str) -> list[dict[str, str]]:
    """Return what the names of a frame hold: name, type and text."""
    asked = session.ask(f"-stack-list-variables --thread 1 --frame {level} --simple-values").get("variables", [])
    found = []
    for one in asked[:NAMES]:
        name, kind = one.get("name", ""), one.get("type", "")
        if not re.match(r"[A-Za-z_]\w*$", name) or name.startswith(("__", "_OBJC_")) or name == "_cmd":
            continue
        text = one.get("value")
        ask = f"-data-evaluate-expression --thread 1 --frame {level} "
        if text is None:
            text = session.ask(ask + name).get("value")
        elif re.match(r"(?:\([^()]{1,80}\) )?0x0\b", text):
            text = "NULL"
        elif (
            kind.endswith("*")
            and re.match(r"(?:\([^()]{1,80}\) )?0x[0-9a-f]+(?: <[^<>]{1,80}>)?$", text)
            and "void" not in kind
            and "(" not in kind
        ):
            behind = session.ask(f"{ask}*{name}").get("value")
            text = f"-> {behind}" if behind is not None else f"{text} (not readable)"
            if "{isa = " in text or "_OBJC_INSTANCE_" in text:
                kind, text = sent(session, ask, name, kind)
        if text is not None and "<optimized out>" not in text:
            found.append({"name": name, "type": short(kind), "text": plain(text)[:TEXT]})
    return found


def sent(session: Debugger, ask: str, name: str, kind: str) -> tuple[str, str]:
    """Return the class of an object that messages are sent to, and the text or the number of items that it holds.

    All is read from memory, as the classes of the framework lay it out: class, contents, count. Nothing is called.
    """
    known = re.search(r'"(\w+)"', session.ask(f'{ask}"*((char **)*(void **){name} + 2)"').get("value", ""))
    if known is None:
        return kind, "an object"
    contents, count = f"*((char **){name} + 1)", f"*(unsigned *)((char **){name} + 2)"
    if known[1] in ("NSConstantString", "NXConstantString"):
        return "NSString", plain(session.ask(f'{ask}"{contents}"').get("value", "")) or "an object"
    if re.match(r"GSC\w*(?:String|Buffer)$", known[1]):
        return "NSString", plain(session.ask(f'{ask}"*({contents})@(int)({count})"').get("value", "")) or "an object"
    if re.match(r"GS\w*Array$", known[1]):
        size = session.ask(f'{ask}"{count}"').get("value", "")
        return known[1], f"with {size} items" if size.isdigit() else "an object"
    return known[1], "an object"


def short(kind: str) -> str:
    """Return a type without the arguments of its template that nobody writes."""
    kind = kind.replace("__cxx11::", "")
    while usual := re.search(r",? *std::(?:allocator|less|char_traits|equal_to|hash)<", kind):
        depth, at = 1, usual.end()
        while at < len(kind) and depth:
            depth += {"<": 1, ">": -1}.get(kind[at], 0)
            at += 1
        kind = kind[: usual.start()] + kind[at:].lstrip()
    kind = kind.replace("objc_object *", "id")
    return kind.replace("std::basic_string<char>", "std::string").replace(" >", ">")


def plain(text: str) -> str:
    """Return a value's text without the addresses before texts, and with pointers to nothing by their name."""
    text = re.sub(r'0x[0-9a-f]+ (?:<[^<>]{1,80}> )?(?=")', "", text)
    text = re.sub(r"(?<![\w.])-?\d+\.\d{12,}(?:e[+-]\d+)?(?![\w.])", lambda found: repr(float(found[0])), text)
    text = re.sub(r"^@0x[0-9a-f]+: |, '\\000' <repeats \d+ times>", "", text)
    text = re.sub(r'(?:\\000)+(?:\.\.\.)?(?=")', "", text)
    return re.sub(r"\b0x0\b", "NULL", text)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
