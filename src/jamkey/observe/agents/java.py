"""Stands before `java`: runs it under its debug wire (JDWP): `java.py OUT JAVA [WORDS]`.

Where an exception ends it that nobody caught, the frames of its own code are written to OUT as one line of JSON, with what
their names held. After the seconds that JAMKEY_HANG names it is halted and ended: then the frame that its main thread was in is
there too, whosever it is, and how busy it was. Values are read field by field: no method of the program is called. Only the
standard library is used.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import socket
import struct
import subprocess
import sys
import tempfile
from typing import Any

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
from lived import busy  # type: ignore[import-not-found]

del sys.path[0]

#: Own frames, items of a value, characters of it, how deep objects are looked into, seconds for the program to be looked at.
OWN, ITEMS, TEXT, DEPTH, WAIT = 12, 20, 200, 3, 15.0
EXCEPTION, DEATH = 4, 99
_PLAIN = {"B": "b", "C": "H", "D": "d", "F": "f", "I": "i", "J": "q", "S": "h", "Z": "?"}
_NAMES = {"B": "byte", "C": "char", "D": "double", "F": "float", "I": "int", "J": "long", "S": "short", "Z": "boolean"}
_BOXES = ("Integer", "Long", "Double", "Float", "Short", "Byte", "Character", "Boolean")
_LISTS = ("java.util.ArrayList", "java.util.Arrays$ArrayList", "java.util.ImmutableCollections$ListN")
_MAPS = ("java.util.HashMap", "java.util.LinkedHashMap")
_SETS = ("java.util.HashSet", "java.util.LinkedHashSet")
_LIBRARY = ("java.", "jdk.", "sun.", "javax.")
_PACKAGE = re.compile(r"^[ \t]*package[ \t]+([\w.]+)[ \t]*;", re.M)
_MAIN = re.compile(r"\bclass\s+(\w+)")


class Reply:
    """What the machine answered, read from its beginning."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def take(self, form: str) -> Any:
        """Return the next value of a form of `struct`."""
        (value,) = struct.unpack_from(">" + form, self.data, self.at)
        self.at += struct.calcsize(">" + form)
        return value

    def text(self) -> str:
        """Return the next text."""
        size = self.take("i")
        self.at += size
        return self.data[self.at - size : self.at].decode("utf-8", "replace")

    def value(self, tag: str = "") -> tuple[str, Any]:
        """Return the next value with its tag: a number, or the number of an object."""
        tag = tag or chr(self.take("B"))
        return tag, None if tag == "V" else self.take(_PLAIN.get(tag, "Q"))


