"""What a recorded second run adds to a jam: the line that really gave a name the value it failed with."""

from __future__ import annotations

import os
from collections.abc import Sequence

import msgspec

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages.base import Part
from jamkey.model import Change, Jam, Root, Step, Value

#: Changes shown as steps of one root.
_MOST_STEPS = 4


def names_in_question(jam: Jam, sources: Sources) -> list[str]:
    """Return the names and plain members that the snag's line uses, and those on the way to its roots."""
    scene = Scene(jam, sources)
    found: list[str] = []
    for part in scene.parts_of(scene.frame):
        found += _names(part)
    for root in jam.roots:
        for step in root.steps:
            code = sources.code(step.file, jam.runtime)
            statement = code.statement(step.line) if code is not None else None
            for target in statement.targets if statement is not None else ():
                found += _names(target)
    return list(dict.fromkeys(found))[:20]


def _names(part: Part) -> list[str]:
    plain = ("name", "member")
    return [one.source for one in part.walk() if one.sort in plain and one.source.replace(".", "").isidentifier()]


def with_history(jam: Jam, changes: Sequence[Change], sources: Sources) -> Jam:
    """Return the jam with the recorded changes as roots: the last change of each name that the snag's line uses.

    A root that was only likely and is confirmed by the record becomes near certain; one that the record speaks
    against is left, behind it.
    """
    frame = jam.snag_frame
    if frame is None or not changes:
        return jam
    suspects = [value for value in frame.values if _bad(value, jam)]
    roots: list[Root] = []
    for value in suspects:
        history = [
            c for c in changes if c.name == value.name and _here(c, sources) == frame.file and c.function == frame.function
        ]
        if not history or history[-1].new != value.text:
            continue
        last = history[-1]
        steps = tuple(
            Step(file=_here(change, sources), line=change.line, what="assigned", text=f"{change.name} = {change.new}")
            for change in reversed(history[-_MOST_STEPS:])
        )
        times = f", its change number {len(history)}" if len(history) > 1 else ""
        roots.append(
            Root(
                file=_here(last, sources),
                line=last.line,
                steps=steps,
                confidence=0.9,
                known="watched",
                reason=f"`{last.name}` became {last.new} here in the recorded run{times}",
            )
        )
    recorded = {(root.file, root.line) for root in roots}
    merged: list[Root] = []
    for root in jam.roots:
        touched = {(step.file, step.line) for step in root.steps} | {(root.file, root.line)}
        if touched & recorded:
            merged.append(msgspec.structs.replace(root, confidence=max(root.confidence, 0.97), known="watched"))
        else:
            merged.append(root)
    known = {(root.file, root.line) for root in merged}
    merged += [root for root in roots if (root.file, root.line) not in known]
    return msgspec.structs.replace(jam, roots=tuple(sorted(merged, key=lambda root: -root.confidence)))


def _here(change: Change, sources: Sources) -> str:
    return sources.resolve(change.file) or sources.relative(os.path.abspath(change.file))


def _bad(value: Value, jam: Jam) -> bool:
    """Tell whether a value can be what the failure is about."""
    message = jam.wording or ""
    short = value.type.rpartition(".")[2]
    if jam.kind == "bad-arithmetic":
        return value.text in ("0", "0.0", "-0.0")
    if jam.kind == "missing-value":
        return value.text == "None"
    return f"'{short}'" in message or short in message.split() or (len(value.text) > 2 and value.text.strip("'\"") in message)
