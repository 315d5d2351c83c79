"""What the kinds that raise nothing have in common: their place and keys come from the source and from what was printed."""

from __future__ import annotations

from typing import ClassVar

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis


class QuietKind:
    """A failure without a message."""

    name: ClassVar[str]
    title: ClassVar[str]
    about: ClassVar[str]
    usual: ClassVar[tuple[str, ...]]
    avoid: ClassVar[str]
    example: ClassVar[str]

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Say what it means; places and keys are the caller's."""
        found = Diagnosis(kind=self.name, meaning=self.about, avoid=self.avoid, causes=list(self.usual))
        found.look_at = "Compare what was printed with what should have come, and go back line by line."
        if scene.frame is not None:
            found.root(scene.frame.file, scene.line, "the wrong value shows here", "snag")
        return found