class Wire:
    """The machine on the other end."""

    def __init__(self, connection: socket.socket) -> None:
        self.connection, self.number = connection, 0
        self.events: list[Reply] = []
        self.known: dict[int, str] = {}
        connection.sendall(b"JDWP-Handshake")
        self._read(14)

    def _read(self, size: int) -> bytes:
        data = b""
        while len(data) < size:
            more = self.connection.recv(size - len(data))
            if not more:
                raise EOFError
            data += more
        return data

    def _packet(self) -> tuple[int, int, int, bytes]:
        size, number, flags, kind = struct.unpack(">IIBH", self._read(11))
        return number, flags, kind, self._read(size - 11)

    def ask(self, group: int, command: int, data: bytes = b"") -> Reply:
        """Return the answer to a command; LookupError where it is refused."""
        self.number += 1
        self.connection.sendall(struct.pack(">IIBBB", 11 + len(data), self.number, 0, group, command) + data)
        while True:
            number, flags, kind, answer = self._packet()
            if not flags & 0x80:
                self.events.append(Reply(answer))
            elif number == self.number:
                if kind:
                    raise LookupError(kind)
                return Reply(answer)

    def event(self) -> Reply:
        """Wait for what happens next."""
        while not self.events:
            _, flags, _, answer = self._packet()
            if not flags & 0x80:
                self.events.append(Reply(answer))
        return self.events.pop(0)

    def uncaught(self) -> tuple[int, str]:
        """Run until an exception is thrown that nobody catches; return thread and class, 0 where the program just ends."""
        nobody = struct.pack(">BBiBQBB", EXCEPTION, 2, 1, 8, 0, 0, 1)
        self.ask(15, 1, nobody)
        self.ask(1, 9)
        while True:
            event = self.event()
            event.take("B")
            event.take("i")
            kind = event.take("B")
            if kind == DEATH:
                return 0, ""
            event.take("i")
            if kind == EXCEPTION:
                thread = int(event.take("Q"))
                for form in "BQQQ":  # where it was thrown
                    event.take(form)
                return thread, self.class_of(event.value()[1])
            self.ask(1, 9)

    def halted(self) -> int:
        """Halt the machine; return its main thread."""
        self.ask(1, 8)
        answer = self.ask(1, 4)
        threads = [answer.take("Q") for _ in range(answer.take("i"))]
        return next(int(thread) for thread in threads if self.ask(11, 1, struct.pack(">Q", thread)).text() == "main")

    def frames(self, thread: int, *, wherever: bool) -> list[dict[str, Any]]:
        """Return the own frames, outermost first; with the one that it is in, where that is asked and it is another's."""
        answer = self.ask(11, 6, struct.pack(">Qii", thread, 0, -1))
        found: list[dict[str, Any]] = []
        for depth in range(answer.take("i")):
            frame, _, owner, method, index = (answer.take(form) for form in "QBQQQ")
            file = self.file(owner)
            if not file:
                if wherever and not depth:
                    there = self.class_name(owner).split("$", 1)[0].replace(".", "/")
                    found.append({"file": f"{there}.java", "line": 0, "function": self.method(owner, method), "values": []})
                continue
            row = {"file": file, "line": self.line(owner, method, index), "function": self.method(owner, method), "values": []}
            if len(found) < OWN:
                row["values"] = self.values(thread, frame, owner, method, index)
            found.append(row)
        return found[::-1]

    def class_name(self, owner: int) -> str:
        """Return a class's full name."""
        if owner not in self.known:
            self.known[owner] = readable(self.ask(2, 1, struct.pack(">Q", owner)).text())
        return self.known[owner]

    def file(self, owner: int) -> str:
        """Return the file of a class, where it is one of the project."""
        name = self.class_name(owner)
        if name.startswith(_LIBRARY):
            return ""
        try:
            base = self.ask(2, 7, struct.pack(">Q", owner)).text()
        except LookupError:
            return ""
        inside = os.path.join(*name.split(".")[:-1], base) if "." in name else base
        for folder, folders, files in os.walk(os.getcwd()):
            folders[:] = sorted(one for one in folders if not one.startswith("."))
            if base in files and os.path.join(folder, base).endswith(os.sep + inside):
                return os.path.join(folder, base)
        return ""

    def line(self, owner: int, method: int, index: int) -> int:
        """Return the line of a place in a method."""
        answer = self.ask(6, 1, struct.pack(">QQ", owner, method))
        answer.take("q"), answer.take("q")
        rows = [(answer.take("q"), answer.take("i")) for _ in range(answer.take("i"))]
        return max(((at, line) for at, line in rows if at <= index), default=(0, 1))[1]

    def method(self, owner: int, method: int) -> str:
        """Return a method's name with its class."""
        answer = self.ask(2, 5, struct.pack(">Q", owner))
        for _ in range(answer.take("i")):
            number, name, _, _ = answer.take("Q"), answer.text(), answer.text(), answer.take("i")
            if number == method:
                return f"{self.class_name(owner)}.{name}"
        return ""

    def values(self, thread: int, frame: int, owner: int, method: int, index: int) -> list[dict[str, Any]]:
        """Return what the names of a frame hold at its place."""
        where = struct.pack(">QQ", thread, frame)
        found: list[dict[str, Any]] = []
        try:
            tag, this = self.ask(16, 3, where).value()
            if this:
                found.append(self.row("this", "L", tag, this))
            answer = self.ask(6, 2, struct.pack(">QQ", owner, method))
        except LookupError:
            return found
        answer.take("i")
        names = []
        for _ in range(answer.take("i")):
            start, name, sign, size, slot = answer.take("Q"), answer.text(), answer.text(), answer.take("I"), answer.take("i")
            if name != "this" and start <= index < start + size:
                names.append((name, sign, slot))
        if not names:
            return found
        asked = b"".join(struct.pack(">iB", slot, ord(sign[0])) for _, sign, slot in names)
        answer = self.ask(16, 1, where + struct.pack(">i", len(names)) + asked)
        answer.take("i")
        return found + [self.row(name, sign, *answer.value()) for name, sign, _ in names]

    def row(self, name: str, sign: str, tag: str, value: Any) -> dict[str, Any]:
        """Describe one value."""
        kind = readable(sign) if tag in _PLAIN or not value else self.class_of(value)
        row: dict[str, Any] = {"name": name, "type": kind, "text": self.text(tag, value, DEPTH)[:TEXT]}
        if tag not in _PLAIN and value:
            size = self.size(tag, value, kind)
            if size is not None:
                row["length"] = size
        return row

    def class_of(self, thing: int) -> str:
        """Return the class of an object."""
        answer = self.ask(9, 1, struct.pack(">Q", thing))
        answer.take("B")
        return self.class_name(answer.take("Q"))

    def size(self, tag: str, thing: int, kind: str) -> int | None:
        """Return the number of items, where an object has one."""
        if tag == "[":
            return int(self.ask(13, 1, struct.pack(">Q", thing)).take("i"))
        if tag == "s":
            return len(self.ask(10, 1, struct.pack(">Q", thing)).text())
        if kind.startswith("java.util."):
            held = self.fields(thing).get("size")
            return int(held[1]) if held is not None and held[0] == "I" else None
        return None

    def fields(self, thing: int) -> dict[str, tuple[str, Any]]:
        """Return the fields of an object, those of the classes it extends among them."""
        answer = self.ask(9, 1, struct.pack(">Q", thing))
        answer.take("B")
        owner = answer.take("Q")
        found: dict[str, tuple[str, Any]] = {}
        while owner:
            answer = self.ask(2, 4, struct.pack(">Q", owner))
            rows = []
            for _ in range(answer.take("i")):
                number, name, _, bits = answer.take("Q"), answer.text(), answer.text(), answer.take("i")
                if not bits & 8 and name not in found:
                    rows.append((number, name))
            if rows:
                asked = b"".join(struct.pack(">Q", number) for number, _ in rows)
                answer = self.ask(9, 2, struct.pack(">Qi", thing, len(rows)) + asked)
                answer.take("i")
                found.update({name: answer.value() for _, name in rows})
            owner = self.ask(3, 1, struct.pack(">Q", owner)).take("Q")
        return found

    def items(self, thing: int) -> tuple[int, list[tuple[str, Any]]]:
        """Return the length of an array and its first items."""
        size = self.ask(13, 1, struct.pack(">Q", thing)).take("i")
        if not size:
            return 0, []
        answer = self.ask(13, 2, struct.pack(">Qii", thing, 0, min(size, ITEMS)))
        tag = chr(answer.take("B"))
        return size, [answer.value(tag if tag in _PLAIN else "") for _ in range(answer.take("i"))]

    def text(self, tag: str, value: Any, depth: int) -> str:
        """Return a value as Java would be written."""
        if tag == "Z":
            return "true" if value else "false"
        if tag == "C":
            return repr(chr(value))
        if tag in _PLAIN:
            return repr(round(value, 7) if tag == "F" else value)
        if not value:
            return "null"
        if tag == "s":
            return json.dumps(self.ask(10, 1, struct.pack(">Q", value)).text()[:TEXT], ensure_ascii=False)
        try:
            return self.object_text(tag, value, depth)
        except LookupError:
            return "an object"

    def object_text(self, tag: str, thing: int, depth: int) -> str:
        """Describe an object by what it holds."""
        kind = self.class_of(thing)
        if tag == "[":
            size, items = self.items(thing)
            return "{" + self.listed(items, size, depth) + "}"
        if tag != "L" or depth < 1:
            return kind
        fields = self.fields(thing)
        if kind in _BOXES:
            return self.text(*fields["value"], depth)
        if kind in _LISTS:
            array = fields.get("elementData") or fields.get("a") or fields["elements"]
            size, items = self.items(array[1])
            size = fields["size"][1] if "size" in fields else size
            return "[" + self.listed(items[:size], size, depth) + "]"
        if kind == "java.util.ImmutableCollections$List12":
            both = [self.text(*fields[name], depth - 1) for name in ("e0", "e1")]
            return "[" + ", ".join(one for one in both if one not in ("null", "java.lang.Object")) + "]"
        if kind in _MAPS:
            return "{" + ", ".join("=".join(pair) for pair in self.entries(fields["table"][1], depth)) + "}"
        if kind in _SETS:
            held = self.fields(fields["map"][1])
            return "[" + ", ".join(key for key, _ in self.entries(held["table"][1], depth)) + "]"
        if kind == "java.util.Optional":
            return f"Optional({self.text(*fields['value'], depth - 1)})"
        if kind.startswith(_LIBRARY):
            return kind
        shown = [f"{name}={self.text(*one, depth - 1)}" for name, one in list(fields.items())[:ITEMS] if "$" not in name]
        return f"{kind.rpartition('.')[2]}({', '.join(shown)})"

    def listed(self, items: list[tuple[str, Any]], size: int, depth: int) -> str:
        """Return items with commas between, and how many more there are."""
        texts = [self.text(*item, depth - 1) for item in items]
        return ", ".join([*texts, *([f"... {size} in all"] if size > len(items) else [])])

    def entries(self, table: int, depth: int) -> list[tuple[str, str]]:
        """Return the keys and values of a hash table."""
        found: list[tuple[str, str]] = []
        if not table:
            return found
        size = self.ask(13, 1, struct.pack(">Q", table)).take("i")
        answer = self.ask(13, 2, struct.pack(">Qii", table, 0, size))
        answer.take("B")
        for _ in range(answer.take("i")):
            node = answer.value()[1]
            while node and len(found) < ITEMS:
                fields = self.fields(node)
                found.append((self.text(*fields["key"], depth - 1), self.text(*fields["value"], depth - 1)))
                node = fields["next"][1]
        return found


