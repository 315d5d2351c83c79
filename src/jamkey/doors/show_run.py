"""After a run that jammed: read it, show it, save it."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

TYPE_CHECKING = False

import msgspec

from jamkey.doors.call import save_all
from jamkey.errors import JamkeyError
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.observe.launch import Ended
from jamkey.observe.target import Target
from jamkey.observe.wire import fault_text, worded
from jamkey.phrases import table
from jamkey.runs.read_run import diagnose_run, project_of
from jamkey.secrets import masked
from jamkey.settings import Settings, load
from jamkey.views.terminal import console, show

if TYPE_CHECKING:
    from jamkey.doors.run_call import Call


def warm() -> None:
    """Read the phrase tables ahead, while the program still runs."""
    table("python")


def after_run(call: Call, target: Target, ended: Ended) -> None:
    """Show the readings on standard error; without one, let the program's own output stand."""
    cwd = Path.cwd()
    root = project_of(target, cwd)
    settings = _settings(cwd, call)
    words = worded(ended.wire) if ended.worded else []
    printed = ended.stderr or "".join(words).encode("utf-8", "replace")
    last = "".join(words[-1:]).encode("utf-8", "replace") if ended.unprinted else b""
    try:
        jams = diagnose_run(
            printed + fault_text(ended.wire),
            ended.wire,
            root,
            target=target,
            status=ended.status,
            settings=settings,
            stdin=ended.stdin,
            hung=ended.seconds if ended.hit_limit or ended.interrupted else 0.0,
        )
        if not jams and not ended.hit_limit and not ended.interrupted:
            from jamkey.runs.printed_elsewhere import printed_elsewhere

            jams = printed_elsewhere(
                target, root, status=ended.status, stderr=printed, stdin=ended.stdin, seconds=ended.seconds, settings=settings
            )
        if call.again and jams:
            jams = [*jams[:-1], _once_more(call, jams[-1], target, root, ended, settings)]
    except BaseException:
        os.write(2, last)  # what a reading should have replaced
        raise
    sources = Sources(root)
    sources.printed = printed.decode("utf-8", "replace")
    out = console(stderr=True)
    if not jams:
        os.write(2, last)
        if ended.hit_limit:
            out.print(f"jamkey: stopped at the limit after {ended.seconds:.1f} s; it left no trace to read")
        return
    out.print()
    show(jams, sources, out, link=settings.link)
    # what was stopped by hand would run for ever again
    if target.script is not None and any(jam.snag is not None and (call.limit or jam.phase != "hang") for jam in jams):
        out.print()
        known = any(key.edits for jam in jams for key in jam.keys)
        what = "Try the keys on a copy" if known else "Look for an edit and try it on a copy"
        limit = f"--limit {call.limit} " if call.limit else ""
        out.print(f"           {what}: jamkey fix {limit}{as_typed(call)}", style="dim")
    try:
        save_all(call.save, jams, sources)
    except JamkeyError as error:
        os.write(2, f"jamkey: {error}\n".encode())
    keep_quietly(call, jams, sources, target)
    if call.open:
        from jamkey.doors.editor import open_place

        open_place(jams[-1], sources, settings)


def _settings(cwd: Path, call: Call) -> Settings:
    """Return the project's settings; odd ones were told before the run."""
    try:
        settings = load(cwd)
    except JamkeyError:
        settings = Settings()
    return msgspec.structs.replace(settings, unguarded=settings.unguarded or call.unguarded)


def _once_more(call: Call, jam: Jam, target: Target, root: Path, ended: Ended, settings: Settings) -> Jam:
    from jamkey.errors import NoSandbox
    from jamkey.runs.fix_loop import again

    seconds = ended.seconds if jam.phase == "hang" else max(10.0, 60 * ended.seconds)
    try:
        return again(jam, target, root, stdin=ended.stdin, limit=seconds, unguarded=settings.unguarded)
    except NoSandbox as error:
        os.write(2, f"jamkey: not run again: {error}; --unguarded runs it all the same\n".encode())
        return jam


def keep_quietly(call: Call, jams: Sequence[Jam], sources: Sources, target: Target) -> None:
    """Keep a reading; what keeps that from happening is one line on standard error, and changes nothing else."""
    if call.no_keep:
        return
    from jamkey.runs.journaled import keep

    try:
        keep(jams, sources, load(Path.cwd()), door="run", target=target, command=as_typed(call), soon=True)
    except (JamkeyError, OSError) as error:
        os.write(2, f"jamkey: this reading is not kept: {error}\n".encode())


def with_doubts(call: Call, target: Target, limit: float) -> int:
    """Run, pass on what it prints, then show its failure or what may have gone quietly wrong; return the exit status."""

    from jamkey.observe.typed import Typed
    from jamkey.runs.fix_loop import run_captured
    from jamkey.runs.journaled import ended_well
    from jamkey.runs.surely import check_claims

    check_claims(call.sure)
    outcome = run_captured(
        target,
        Path.cwd(),
        stdin=Typed.here(),
        limit=limit,
        echo=True,
        settings=_settings(Path.cwd(), call),
        doubts=call.doubts,
        sure=call.sure,
    )
    sources = Sources(outcome.root)
    sources.printed = outcome.ended.stderr.decode("utf-8", "replace")
    out = console(stderr=True)
    if outcome.jams:
        out.print()
        show(outcome.jams, sources, out)
        keep_quietly(call, outcome.jams, sources, target)
    elif outcome.status == 0:
        ended_well(target)
        if call.doubts:
            out.print("jamkey: nothing that looks wrong in what it printed or in its source", style="dim")
    for claim in outcome.claims:
        if claim.holds or not claim.line:
            out.print(f"jamkey: {masked(claim.told())}", style="dim" if claim.holds else "", markup=False)
    save_all(call.save, outcome.jams, sources)
    return 124 if outcome.ended.hit_limit else outcome.status


def as_typed(call: Call) -> str:
    """Return the call's program and arguments as one types them."""
    import shlex

    words = [call.script or "", *call.args]
    if call.command is not None:
        words = ["--", *call.command]
    elif call.module is not None:
        words = ["-m", call.module, *call.args]
    if call.python:
        words = ["--python", call.python, *words]
    return shlex.join(words)
