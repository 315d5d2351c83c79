"""How a program that an agent runs has spent its life. Only the standard library is used."""

from __future__ import annotations

import os
import time


def busy(pid: int) -> float | None:
    """Return which share of its life a process has used a processor, None where the system does not tell."""
    try:
        with open(f"/proc/{pid}/stat", "rb") as handle:
            fields = handle.read().rpartition(b")")[2].split()
        tick = os.sysconf("SC_CLK_TCK")
        lived = time.clock_gettime(time.CLOCK_BOOTTIME) - int(fields[19]) / tick
        return (int(fields[11]) + int(fields[12])) / tick / max(lived, 0.1)
    except (OSError, ValueError, IndexError, AttributeError):
        return None
