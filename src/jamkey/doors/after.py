"""After a run that jammed: read it, show it, save it."""

from __future__ import annotations

import os
from pathlib import Path

TYPE_CHECKING = False

from jamkey.after import diagnose_run, project_of
from jamkey.doors.common import save_all
from jamkey.follow.sources import Sources
from jamkey.live.launch import Ended
from jamkey.live.target import Target
from jamkey.phrases import table
from jamkey.settings import load
from jamkey.views.terminal import console, show

if TYPE_CHECKING:
    from jamkey.doors.quick import Call


def warm() -> None:
    """Read the phrase tables ahead, while the program still runs."""
    table("python")


def after_run(call: Call, target: Target, ended: Ended) -> None:
    """Show the readings on standard error; without one, let the program's own output stand."""
    cwd = Path.cwd()
    root = project_of(target, cwd)
    jams = diagnose_run(ended.stderr, ended.wire, root, target=target, status=ended.status, settings=load(cwd), stdin=ended.stdin)
    if call.again and jams:
        from jamkey.session import again

        jams = [*jams[:-1], again(jams[-1], target, root, stdin=ended.stdin, limit=max(10.0, 60 * ended.seconds))]
    sources = Sources(root)
    out = console(stderr=True)
    if not jams:
        os.write(2, ended.held)
        if ended.hit_limit:
            out.print(f"jamkey: stopped at the limit after {ended.seconds:.1f} s; it left no trace to read")
        return
    if ended.held:
        _write_around(ended.held, jams[0].first_line, jams[-1].last_line, ended.stderr)
    out.print()
    show(jams, sources, out)
    if target.script is not None and any(key.edits for jam in jams for key in jam.keys):
        out.print()
        out.print(f"           Try the keys on a copy: jamkey fix {_as_typed(call)}", style="dim")
    save_all(call.save, jams, sources)


def _write_around(held: bytes, first: int | None, last: int | None, stderr: bytes) -> None:
    """Show what was held back except the trace itself, which the reading replaces."""
    if first is None or last is None:
        return
    lines = stderr.split(b"\n")
    before = len(stderr) - len(held)
    start = stderr.count(b"\n", 0, before)
    rest = lines[start : first - 1] + lines[last:]
    text = b"\n".join(rest).strip(b"\n")
    if text:
        os.write(2, text + b"\n")


def _as_typed(call: Call) -> str:
    import shlex

    words = [call.script or "", *call.args]
    if call.command is not None:
        words = ["--", *call.command]
    elif call.module is not None:
        words = ["-m", call.module, *call.args]
    if call.python:
        words = ["--python", call.python, *words]
    return shlex.join(words)
