"""For languages known by their tokens: where the values of the failing line come from, beyond what its kind has found."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, show, trace_names

#: Kinds whose line is the place, or whose root is not a value.
_PLACES = ("broken-syntax", "no-such-module", "stale-wiring", "child-failed")


def trace_line(scene: Scene, found: Diagnosis) -> None:
    """Add the places that give the line's names their values, the calls that hand them over, and the loop around it."""
    frame, code = scene.frame, scene.code
    if frame is None or code is None or scene.jam.kind in _PLACES:
        return
    here = (frame.file, scene.line)
    if scene.jam.kind == "unknown-name":
        return
    named = {scene.facts.get(name, "").rpartition(".")[2] for name in ("name", "member", "array")} - {""}
    _loop(scene, found)
    origins = []
    for part in scene.parts_of(frame):
        if part.sort in ("name", "member", "index") and part.name in named:
            origins += follow(scene, part, scene.jam.snag or 0)[:3]
    for origin in origins:
        if (origin.file, origin.line) != here:
            found.root_at(origin, f"`{show(origin.name or 'it')}` comes from here", 0.7)
        for step in origin.steps:
            if step.what in ("passed", "returned", "assigned") and (step.file, step.line) != here:
                found.root(step.file, step.line, "the value comes through here", 0.66 if step.what == "passed" else 0.6)
    traced = trace_names(scene, found, "a value of this line comes from here", 0.53)
    sure = 0.56
    for origin in traced[:4]:
        for step in origin.steps[:3]:
            if step.what in ("passed", "returned", "assigned", "taken") and (step.file, step.line) != here:
                found.root(step.file, step.line, "the value comes through here", sure)
                sure = max(sure - 0.015, 0.45)


def _loop(scene: Scene, found: Diagnosis) -> None:
    """An index that runs too far is made by the loop around the line, or around the call."""
    if scene.jam.kind not in ("index-out-of-range", "missing-value", "memory-misuse") or scene.jam.snag is None:
        return
    index: int | None = scene.jam.snag
    sure = 0.72 if scene.jam.kind == "index-out-of-range" else 0.57
    while index is not None:
        frame = scene.jam.frames[index]
        code = scene.code_of(frame)
        loops = code.loops(frame.line) if code is not None and frame.line is not None else []
        row = scene.row(frame.file, frame.line or 0)
        for loop in loops:
            over = loop.over if loop.over is not None else loop.condition
            if over is not None and over.sort == "compare" and over.name in ("<=", ">="):
                found.root(frame.file, loop.span.line, f"`{show(over.source)}` lets the loop go one round too far", 0.86)
                return
            name = loop.target.source if loop.target is not None else ""
            bounded = any(
                sign in scene.row(frame.file, loop.span.line) for sign in ("<=", ":", "..", "+ 1", ", #", "= 0", "1,", "range")
            )
            if (not name or name in row) and bounded:
                found.root(frame.file, loop.span.line, "this loop runs one step too far, or begins one too early", sure)
                return
        index = scene.caller_index(index)