def readable(sign: str) -> str:
    """Return a type's name from its signature: `[Ljava/lang/String;` is `String[]`."""
    sides = len(sign) - len(sign.lstrip("["))
    name = sign.lstrip("[")
    name = _NAMES.get(name, name[1:-1].replace("/", ".") if name.startswith("L") else name)
    return re.sub(r"^java\.lang\.(?=[A-Z]\w*$)", "", name) + "[]" * sides


def main(words: list[str]) -> int:
    """Run the program; return the status it gave."""
    out, java, args = words[0], words[1], words[2:]
    if any(word in ("-version", "--version", "-help", "--help") for word in args):
        return subprocess.call([java, *args])
    folder = ""
    source = next((place for place, word in enumerate(args) if word.endswith(".java")), None)
    if source is not None and not any(word in ("-jar", "-m") for word in args[:source]):
        folder = tempfile.mkdtemp()
        args = compiled(java, args, source, folder)
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.settimeout(WAIT)
        port = server.getsockname()[1]
        wire = f"-agentlib:jdwp=transport=dt_socket,server=n,suspend=y,address=127.0.0.1:{port}"
        process = subprocess.Popen([java, "-XX:+ShowCodeDetailsInExceptionMessages", wire, *args])
        try:
            connection, _ = server.accept()
            look(connection, out, process, float(os.environ.get("JAMKEY_HANG") or 0))
        except (OSError, EOFError, LookupError, struct.error, KeyError):
            pass  # it runs on, unseen
        status = process.wait()
    if folder:
        shutil.rmtree(folder, ignore_errors=True)
    return status if status >= 0 else 1


