"""How long own work may go on: counted in the time the machine gave us, so that a busy one finds the same."""

from __future__ import annotations

import math
import time

#: Whatever little time the machine gives: after so many times the seconds it is over all the same.
LONGEST = 8.0


class Budget:
    """An allowance of processor time of the thread that works, from its making on.

    What others take of a busy machine is not counted, so that the same text gives the same reading there; waiting is
    not counted either, but after `LONGEST` times as long on the clock the allowance is spent.

    Args:
        seconds: of work; infinite for no end.
    """

    def __init__(self, seconds: float = math.inf) -> None:
        self.seconds = seconds
        self._work = time.thread_time()
        self._clock = time.monotonic()

    def spent(self, times: float = 1.0) -> bool:
        """Tell whether the seconds, so many times, have been used."""
        most = self.seconds * times
        return time.thread_time() - self._work > most or time.monotonic() - self._clock > LONGEST * most
