"""What a program may read: bytes at hand, or what comes on our own standard input, taken when it is asked for."""

from __future__ import annotations

import contextlib
import os
import sys
import threading
import time
from typing import IO

#: Bytes of input that are kept for further runs; what comes after them no run gets.
MOST_KEPT = 64 * 1024 * 1024
_PIECE = 65536


class Typed:
    """An input that is read as far as a program asks, and kept, so that every further run gets the same from the start.

    Nothing waits for its end before the program runs: a pipe may stay open for ever.
    """

    def __init__(self, handle: int | None = None, kept: bytes = b"") -> None:
        """Take a file descriptor to read from; without one the kept bytes are all there is."""
        self._handle = handle
        self._kept = bytearray(kept)
        self._ended = handle is None
        self._wanted = 0
        self._changed = threading.Condition()
        self._reader: threading.Thread | None = None

    @classmethod
    def here(cls) -> Typed:
        """Return our own standard input; an empty one where there is none, or where a person sits at it."""
        try:
            handle = sys.stdin.fileno() if sys.stdin is not None else None
        except (OSError, ValueError):
            handle = None
        return cls(None if handle is None or os.isatty(handle) else handle)

    def feed(self, stream: IO[bytes], ended: threading.Event) -> None:
        """Write the input to a program's stream until there is no more, or the program has ended; close the stream."""
        place = 0
        with contextlib.suppress(OSError, ValueError):
            while not ended.is_set():
                piece = self._piece(place, ended)
                if not piece:
                    break
                stream.write(piece)
                stream.flush()
                place += len(piece)
        with contextlib.suppress(OSError, ValueError):
            stream.close()

    def rest(self, seconds: float) -> bytes:
        """Return what has come, after waiting up to some seconds for the rest."""
        until = time.monotonic() + seconds
        with self._changed:
            while not self._ended and len(self._kept) < MOST_KEPT and (left := until - time.monotonic()) > 0:
                self._ask(len(self._kept) + 1)
                self._changed.wait(left)
            return bytes(self._kept)

    def _piece(self, place: int, ended: threading.Event) -> bytes:
        with self._changed:
            while place >= len(self._kept) and not self._ended and place < MOST_KEPT and not ended.is_set():
                self._ask(place + 1)
                self._changed.wait(0.5)
            return bytes(self._kept[place : place + _PIECE])

    def _ask(self, wanted: int) -> None:
        self._wanted = max(self._wanted, wanted)
        if self._reader is None:
            self._reader = threading.Thread(target=self._read, daemon=True)
            self._reader.start()
        self._changed.notify_all()

    def _read(self) -> None:
        handle = self._handle
        while handle is not None:
            with self._changed:
                while self._wanted <= len(self._kept):
                    self._changed.wait()
            try:
                piece = os.read(handle, _PIECE)
            except OSError:
                piece = b""
            with self._changed:
                self._kept += piece
                self._ended = self._ended or not piece
                self._changed.notify_all()
                if not piece:
                    return
