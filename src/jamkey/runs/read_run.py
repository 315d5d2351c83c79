"""What a run left behind, read: printed text and the agent's records joined, diagnosed."""

from __future__ import annotations

import contextlib
import os
import re
from pathlib import Path

import msgspec

from jamkey.errors import NoSandbox
from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.late import pattern
from jamkey.model import Jam
from jamkey.observe.launch import SWALLOWED
from jamkey.observe.target import Target
from jamkey.observe.wire import join, read_records
from jamkey.pipeline import diagnose, named, read
from jamkey.settings import Settings
from jamkey.text import decode

#: Seconds that a second run may take.
_SECOND = 20.0
#: What a debugger, who ends well himself, says where programs print.
_SIGNAL = pattern(r"^(?:Program|Thread \d{1,6}[^\n]{0,80}) received signal SIG(?!INT|TRAP|STOP)", re.M)
#: Signal -> what a shell says of a program that it ended.
_SIGNALS = {4: "Illegal instruction", 6: "Aborted", 7: "Bus error", 8: "Floating point exception", 11: "Segmentation fault"}
#: Frames asked for where a runtime printed none.
_FRAMES = 12


def project_of(target: Target, cwd: Path) -> Path:
    """Return the project folder: the working folder, or the script's own when it lies elsewhere."""
    if target.script is not None:
        script = Path(os.path.abspath(target.script))
        if not script.is_relative_to(cwd.resolve()) and not script.is_relative_to(cwd):
            return script.parent
    return cwd


def jams_of(
    stderr: bytes, wire: str, *, target: Target, status: int, stdout: bytes = b"", sources: Sources | None = None
) -> list[Jam]:
    """Return the failures of a run: printed and recorded ones joined, kinds named, a notebook's cells found."""
    if target.is_other:
        return _of_another_runtime(stderr, stdout, wire, target=target, status=status, sources=sources)
    jams = _jams_of(stderr, wire, runtime=target.runtime, status=status, stdout=stdout)
    if target.notebook is not None and sources is not None:
        from jamkey.follow.cell_module import numbered

        return numbered(jams, sources, os.path.basename(target.notebook))
    return jams


def _of_another_runtime(
    stderr: bytes, stdout: bytes, wire: str, *, target: Target, status: int, sources: Sources | None
) -> list[Jam]:
    """Read what a runtime printed; what its agent saw of the last failure is added."""
    recorded = read_records(wire)
    jams = _jams_of(stderr, "", runtime=target.runtime, status=status, stdout=stdout)
    if status == 0 or not recorded or not jams:
        return jams
    from jamkey.follow.recorded_values import with_seen

    return [*jams[:-1], with_seen(jams[-1], recorded[-1], sources or Sources(), target.script or "")]


def _jams_of(stderr: bytes, wire: str, *, runtime: str, status: int, stdout: bytes = b"") -> list[Jam]:
    recorded = read_records(wire)
    if status == 0 and not recorded:
        # a program that ends well may still have printed the traces it handled
        texts = [decode(printed) if b"\0" not in printed else "" for printed in (stderr, stdout)]
        asked = [texts[0]] if _unhandled(texts[0]) else ["".join(reversed(texts))] if _SIGNAL.search(texts[1]) else []
        return [jam for text in asked for jam in read(text, runtime=runtime or None)]
    text = stderr.decode("utf-8", "replace")
    printed = read(text, runtime=runtime or None)
    if not printed and not recorded and status != 0 and stdout:
        printed = read(stdout.decode("utf-8", "replace"), runtime=runtime or None)
    if not printed and not recorded and status != 0 and runtime:
        printed = read(text)  # what it started, and passed on, may be of another runtime
    return [named(jam) for jam in join(printed, recorded)]


def _unhandled(text: str) -> bool:
    """Tell a failure nobody handled (a thread's, a task's, a page's) from a trace the program chose to print."""
    return any(words.decode() in text for words in SWALLOWED) or (":CONSOLE" in text and '"Uncaught ' in text)


