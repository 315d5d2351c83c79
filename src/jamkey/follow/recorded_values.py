"""What a runtime's agent saw when the program failed, laid over what the runtime printed.

The agent knows the values, and often the line and column, of frames for which the runtime prints less.
"""

from __future__ import annotations

import os
import re

import msgspec

from jamkey.follow.sources import Sources
from jamkey.follow.unplaced import placed_by_words
from jamkey.languages.traits import traits_of
from jamkey.model import Frame, Jam
from jamkey.text import line_at

#: The fact that says that nothing is left to be found by words.
PLACED = "placed"


def with_seen(jam: Jam, seen: Jam, sources: Sources, script: str) -> Jam:
    """Return the printed jam with the places and values that the agent saw for the same failure.

    Args:
        jam: as read from the printed text.
        seen: the agent's record.
        sources: of the project.
        script: the path of the script that ran, for frames the runtime gives a line but no file.
    """
    if not _same(jam, seen):
        return jam
    own = tuple(_named(frame, sources, script) for frame in seen.frames)
    if jam.phase == "compile" and jam.frames and jam.frames[-1].line is not None:
        # where a text could not be read is printed; the agent saw what asked for it
        return msgspec.structs.replace(jam, runtime_version=seen.runtime_version)
    if not traits_of(jam.runtime).frames_by_call:
        frames = filled(jam.frames, own)
        return msgspec.structs.replace(jam, frames=frames or own, runtime_version=seen.runtime_version)
    own = tuple(in_script(frame, sources, script) for frame in own)
    placed = placed_by_words(jam, sources)
    frames = _of_functions(placed.frames, own, sources)
    frames = _marked(frames, jam.facts.get("name", ""), sources)
    facts = {**jam.facts, PLACED: "agent"} if all(frame.line is not None for frame in frames) else jam.facts
    return msgspec.structs.replace(jam, frames=frames, facts=facts, runtime_version=seen.runtime_version)


def _marked(frames: tuple[Frame, ...], name: str, sources: Sources) -> tuple[Frame, ...]:
    """R tells where a statement begins; the name that the message is about stands somewhere in it."""
    if not frames or not name or frames[-1].line is None:
        return frames
    row = line_at(sources.text(frames[-1].file) or "", frames[-1].line)
    found = re.search(rf"(?<![\w.]){re.escape(name)}(?![\w.])", row)
    if found is None:
        return frames
    return (
        *frames[:-1],
        msgspec.structs.replace(frames[-1], column=found.start() + 1, end_line=frames[-1].line, end_column=found.end() + 1),
    )


def _same(jam: Jam, seen: Jam) -> bool:
    printed, other = ("".join((text or "").split()) for text in (jam.wording, seen.message))
    return printed in other or other in printed


def _named(frame: Frame, sources: Sources, script: str) -> Frame:
    file = script if frame.file in ("<script>", "") and script and frame.line is not None else frame.file
    return msgspec.structs.replace(frame, file=sources.resolve(file) or file, function=frame.function or None)


def in_script(frame: Frame, sources: Sources, script: str) -> Frame:
    """R counts the lines of a script from the beginning of each expression at its top: find the line by its text."""
    file = sources.resolve(script) or script
    code = sources.code(file, "r")
    if frame.line is None or frame.file != file or code is None:
        return msgspec.structs.replace(frame, source=None)
    rows = code.text.split("\n")
    text = (frame.source or "").strip()
    same = [number for number, row in enumerate(rows, 1) if text and row.strip() == text]
    starts = [
        f.span.line for f in code.functions() if not any(o.span.line < f.span.line <= o.span.end_line for o in code.functions())
    ]
    expected = [start + frame.line - 1 for start in starts]
    line = next((number for number in same if number in expected), same[0] if same else None)
    if not frame.function and frame.line in same:
        line = frame.line  # outside of all functions the agent counts from the beginning of the file
    # a function that is handed over goes by another name inside of whoever calls it
    strange = not any(function.name == frame.function for function in code.functions())
    function = (code.scope_at(line) if line and strange else "") or frame.function
    return msgspec.structs.replace(frame, line=line, source=None, column=frame.column if line else None, function=function)


def filled(printed: tuple[Frame, ...], seen: tuple[Frame, ...]) -> tuple[Frame, ...]:
    """Give each printed frame the values of the seen one at its place, innermost first."""
    left = list(seen)
    found: list[Frame] = []
    for frame in reversed(printed):
        name = os.path.basename(frame.file)
        match = next(
            (
                other
                for other in reversed(left)
                if other.line == frame.line and os.path.basename(other.file) == name and frame.line
            ),
            None,
        )
        if match is None and frame.line is None and frame.function:
            match = next((other for other in reversed(left) if other.function == frame.function and other.line), None)
        if match is not None:
            left.remove(match)
            # without a line only the head was reached: the line that calls it stays the place
            frame = msgspec.structs.replace(
                frame, values=match.values or frame.values, file=match.file if frame.line else frame.file
            )
        found.append(frame)
    return tuple(reversed(found))


def _of_functions(placed: tuple[Frame, ...], seen: tuple[Frame, ...], sources: Sources) -> tuple[Frame, ...]:
    """Take the seen frames of own functions; the outermost, which has no place of its own, from the words."""
    top, inner = seen[0], [frame for frame in seen[1:] if frame.line is not None and sources.resolve(frame.file)]
    outer = next((frame for frame in placed if frame.function is None and frame.line is not None), None)
    if not inner and top.line is not None and (outer is None or outer.line != top.line):
        # the agent has counted the statements that were done; words only look alike
        rest = [frame for frame in placed if frame.function is not None]
        return (msgspec.structs.replace(top, column=None, function=None), *rest)
    if not inner:
        return tuple(msgspec.structs.replace(frame, values=top.values) if frame.function is None else frame for frame in placed)
    if top.line is not None:
        outer = top
    # an argument that is evaluated late has a frame of its own at the same place, and nothing there
    rest = [
        frame
        for before, frame in zip([None, *inner], inner, strict=False)
        if before is None
        or frame.values
        or (frame.file, frame.line, frame.function) != (before.file, before.line, before.function)
    ]
    if outer is not None:
        rest.insert(0, msgspec.structs.replace(outer, values=top.values))
    return tuple(rest)
