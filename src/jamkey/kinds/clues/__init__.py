"""Places to change that the text of the project gives away, whatever its language: one clue a file.

A clue is read from words and signs, not from a syntax tree: a name that stands once and differs a little from one that
stands often, arguments in another order than the parameters, a file that is not there. Each adds roots and keys.
"""

from __future__ import annotations

import importlib
from typing import Protocol

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis

#: In the order in which they are asked; named, not imported.
CLUES = ("twins", "no_return", "sizes", "load_order", "page_scripts")


class Clue(Protocol):
    """One clue."""

    #: The kinds of failure it is asked for.
    kinds: frozenset[str]
    #: The runtimes it is for; all where a clue does not say.
    # runtimes: frozenset[str]

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Add what the clue tells."""
        ...


def follow_clues(scene: Scene, found: Diagnosis) -> None:
    """Ask every clue that fits the failure's kind."""
    for name in CLUES:
        clue: Clue = importlib.import_module(f"{__name__}.{name}").CLUE
        if scene.jam.kind in clue.kinds and scene.jam.runtime in getattr(clue, "runtimes", (scene.jam.runtime,)):
            clue.look(scene, found)
    _here(scene, found)


def _here(scene: Scene, found: Diagnosis) -> None:
    """A call that does not fit is what to change, or a name that nothing has."""
    frame = scene.frame
    if frame is None:
        return
    if scene.jam.kind == "wrong-arguments":
        found.root(frame.file, scene.line, "the line itself can allow for it", "line")
    elif scene.jam.kind == "no-such-member":
        found.root(frame.file, scene.line, "the name that is asked for stands here", "asked")
