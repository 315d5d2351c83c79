"""A compiled program that failed, or did not end, is built and run once more, on a copy: where it stopped, what it held."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import msgspec

from jamkey.follow.recorded_values import filled
from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.languages.traits import traits_of
from jamkey.model import Frame, Jam, Value
from jamkey.observe.compiled import SIGNALS, main_files
from jamkey.observe.native import INTERRUPTED, Stopped, is_built, stand_in, stopped
from jamkey.observe.target import Target, own_runner
from jamkey.pipeline import read
from jamkey.trials.scratch import Scratch, scratch

#: Seconds that a second run may take, beside those after which it is interrupted.
_SECOND = 20.0


def with_stop(jam: Jam, target: Target, root: Path, stdin: bytes, unguarded: bool) -> Jam:
    """Return the jam with what a second run under the debugger finds; as it is where that tells nothing.

    Args:
        jam: of a compiled program, as printed.
        target: what was run.
        root: the project folder.
        stdin: what it read.
        unguarded: run it also where nothing holds it in its folders.

    Raises:
        OSError: the program cannot be started.
        NoSandbox: nothing can hold it here, and `unguarded` is not said.
    """
    for again in (*(() if target.is_debugged else (target,)), *_by_source(target, root)):
        told, seen = _seen(jam, again, root, stdin, unguarded, checked=False)
        if any(frame.line is not None for frame in jam.frames):
            frames, facts = filled(jam.frames, seen), jam.facts
        elif traits_of(jam.runtime).has_checkers and jam.kind == "memory-misuse":
            # the checkers stop it where memory is first misused, which may be before the signal; they hide some names
            told, misused = _seen(jam, again, root, stdin, unguarded, checked=True)
            report = next((one for one in reversed(read(told, runtime="c")) if any(frame.line for frame in one.frames)), None)
            facts = {**report.facts, **jam.facts} if report is not None else jam.facts
            frames = _merged(filled(report.frames, misused) if report is not None else misused, seen) or seen
            seen = frames
        else:
            frames, facts = seen or jam.frames, jam.facts
        if seen:
            return msgspec.structs.replace(jam, frames=frames, facts=facts)
    return jam


def where_it_is(target: Target, root: Path, stdin: bytes, seconds: float, unguarded: bool) -> list[Jam]:
    """Return the hang of a program that did not end: where a second run is after as long, and what its names hold then.

    Args:
        target: what was run.
        root: the project folder.
        stdin: what it read.
        seconds: after which it was stopped.
        unguarded: run it also where nothing holds it in its folders.

    Raises:
        OSError: the program cannot be started.
        NoSandbox: nothing can hold it here, and `unguarded` is not said.
    """
    sources = Sources(root)
    if not any(traits_of(_runtime_of(name)).debugged for name in sources.files()):
        return []
    for again in (target, *_by_source(target, root)):
        with scratch(root, unguarded=unguarded) as place:
            stop = _stop(place, again, stdin, checked=False, hang=seconds)
            own = [frame for frame in stop.frames if frame.line is not None]
            if own and stop.by == INTERRUPTED:
                runtime = target.runtime if traits_of(target.runtime).debugged else _runtime_of(own[-1].file)
                frames = tuple(_held(frame, place.sources(), runtime) for frame in stop.frames)
                facts = {"busy": f"{stop.busy:.2f}"} if stop.busy is not None else {}
                return [Jam(runtime=runtime, phase="hang", kind="interrupted", frames=frames, facts=facts)]
    return []


def _runtime_of(file: str) -> str:
    """Return the runtime of a source that can run under a debugger, by its ending; empty for any other."""
    language = language_of(file)
    return language.name if language is not None and traits_of(language.name).debugged else ""


def _merged(frames: tuple[Frame, ...], plain: tuple[Frame, ...]) -> tuple[Frame, ...]:
    """Return the frames of the checked run, with the names that only the plain one could see."""
    found = []
    for frame, other in zip(frames, filled(frames, plain), strict=True):
        known = {value.name for value in frame.values}
        more = tuple(value for value in other.values if value.name not in known)
        found.append(msgspec.structs.replace(frame, values=frame.values + more))
    return tuple(found)


def _seen(
    jam: Jam, target: Target, root: Path, stdin: bytes, unguarded: bool, *, checked: bool
) -> tuple[str, tuple[Frame, ...]]:
    """Return what a second run printed, and the frames it stopped in."""
    with scratch(root, unguarded=unguarded) as place:
        stop = _stop(place, target, stdin, checked=checked)
        there = place.sources()
        likewise = checked or _is_likewise(jam, stop)
        frames = tuple(_held(frame, there, jam.runtime) for frame in stop.frames) if likewise else ()
        return stop.said.replace(f"{place.project}{os.sep}", ""), frames


def _is_likewise(jam: Jam, stop: Stopped) -> bool:
    """Tell whether a second run ended as the first did, as far as the first says; else it went another way."""
    types = [jam.exception_type, *(link.jam.exception_type for link in jam.chain)]
    if stop.by and stop.by not in SIGNALS:
        return stop.by.rpartition(".")[2] in [(one or "").rpartition(".")[2] for one in types]
    told = next((name for name, words in SIGNALS.items() if name in types or words in (jam.wording or "")), "")
    return told in ("", stop.by)


def _by_source(target: Target, root: Path) -> list[Target]:
    """Return how the only program of the folder is built, where the command itself builds none."""
    if target.script is not None:
        return []
    files = main_files(root)
    return [Target(own_runner("compiled", files[0].name), own_runner("")[0], None, "c")] if len(files) == 1 else []


def _stop(place: Scratch, target: Target, stdin: bytes, *, checked: bool, hang: float = 0.0) -> Stopped:
    for word in {word for part in target.argv for word in part.split()}:
        program = place.root / word
        if not checked and program.is_file() and program.is_relative_to(place.root) and is_built(program):
            aside = place.folder / f"{program.name}.built"
            shutil.copy2(program, aside)
            place.put(os.path.normpath(word), stand_in(program, aside, place.folder), "")
    asked = {"JAMKEY_HANG": f"{hang:.1f}"} if hang else {}
    return stopped(
        place.folder, lambda env: place.run(target, stdin=stdin, limit=_SECOND + hang, env={**env, **asked}), checked=checked
    )


def _held(frame: Frame, sources: Sources, runtime: str) -> Frame:
    """Name the file as the project does, and leave out what had not been set when the program stopped."""
    file = sources.resolve(frame.file) or frame.file
    code = sources.code(file, runtime)
    if code is None or frame.line is None:
        return msgspec.structs.replace(frame, file=file)
    line = frame.line
    scope = code.scope_at(line)

    def is_set(value: Value) -> bool:
        made = [item for item in code.definitions(value.name) if item.scope == scope]
        return not made or any(item.span.line < line or item.sort in ("parameter", "loop") for item in made)

    return msgspec.structs.replace(frame, file=file, values=tuple(value for value in frame.values if is_set(value)))
