"""A debug adapter over the open protocol (DAP): shows a failure that has already happened. Read-only.

An editor that speaks the protocol sees the program as stopped at its exception: the stack with one's own frames first, the
recorded values, the exception with its chain, the way of the bad value. Nothing can be run or changed. Positions on the wire
count from 1 or 0 as the client asks; each failure of the reading is one thread.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

import msgspec

from jamkey.errors import JamkeyError
from jamkey.journal.kept import Kept
from jamkey.model import Frame, Jam, Value
from jamkey.runs.explore import Looker
from jamkey.runs.journaled import last_reading, sources_of, unchanged
from jamkey.text import visible
from jamkey.views.log_events import trace_of
from jamkey.views.look import sort_of
from jamkey.views.outline import WORDS, at

#: Bytes of one message; an editor's are far smaller.
_LONGEST = 16_000_000
_NOT_RUNNING = "the program has failed already: only what was recorded can be looked at"
#: Frames of one thread are numbered from here.
_FRAMES = 100_000
_CAPABILITIES = {
    "supportsConfigurationDoneRequest": True,
    "supportsExceptionInfoRequest": True,
    "supportsDelayedStackTraceLoading": True,
    "supportsEvaluateForHovers": True,
    "supportsTerminateRequest": True,
}


class Refused(Exception):
    """A request that gets `success: false` and this message."""


class Adapter:
    """One session.

    Args:
        incoming: where requests come from.
        outgoing: where answers go.
    """

    def __init__(self, incoming: IO[bytes], outgoing: IO[bytes]) -> None:
        self.incoming, self.outgoing = incoming, outgoing
        self.kept = Kept(jams=())
        self._sent = 0
        self._line_base, self._column_base = 1, 1
        self._references: list[list[dict[str, Any]]] = []
        self._texts: list[str] = []
        self._after: list[Callable[[], None]] = []
        self._ended = False

    def serve(self) -> int:
        """Answer requests until the client disconnects or is gone; return the exit status."""
        while not self._ended:
            try:
                request = self._receive()
            except ValueError:
                return 1
            if request is None:
                return 0
            if request.get("type") == "request":
                self._answer(request)
        return 0

    # --- the wire

    def _receive(self) -> dict[str, Any] | None:
        """Return the next message, None at the end of the input.

        Raises:
            ValueError: it is no message of the protocol.
        """
        size = -1
        while True:
            line = self.incoming.readline(1000)
            if not line:
                return None
            if line in (b"\r\n", b"\n"):
                break
            name, _, value = line.decode("ascii", "replace").partition(":")
            if name.strip().lower() == "content-length":
                size = int(value)
        if not 0 <= size <= _LONGEST:
            raise ValueError("no length")
        try:
            message = msgspec.json.decode(self.incoming.read(size))
        except msgspec.DecodeError:
            raise ValueError("not JSON") from None
        if not isinstance(message, dict):
            raise ValueError("not a message")
        return message

    def _send(self, message: dict[str, Any]) -> None:
        self._sent += 1
        data = msgspec.json.encode({"seq": self._sent, **message})
        self.outgoing.write(b"Content-Length: %d\r\n\r\n" % len(data) + data)
        self.outgoing.flush()

    def _event(self, name: str, **body: Any) -> None:
        self._send({"type": "event", "event": name, "body": body})

    def _answer(self, request: dict[str, Any]) -> None:
        command = str(request.get("command"))
        reply: dict[str, Any] = {"type": "response", "request_seq": request.get("seq", 0), "command": command}
        arguments = request.get("arguments") or {}
        handler = _HANDLERS.get(command)
        try:
            if handler is None:
                raise Refused(_NOT_RUNNING if command in _RUNNING else f"not supported: {command}")
            if not isinstance(arguments, dict):
                raise Refused("the arguments are no object")
            self._send({**reply, "success": True, "body": handler(self, arguments)})
        except (Refused, JamkeyError) as error:
            text = str(error)
            self._send(
                {**reply, "success": False, "message": text, "body": {"error": {"id": 1, "format": text, "showUser": True}}}
            )
        except (KeyError, TypeError, ValueError, IndexError):
            self._send({**reply, "success": False, "message": f"{command}: the arguments do not fit"})
        for step in self._after:
            step()
        self._after.clear()

    # --- requests

    def initialize(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Note how the client counts; tell what is offered."""
        self._line_base = 1 if arguments.get("linesStartAt1", True) else 0
        self._column_base = 1 if arguments.get("columnsStartAt1", True) else 0
        self._after.append(lambda: self._event("initialized"))
        return dict(_CAPABILITIES)

    def launch(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Take the reading that is to be shown."""
        number = arguments.get("reading")
        self.kept = last_reading(int(number) if number is not None else None)
        return {}

    def configured(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """The client is ready: report where the program stopped."""
        jams = self.kept.jams
        if jams:
            self._after.append(
                lambda: self._event(
                    "stopped",
                    reason="exception",
                    description=visible(jams[-1].headline),
                    text=visible(jams[-1].message or ""),
                    threadId=len(jams),
                    allThreadsStopped=True,
                )
            )
        return {}

    def breakpoints(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """No breakpoint can be reached any more."""
        return {"breakpoints": [{"verified": False, "message": _NOT_RUNNING} for _ in arguments.get("breakpoints", [])]}

    def threads(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Return one thread for each failure."""
        names = [
            self.kept.command or jam.runtime if len(self.kept.jams) == 1 else visible(jam.headline)[:80]
            for jam in self.kept.jams
        ]
        return {"threads": [{"id": number, "name": name} for number, name in enumerate(names, 1)]}

    def _jam(self, thread: int) -> Jam:
        if not 1 <= thread <= len(self.kept.jams):
            raise Refused("no such thread")
        return self.kept.jams[thread - 1]

    def stack(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Return the frames, innermost first: one's own, then, behind a label, those of libraries."""
        thread = int(arguments["threadId"])
        jam = self._jam(thread)
        inward = range(len(jam.frames) - 1, -1, -1)
        own = [self._frame(thread, index) for index in inward if jam.frames[index].owner == "yours"]
        other = [self._frame(thread, index) for index in inward if jam.frames[index].owner != "yours"]
        label = {
            "id": thread * _FRAMES + len(jam.frames),
            "name": f"{len(other)} calls inside libraries",
            "line": 0,
            "column": 0,
            "presentationHint": "label",
        }
        found = [*own, *([label] if other else []), *other]
        start, levels = int(arguments.get("startFrame") or 0), int(arguments.get("levels") or 0)
        return {"stackFrames": found[start : start + levels if levels else None], "totalFrames": len(found)}

    def _frame(self, thread: int, index: int) -> dict[str, Any]:
        frame = self._jam(thread).frames[index]
        found: dict[str, Any] = {
            "id": thread * _FRAMES + index,
            "name": visible(frame.function or "the script"),
            "line": (frame.line or 1) - 1 + self._line_base,
            "column": (frame.column or 1) - 1 + self._column_base,
        }
        if frame.end_line is not None and frame.end_column is not None:
            found |= {"endLine": frame.end_line - 1 + self._line_base, "endColumn": frame.end_column - 1 + self._column_base}
        if frame.owner != "yours":
            found["presentationHint"] = "subtle"
        found["source"] = self._source(frame)
        return found

    def _source(self, frame: Frame) -> dict[str, Any]:
        """Return where a frame's text is: the file, while it is the one that failed, else the text that was kept."""
        name = visible(
            os.path.basename(frame.file)
            if frame.cell is None
            else at(os.path.basename(frame.file), None) + f", cell {frame.cell + 1}"
        )
        path = frame.file if os.path.isabs(frame.file) else str(Path(self.kept.folder) / frame.file)
        hint = {} if frame.owner == "yours" else {"presentationHint": "deemphasize"}
        if (
            frame.cell is None
            and os.path.isfile(path)
            and (frame.file not in self.kept.texts or unchanged(self.kept, frame.file))
        ):
            return {"name": name, "path": path, **hint}
        text = sources_of(self.kept).text(frame.file, frame.cell)
        if text is None:
            return {"name": name, **hint}
        if text not in self._texts:
            self._texts.append(text)
        return {"name": name, "sourceReference": self._texts.index(text) + 1, "origin": "as it was when it failed", **hint}

    def source(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Return a text that is kept here only."""
        number = int(arguments.get("sourceReference") or (arguments.get("source") or {}).get("sourceReference") or 0)
        if not 1 <= number <= len(self._texts):
            raise Refused("no such source")
        return {"content": self._texts[number - 1]}

    def scopes(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Return a frame's values; for one's own failing line also the way of the bad value and the keys."""
        thread, index = divmod(int(arguments["frameId"]), _FRAMES)
        jam = self._jam(thread)
        if index >= len(jam.frames):
            return {"scopes": []}
        values = [self._variable(value) for value in jam.frames[index].values]
        found = [
            {"name": "Values", "presentationHint": "locals", "expensive": False, "variablesReference": self._refer(values)}
        ]
        if index == jam.snag:
            if jam.roots:
                root = jam.roots[0]
                steps = [
                    (at(step.file, step.line, step.cell), f"{WORDS.get(step.what, step.what)}  {step.text}")
                    for step in root.steps
                ]
                rows = [("root", f"{at(root.file, root.line, root.cell)}: {root.reason}"), *steps]
                found.append(
                    {"name": "Where it comes from", "expensive": False, "variablesReference": self._refer(_rows(rows))}
                )
            if jam.keys:
                rows = [(str(number), key.title) for number, key in enumerate(jam.keys, 1)]
                found.append({"name": "Keys", "expensive": False, "variablesReference": self._refer(_rows(rows))})
        return {"scopes": found}

    def _variable(self, value: Value) -> dict[str, Any]:
        rows = [("length", str(value.length))] if value.length is not None else []
        rows += [("shape", " x ".join(map(str, value.shape)))] if value.shape is not None else []
        rows += [("dtype", value.dtype)] if value.dtype else []
        rows += [("members", ", ".join(value.members[:100]))] if value.members else []
        return {
            "name": visible(value.name),
            "value": visible(value.text),
            "type": visible(sort_of(value)),
            "variablesReference": self._refer(_rows(rows)),
        }

    def _refer(self, rows: list[dict[str, Any]]) -> int:
        if not rows:
            return 0
        self._references.append(rows)
        return len(self._references)

    def variables(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Return the rows behind a reference."""
        number = int(arguments["variablesReference"])
        if not 1 <= number <= len(self._references):
            raise Refused("no such values")
        start, count = int(arguments.get("start") or 0), int(arguments.get("count") or 0)
        return {"variables": self._references[number - 1][start : start + count if count else None]}

    def exception(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Return type, message, meaning and chain of a thread's exception."""
        jam = self._jam(int(arguments["threadId"]))
        text = (jam.message or "") + (f"\n\n{jam.meaning}" if jam.meaning else "")
        return {
            "exceptionId": jam.exception_type or jam.kind or "failure",
            "description": visible(text).replace("\\x0a", "\n"),
            "breakMode": "unhandled",
            "details": _details(jam),
        }

    def evaluate(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Return the recorded value of a name; nothing is evaluated."""
        thread, index = divmod(int(arguments.get("frameId") or len(self.kept.jams) * _FRAMES), _FRAMES)
        jam = self._jam(thread)
        looker = Looker(jam, sources_of(self.kept))
        looker.place = index if index < len(jam.frames) and arguments.get("frameId") else looker.place
        asked = looker.seat.value(looker.place, str(arguments.get("expression", "")))
        if asked.value is None:
            raise Refused(asked.error)
        found = self._variable(asked.value)
        return {"result": found["value"], "type": found["type"], "variablesReference": found["variablesReference"]}

    def end(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """The client leaves."""
        self._after.append(lambda: self._event("terminated"))
        self._ended = True
        return {}

    def nothing(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Accept what has no effect here."""
        return {}


def _rows(pairs: list[tuple[str, str]]) -> list[dict[str, Any]]:
    return [{"name": visible(name), "value": visible(text), "variablesReference": 0} for name, text in pairs]


def _details(jam: Jam) -> dict[str, Any]:
    inner = [_details(link.jam) for link in jam.chain[:5]]
    kind = jam.exception_type or jam.kind or "failure"
    found = {
        "message": visible(jam.message or ""),
        "typeName": kind.rpartition(".")[2],
        "fullTypeName": kind,
        "stackTrace": trace_of(jam),
    }
    return {**found, "innerException": inner} if inner else found


_RUNNING = set(
    "continue next stepIn stepOut stepBack reverseContinue pause goto restart restartFrame setVariable setExpression".split()
)
_HANDLERS: dict[str, Callable[[Adapter, dict[str, Any]], dict[str, Any]]] = {
    "initialize": Adapter.initialize,
    "launch": Adapter.launch,
    "attach": Adapter.launch,
    "configurationDone": Adapter.configured,
    "setBreakpoints": Adapter.breakpoints,
    "setFunctionBreakpoints": Adapter.breakpoints,
    "setExceptionBreakpoints": Adapter.nothing,
    "threads": Adapter.threads,
    "stackTrace": Adapter.stack,
    "source": Adapter.source,
    "scopes": Adapter.scopes,
    "variables": Adapter.variables,
    "exceptionInfo": Adapter.exception,
    "evaluate": Adapter.evaluate,
    "cancel": Adapter.nothing,
    "disconnect": Adapter.end,
    "terminate": Adapter.end,
}
