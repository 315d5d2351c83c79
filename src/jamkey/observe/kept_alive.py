"""The parent's end of a failed program that is kept alive: a socket over which its frames are asked."""

from __future__ import annotations

import contextlib
import os
import shutil
import socket
from collections.abc import Sequence
from typing import Any

import msgspec

from jamkey import system
from jamkey.model import Frame, Value
from jamkey.observe.wire import described


class Stayed:
    """Waits for the program to fail and to answer questions. Close it when all is asked."""

    def __init__(self) -> None:
        self._listening, self.address = system.listening()
        self._listening.listen(1)
        self._listening.setblocking(False)
        self._stream: Any = None
        self._asked = 0
        self._channel: socket.socket | None = None

    def ready(self) -> bool:
        """Tell whether the program has failed and waits for questions."""
        if self._stream is not None:
            return True
        try:
            channel, _ = self._listening.accept()
        except OSError:
            return False
        channel.setblocking(True)
        stream = channel.makefile("rwb")
        port, colon, word = self.address.rpartition(":")
        if colon and port.isdigit() and stream.readline().decode("ascii", "replace").strip() != word:
            channel.close()  # somebody else on this machine
            return False
        self._channel, self._stream = channel, stream
        return True

    def ask(self, **question: object) -> dict[str, Any]:
        """Return the answer to a question; {"error": text} when there is none."""
        self._asked += 1
        try:
            self._stream.write(msgspec.json.encode({**question, "number": self._asked}) + b"\n")
            self._stream.flush()
            while line := self._stream.readline():
                answer = msgspec.json.decode(line)
                # a key pressed at the wrong moment may have answered an earlier question twice
                if isinstance(answer, dict) and answer.get("number") in (self._asked, 0):
                    return answer
        except (OSError, msgspec.MsgspecError):
            pass
        return {"error": "the program has ended"}

    def values(self, index: int) -> tuple[Value, ...]:
        """Return the values of a frame of the program, counted from the outside."""
        return described(msgspec.json.encode(self.ask(ask="values", frame=index).get("values", [])))

    def places(self, frames: Sequence[Frame]) -> dict[int, int]:
        """Return frame of the reading -> frame of the program; matched from the innermost on, as the outer ones may be cut."""
        there = self.ask(ask="frames").get("frames", [])
        found: dict[int, int] = {}
        other = len(there) - 1
        for index in range(len(frames) - 1, -1, -1):
            frame = frames[index]
            position = other
            while position >= 0 and not _same(frame, there[position]):
                position -= 1
            if position >= 0:
                found[index] = position
                other = position - 1
        return found

    def close(self) -> None:
        """Let the program go and remove the socket; closing twice is no harm."""
        if self._stream is not None:
            with contextlib.suppress(OSError):
                self._stream.write(b'{"ask": "leave"}\n')
                self._stream.flush()
                self._stream.close()
            self._stream = None
        if self._channel is not None:
            self._channel.close()
        self._listening.close()
        if os.path.isabs(self.address):
            shutil.rmtree(os.path.dirname(self.address), ignore_errors=True)


def _same(frame: Frame, there: Sequence[Any]) -> bool:
    return bool(os.path.basename(str(there[0])) == os.path.basename(frame.file) and there[1] == frame.line)
