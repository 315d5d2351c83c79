"""Another program that this one started has failed."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis


class ChildFailed:
    """See the module."""

    name = "child-failed"
    title = "a program started from here failed"
    about = (
        "This program started another one, and that one ended with an error. The place to look is in the other program; "
        "this line only reports it."
    )
    usual = (
        "the other program has an error of its own, printed above this one",
        "it was given arguments it does not understand",
        "it is not there, or not executable",
    )
    avoid = "Print what the other program wrote to its error output whenever it fails."
    example = 'import subprocess\nimport sys\n\nsubprocess.run([sys.executable, "-c", "kilos = 31.2 / 0"], check=True)\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Point at the other program's own failure, where its trace was printed too."""
        found = Diagnosis(
            kind=self.name,
            meaning=self.about,
            avoid=self.avoid,
            causes=list(self.usual),
            look_at="Read what the other program printed before it ended.",
        )
        for link in scene.jam.chain:
            if link.relation == "carried-by":
                found.meaning = f"The other program failed with {link.jam.headline}. This line only reports it."
                for rank, root in enumerate(link.jam.roots[:2]):
                    found.root(root.file, root.line, root.reason, "child", rank=rank, column=root.column, steps=root.steps)
                found.keys += link.jam.keys
        if scene.frame is not None:
            found.root(scene.frame.file, scene.line, "the other program is started here", "snag")
        return found


KIND = ChildFailed()
