"""Memory, time or another resource ran out; and memory that is used wrongly."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, trace_names


class OutOfResource:
    """See the module."""

    name = "out-of-resource"
    title = "more than the machine has"
    about = "The program asked for more memory, files or space than there is; usually a size is far larger than meant."
    usual: tuple[str, ...] = (
        "a size or a repetition is much too large",
        "something grows in a loop without end",
        "files are opened and never closed",
    )
    avoid = "Print sizes before making large things, and work through large data in pieces."
    example = "nights = [0] * 10**15\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Follow the sizes on the line."""
        found = Diagnosis(
            kind=self.name,
            meaning=self.about,
            avoid=self.avoid,
            causes=list(self.usual),
            look_at="Print the sizes that this line works with.",
        )
        if scene.frame is not None:
            trace_names(scene, found, "a size on the failing line comes from here")
            found.root(scene.frame.file, scene.line, "the request that is too large is made here", "snag")
        return found


KIND = OutOfResource()
