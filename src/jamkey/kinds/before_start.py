"""What can be said of a program that never began: no value was there, so none can be looked at."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, Kind, show

#: What asks for a run.
_RUNS = ("Print ", "Run ", "Watch ")
#: Kinds whose usual causes are values that a running program has: a compiler that refuses a type has seen none.
_OF_VALUES = ("wrong-type", "fixed-value", "wrong-count", "missing-value")


def as_never_begun(scene: Scene, kind: Kind, found: Diagnosis) -> None:
    """Leave out of a diagnosis what only a run could have shown."""
    if kind.name in _OF_VALUES:
        found.causes = [cause for cause in found.causes if cause not in kind.usual]
    if found.look_at.startswith(_RUNS):
        frame = scene.frame
        row = scene.row(frame.file, frame.line).strip() if frame is not None and frame.line is not None else ""
        found.look_at = f"Look at line {scene.line}: `{show(row)}`." if row else ""
