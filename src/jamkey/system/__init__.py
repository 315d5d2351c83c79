"""What only one operating system offers, behind one small interface: processes, signals, locks, the places of temporary files.

`posix` is the native one where it can be; `plain` stands in everywhere else, with nothing but what the language promises
on every system. JAMKEY_SYSTEM=plain takes the stand-in on any system: the tests run all commands with it.
"""

from __future__ import annotations

import os

TYPE_CHECKING = False
#: Whether the stand-in is used.
PLAIN = os.name != "posix" or os.environ.get("JAMKEY_SYSTEM") == "plain"

if PLAIN and not TYPE_CHECKING:
    from jamkey.system.plain import (
        TERMINAL,
        Child,
        apart,
        give_terminal,
        in_background,
        input_kind,
        interrupts_reach_us,
        is_superuser,
        is_trusted_owner,
        kill_group,
        leave_as,
        listening,
        locked,
        pass_signals,
        process_is_there,
        read_again,
        same_stream,
        share_blocks,
        start,
        temporary_folder,
        unwind_when_ended,
    )
else:
    from jamkey.system.posix import (
        TERMINAL,
        Child,
        apart,
        give_terminal,
        in_background,
        input_kind,
        interrupts_reach_us,
        is_superuser,
        is_trusted_owner,
        kill_group,
        leave_as,
        listening,
        locked,
        pass_signals,
        process_is_there,
        read_again,
        same_stream,
        share_blocks,
        start,
        temporary_folder,
        unwind_when_ended,
    )

__all__ = [
    "PLAIN",
    "TERMINAL",
    "Child",
    "apart",
    "give_terminal",
    "in_background",
    "input_kind",
    "interrupts_reach_us",
    "is_superuser",
    "is_trusted_owner",
    "kill_group",
    "leave_as",
    "listening",
    "locked",
    "pass_signals",
    "process_is_there",
    "read_again",
    "same_stream",
    "share_blocks",
    "start",
    "temporary_folder",
    "unwind_when_ended",
]