def diagnose_run(
    stderr: bytes,
    wire: str,
    root: Path,
    *,
    target: Target,
    status: int,
    stdout: bytes = b"",
    settings: Settings | None = None,
    stdin: bytes = b"",
    hung: float = 0.0,
) -> list[Jam]:
    """Read and diagnose the failures of a run.

    Args:
        stderr: what it printed there.
        wire: the agent's file.
        root: the project folder.
        target: what was run.
        status: how it ended.
        stdout: what it printed.
        settings: the project's.
        stdin: what it read.
        hung: seconds after which it was stopped because it did not end; 0 for none.
    """
    sources = Sources(root)
    unguarded = settings.unguarded if settings is not None else False
    jams = jams_of(stderr, wire, target=target, status=status, stdout=stdout, sources=sources)
    if not jams and not hung and not target.is_python and (signal := _SIGNALS.get(_ended_by(status, stderr))):
        # who is told how it ended is a shell, and there was none
        jams = [named(jam) for jam in read(f"{signal}\n", runtime=target.runtime or "c")]
    if not jams and status > 0 and not hung:
        from jamkey.words_alone import from_words

        runtime = "python" if target.is_python else target.runtime
        words = [from_words(printed.decode("utf-8", "replace"), sources, runtime or None) for printed in (stderr, stdout)]
        jams = [found for found in words if found is not None][:1]
    if not jams and hung and traits_of(target.runtime).asked_when_hung and target.script is not None:
        with contextlib.suppress(NoSandbox, OSError):
            jams = _asked_where(target, root, stdin, hung, unguarded)
    if not jams and hung and (traits_of(target.runtime).debugged or not target.runtime):
        from jamkey.runs.stopped_program import where_it_is

        with contextlib.suppress(NoSandbox, OSError):
            jams = where_it_is(target, root, stdin, hung, unguarded)
    if (
        jams
        and traits_of(jams[-1].runtime).debugged
        and (status or target.is_debugged)
        and jams[-1].phase == "run"
        and not hung
    ):
        from jamkey.runs.stopped_program import with_stop

        with contextlib.suppress(NoSandbox, OSError):
            jams = [*jams[:-1], with_stop(jams[-1], target, root, stdin, unguarded)]
    if jams and traits_of(jams[-1].runtime).noted and status and jams[-1].phase == "run" and not hung:
        from jamkey.runs.noted_run import with_notes

        with contextlib.suppress(NoSandbox, OSError):
            jams = [*jams[:-1], with_notes(jams[-1], target, root, stdin, unguarded)]
    if traits_of(target.runtime).asked_for_values and jams and status != 0:
        with contextlib.suppress(NoSandbox, OSError):
            jams = [*jams[:-1], _asked_octave(jams[-1], target, root, unguarded)]
    return [diagnose(jam, sources, settings) for jam in jams]


def _ended_by(status: int, stderr: bytes) -> int:
    """Return the signal that ended a program, 0 for none; a shell's status tells it too, where the shell said nothing."""
    return -status if status < 0 else status - 128 if status > 128 and not stderr.strip() else 0


def _asked_where(target: Target, root: Path, stdin: bytes, seconds: float, unguarded: bool) -> list[Jam]:
    """A program that did not end says nothing when it is stopped: run its copy again and ask the runtime where it is."""
    from jamkey.trials.scratch import scratch

    with scratch(root, unguarded=unguarded) as place:
        notes = place.folder / "notes"
        env = {"JAMKEY_HANG": f"{seconds:.1f}", "JAMKEY_NOTES": str(notes)}
        ended = place.run(target, stdin=stdin, limit=seconds + _SECOND, env=env)
        found = read_records(ended.wire)[-1:]
        if not found:
            # no agent: the runtime itself has printed where it was
            stopped = read(ended.stderr.decode("utf-8", "replace"), runtime=target.runtime)[-1:]
            found = [
                msgspec.structs.replace(jam, phase="hang", kind="interrupted", exception_type=None, message=None)
                for jam in stopped
            ]
        there = place.sources()
        jams = []
        for jam in found if not found or found[0].phase == "hang" else ():
            frames = tuple(msgspec.structs.replace(frame, file=there.resolve(frame.file) or frame.file) for frame in jam.frames)
            if traits_of(jam.runtime).frames_by_call:
                from jamkey.follow.recorded_values import in_script

                script = os.path.basename(target.script or "")
                frames = tuple(
                    in_script(msgspec.structs.replace(frame, file=script) if frame.line else frame, there, script)
                    for frame in frames
                )
                frames = tuple(frame for frame in frames if frame.line is not None)
            jams.append(msgspec.structs.replace(jam, frames=frames))
        if jams and notes.exists():
            from jamkey.runs.noted_run import frames_noted

            jams[-1] = msgspec.structs.replace(jams[-1], frames=frames_noted(notes, there) or jams[-1].frames)
    return jams


def _asked_octave(jam: Jam, target: Target, root: Path, unguarded: bool) -> Jam:
    """Give the frames of Octave functions what a second run, on a copy, finds there; where none is told, all frames."""
    inner = [index for index, frame in enumerate(jam.frames) if frame.line is not None]
    if len(inner) == 1 or jam.phase != "run":
        return jam
    from jamkey.observe.octave import stopped_frames
    from jamkey.trials.scratch import scratch

    with scratch(root, unguarded=unguarded) as place:
        found = stopped_frames(
            place.target(target),
            lambda asked, given: place.run(asked, stdin=given, limit=_SECOND, env={"JAMKEY_LOOK": "1"}),
            len(inner) or _FRAMES,
            jam.message or "",
        )
        if not inner:
            there = place.sources()
            frames = [msgspec.structs.replace(frame, file=there.resolve(frame.file) or frame.file) for frame in reversed(found)]
            # what the script held at its end is what its own frame held
            script = next((frame for frame in jam.frames if frame.values), None)
            if frames and script is not None and not frames[0].values:
                frames[0] = msgspec.structs.replace(frames[0], values=script.values)
            return msgspec.structs.replace(jam, frames=tuple(frames)) if frames else jam
    frames = list(jam.frames)
    for index, frame in zip(reversed(inner), found, strict=False):
        frames[index] = msgspec.structs.replace(frames[index], values=frame.values or frames[index].values)
    return msgspec.structs.replace(jam, frames=tuple(frames))
