"""Stopped from outside while it waited."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, show, trace_names


class Interrupted:
    """See the module."""

    name = "interrupted"
    title = "stopped from outside while it waited"
    about = "The program did not fail: it was stopped, by Ctrl-C or by the limit, while it waited for something."
    usual = (
        "it waits for input, a lock, a queue or another program that never answers",
        "it sleeps longer than meant",
        "it was simply stopped too early",
    )
    avoid = "Give every wait a time after which it gives up."
    example = (
        'import time\n'
        '\n'
        'time.sleep(60)\n'
    )

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Say what it waited for."""
        found = Diagnosis(meaning=self.about, avoid=self.avoid, causes=list(self.usual))
        if scene.frame is None:
            return found
        found.meaning = f"The program was stopped while it waited at `{show(scene.frame.source or '')}`."
        found.look_at = "Ask what should have ended the wait, and whether that can still happen."
        found.root(scene.frame.file, scene.line, "it waited here", 0.66)
        trace_names(scene, found, "what it waits for, or how long, comes from here", 0.6)
        return found


KIND = Interrupted()