def compiled(java: str, args: list[str], source: int, folder: str) -> list[str]:
    """A source that is started as it is has no names of values: compile it with them, and return how it is started then."""
    javac = os.path.join(os.path.dirname(os.path.realpath(java)), "javac")
    with open(args[source], encoding="utf-8", errors="replace") as handle:
        text = handle.read()
    package, first = _PACKAGE.search(text), _MAIN.search(text)
    if subprocess.call([javac, "-g", "-nowarn", "-d", folder, args[source]], stderr=subprocess.DEVNULL) or not first:
        return args
    name = (package[1] + "." if package else "") + first[1]
    return [*args[:source], "-cp", folder, name, *args[source + 1 :]]


def look(connection: socket.socket, out: str, process: subprocess.Popen[bytes], hang: float) -> None:
    """Wait for the exception, or some seconds; write what is there, and let the program end."""
    connection.settimeout(hang or WAIT)
    wire = Wire(connection)
    share = None
    try:
        thread, raised = wire.uncaught()
    except TimeoutError:
        if not hang:
            raise
        connection.settimeout(WAIT)
        share = busy(process.pid)
        thread, raised = wire.halted(), ""
    if thread:
        found: dict[str, Any] = {
            "signal": "" if raised else "SIGINT",
            "raised": raised,
            "frames": wire.frames(thread, wherever=not raised),
        }
        found["busy"] = share
        with open(out, "a", encoding="utf-8") as handle:
            handle.write(json.dumps(found) + "\n")
        if raised:
            wire.ask(1, 6)
        else:
            process.kill()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
