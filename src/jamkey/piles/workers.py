"""Pieces looked at by several processes: of this machine, or by the workers of a Dask scheduler that is there.

Both are executors of the standard library's kind, and both may lose a worker: what it held is looked at again.
"""

from __future__ import annotations

import multiprocessing
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager, suppress
from functools import cache
from pathlib import Path
from typing import NamedTuple

from jamkey.errors import JamkeyError, UsageError
from jamkey.piles.files import PIECE, TYPED, Piece
from jamkey.piles.fold import Part, folded
from jamkey.piles.shapes import Looker

#: Pieces of one task at most: small logs are looked at many at once.
_MOST_PIECES = 200
#: Below so many bytes other processes are not worth their start.
_SMALL = 3 << 20
#: Tasks handed out for each worker, and how often workers may be lost.
_AHEAD, _LOSSES = 3, 5


class Asked(NamedTuple):
    """What is looked for, the same for every piece."""

    root: str
    places: bool = False
    since: float | None = None


class Task(NamedTuple):
    """Pieces looked at in one go."""

    pieces: tuple[Piece, ...]

    @property
    def bytes(self) -> int:
        """Bytes on the disk."""
        return sum(_bytes(piece) for piece in self.pieces)


def _bytes(piece: Piece) -> int:
    return piece.stop - piece.start if piece.stop >= 0 else piece.size


@cache
def _looker(asked: Asked) -> Looker:
    return Looker(Path(asked.root) if asked.root else None, places=asked.places, since=asked.since)


def look_at(asked: Asked, task: Task) -> Part:
    """Return what the pieces of a task hold: the one function that runs elsewhere."""
    return folded(map(_looker(asked).look, task.pieces))


def tasks_of(pieces: Sequence[Piece], most: int = PIECE) -> list[Task]:
    """Return tasks of about a piece's size each."""
    made: list[Task] = []
    held: list[Piece] = []
    size = 0
    for piece in pieces:
        if held and (size + _bytes(piece) > most or len(held) >= _MOST_PIECES):
            made.append(Task(tuple(held)))
            held, size = [], 0
        held.append(piece)
        size += _bytes(piece)
    return [*made, Task(tuple(held))] if held else made


def looked(
    tasks: Sequence[Task], asked: Asked, *, workers: int = 0, on: str = "", meanwhile: Callable[[], None] = lambda: None
) -> Iterator[tuple[Task, Part]]:
    """Look at tasks; yield each with what it holds, as they are done.

    Args:
        tasks: of `tasks_of`.
        asked: what is looked for.
        workers: processes; 0 for as many as there are processors.
        on: the address of a Dask scheduler; empty for this machine.
        meanwhile: called once other processes are at work.

    Raises:
        UsageError: the scheduler cannot be reached, or Dask is not installed.
        JamkeyError: a log cannot be read, or workers were lost again and again.
    """
    here = [task for task in tasks if any(piece.file == TYPED for piece in task.pieces)]
    rest = [task for task in tasks if task not in here] if here else list(tasks)
    for task in here:
        yield task, look_at(asked, task)
    count = workers or os.cpu_count() or 1
    if not on and (count == 1 or sum(task.bytes for task in rest) < _SMALL):
        for task in rest:
            yield task, look_at(asked, task)
        return
    lost = 0
    while rest:
        left = dict.fromkeys(rest)
        with suppress(BrokenProcessPool), _executor(count, on) as (executor, width):
            for task, part in _handed_out(executor, width, rest, asked, meanwhile):
                del left[task]
                yield task, part
        rest = list(left)
        lost += bool(rest)
        if lost > _LOSSES:
            raise JamkeyError(f"workers ended {lost} times before their piece was looked at: try --workers 1")


def _handed_out(
    executor: Executor, width: int, tasks: Sequence[Task], asked: Asked, meanwhile: Callable[[], None]
) -> Iterator[tuple[Task, Part]]:
    waiting = iter(tasks)
    idle = True
    running: dict[Future[Part], Task] = {}
    try:
        while True:
            while len(running) < _AHEAD * width and (task := next(waiting, None)) is not None:
                running[executor.submit(look_at, asked, task)] = task
            if not running:
                return
            if idle:
                meanwhile()
                idle = False
            for future in wait(running, return_when=FIRST_COMPLETED).done:
                yield running.pop(future), future.result()
    finally:
        for future in running:
            future.cancel()


@contextmanager
def _executor(count: int, on: str) -> Iterator[tuple[Executor, int]]:
    if not on:
        # a fork has all that is loaded already; elsewhere, and where threads run, processes begin anew
        method = "fork" if sys.platform.startswith("linux") else "spawn"
        with ProcessPoolExecutor(count, mp_context=multiprocessing.get_context(method)) as pool:
            yield pool, count
        return
    try:
        from distributed import Client
    except ImportError:
        raise UsageError("--on needs Dask, which is not installed: python -m pip install 'jamkey[cluster]'") from None
    try:
        client = Client(on, timeout=5, set_as_default=False)  # type: ignore[no-untyped-call]
    except (OSError, ValueError) as error:
        raise UsageError(f"--on {on}: no scheduler answers there ({str(error)[:200]})") from None
    with client:
        if not client.scheduler_info()["workers"]:
            raise UsageError(f"--on {on}: the scheduler has no workers; start one with `dask worker {on}`")
        executor = client.get_executor(pure=False, retries=_LOSSES)  # type: ignore[no-untyped-call]
        yield executor, max(len(client.scheduler_info()["workers"]), 1)
